"""Random panels, cameras and filter sets: how many trials until every filter is inside its window, and
whether what can't be done is named before, with a change that makes it fit."""

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.levels.advice import FilterAdvice, Limits
from vigil.levels.search import Try, next_try
from vigil.levels.trials import Camera, Trial

PANELS = 500
_WIDTHS_NM = {"L": 300.0, "R": 90.0, "G": 80.0, "B": 100.0, "Ha": 6.0, "OIII": 6.5, "SII": 6.0}
_NARROW = ("Ha", "OIII", "SII")


@dataclass
class SimPanel:
    """Brightness (level − threshold)^power with dents between the steps, and its flicker from frame to
    frame."""

    levels: int
    power: float
    threshold: float
    rough: np.ndarray
    flicker: float
    factors: dict[str, float]
    camera: Camera
    rng: np.random.Generator

    def rate(self, name: str, level: int) -> float:
        """ADU a second."""
        top = max(self.levels - self.threshold, 1.0)
        dent = float(np.interp(math.log(max(level, 1)), np.linspace(0, math.log(65535), 24), self.rough))
        return self.factors[name] * (max(level - self.threshold, 0.05) / top) ** self.power * (1 + dent)

    def mean(self, name: str, level: int, exposure_s: float) -> float:
        """Without flicker."""
        return min(self.camera.bias_adu + self.rate(name, level) * exposure_s, self.camera.full_scale_adu)

    def take(self, name: str, tried: Try) -> Trial:
        light = self.rate(name, tried.level) * tried.exposure_s
        light *= 1 + self.rng.normal(0, self.flicker / math.sqrt(max(tried.exposure_s, 0.05)))
        mean = min(self.camera.bias_adu + light, self.camera.full_scale_adu)
        return Trial(name, tried.level, tried.exposure_s, mean)


def panel_of(seed: int) -> tuple[SimPanel, Limits, list[str]]:
    """Of a seed: what stands before the telescope, its limits, and the filters."""
    rng = np.random.default_rng([61, seed])
    bits = int(rng.choice([8, 12, 14, 16]))
    full = float(2**16 - 1 if bits == 16 else (2**bits - 1) * 2 ** (16 - bits) if bits > 8 else 255)
    camera = Camera(round(full * float(rng.uniform(0.004, 0.03)), 1), full)
    levels = int(rng.choice([20, 64, 100, 255, 1023, 4095]))
    names = [*rng.permutation(["L", "R", "G", "B"])[: int(rng.integers(1, 5))]]
    names += [*rng.permutation(list(_NARROW))[: int(rng.integers(0, 4))]]
    bright = full * 10 ** float(rng.uniform(-1.5, 2.5))
    factors = {n: bright * _WIDTHS_NM[n] / 100 * float(rng.lognormal(0, 0.25)) for n in map(str, names)}
    panel = SimPanel(
        levels,
        float(rng.uniform(0.6, 2.2)),
        float(rng.uniform(0, 2)),
        rng.normal(0, 0.02, 24),
        float(rng.uniform(0.0005, 0.003)),
        factors,
        camera,
        rng,
    )
    aim = float(rng.uniform(30, 45))
    half = float(rng.uniform(4, 8))
    limits = Limits(
        1,
        levels,
        float(rng.choice([0.1, 0.3, 0.5, 1.0, 3.0])),
        float(rng.choice([10.0, 20.0, 30.0, 60.0])),
        camera.share_adu(aim - half),
        camera.share_adu(aim + half),
    )
    return panel, limits, list(factors)


def feasible(panel: SimPanel, name: str, limits: Limits) -> str:
    """By the simulated panel's own curve: "yes", "no", or "hardly" where only a sliver of the window is
    reached, or only at a step's very edge."""

    def reached(low: float, high: float) -> bool:
        for level in range(max(limits.lowest_level, 1), limits.highest_level + 1):
            rate = panel.rate(name, level)
            least = panel.camera.bias_adu + rate * limits.least_exposure_s
            most = panel.camera.bias_adu + rate * limits.most_exposure_s
            if most >= low and least <= high:
                return True
        return False

    slack = 0.02
    if reached(limits.low_adu * (1 + slack), limits.high_adu * (1 - slack)):
        return "yes"
    return "hardly" if reached(limits.low_adu * (1 - slack), limits.high_adu * (1 + slack)) else "no"


def searched(
    panel: SimPanel, limits: Limits, names: list[str]
) -> tuple[dict[str, FilterAdvice], dict[str, int]]:
    """What the search finds, and how many trials of each filter it takes."""
    trials: list[Trial] = []
    found: dict[str, FilterAdvice] = {}
    count = dict.fromkeys(names, 0)
    for name in names:
        while not isinstance(step := next_try(name, trials, panel.camera, limits, _WIDTHS_NM), FilterAdvice):
            trials.append(panel.take(name, step))
            count[name] += 1
            if count[name] > 20:
                raise RuntimeError(f"{name}: no end")
        found[name] = step
    return found, count


def changed(panel: SimPanel, limits: Limits, advice: FilterAdvice) -> tuple[SimPanel, Limits]:
    """The change that was advised, applied as its words say."""
    words = advice.change
    if "1/" in words:
        factor = float(words.split("1/")[1].split()[0].rstrip(","))
        return replace(
            panel, factors={**panel.factors, advice.filter: panel.factors[advice.filter] / factor}
        ), limits
    if "exposures up to" in words:
        return panel, replace(limits, most_exposure_s=float(words.split("up to ")[1].split(" s")[0]))
    if "times the light" in words:
        factor = float(words.split()[0])
        return replace(
            panel, factors={**panel.factors, advice.filter: panel.factors[advice.filter] * factor}
        ), limits
    return panel, limits


def one_panel(seed: int) -> dict[str, Any]:
    """Every filter judged against the panel's own curve."""
    panel, limits, names = panel_of(seed)
    found, count = searched(panel, limits, names)
    wrong, mended, off = [], 0, []
    for name, advice in found.items():
        truth = feasible(panel, name, limits)
        if advice.feasible:
            assert advice.level is not None and advice.exposure_s is not None
            mean = panel.mean(name, advice.level, advice.exposure_s)
            if not limits.low_adu * 0.99 <= mean <= limits.high_adu * 1.01:
                wrong.append(f"{name}: outside, {mean:.0f}")
            off.append(abs(mean / limits.aim_adu - 1))
            continue
        if truth == "yes":
            wrong.append(f"{name}: said to be impossible ({advice.reason})")
            continue
        if truth == "no":
            other_panel, other = changed(panel, limits, advice)
            if feasible(other_panel, name, other) == "no":
                wrong.append(f"{name}: {advice.reason}; {advice.change}: doesn't help")
            else:
                mended += 1
    return {
        "wrong": wrong,
        "trials": [count[name] for name, one in found.items() if one.feasible],
        "feasible": sum(f.feasible for f in found.values()),
        "impossible": sum(not f.feasible for f in found.values()),
        "mended": mended,
    }


def campaign() -> dict[str, Any]:
    """500 of them."""
    return run_campaign(
        "flatlevels", [(f"panel {n}", lambda n=n: one_panel(n)) for n in range(PANELS)], summarise
    )


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    """Trials are counted for filters that can be done, as people wait for those."""
    trials = [n for r in results for n in r["trials"]]
    wrong = [words for r in results for words in r["wrong"]]
    return {
        "panels": len(results),
        "feasible": len(trials),
        "trials_median": float(np.median(trials)),
        "trials_95": float(np.percentile(trials, 95)),
        "trials_most": max(trials),
        "impossible": sum(r["impossible"] for r in results),
        "impossible_mended": sum(r["mended"] for r in results),
        "wrong": wrong,
    }
