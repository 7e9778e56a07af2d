"""What a study says of a record, against the simulated sky that made it: the split into seeing and mount,
and its advice against every other setting, on the forty minutes after the record. The record goes on for as
long as the study asks. What counts is how far the star moves on the main camera: by what is left of the
mount's error, and by the air, which nobody takes back."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from campaigns.figures import run_campaign
from vigil.documents.rig.guider import GuideAxis
from vigil.guiding.laws import AxisSettings
from vigil.guiding.record import AxisRecord, GuideRecord
from vigil.guiding.replay import replay
from vigil.guiding.split import Split
from vigil.guiding.study import EXPOSURES_S, Study, study, tried_with
from vigil.simulator.air.seeing import _PARTS
from vigil.simulator.air.wandering import Mixture

Floats = NDArray[np.float64]

NIGHTS = 200
RECORD_S, LONGEST_RECORD_S, AFTER_S, STEP_S = 900, 2700, 2400, 1.0
_DEFAULT_EXPOSURE_S = 2.0


@dataclass(frozen=True)
class Night:
    """One axis each: the mount's error and the air's, frame by frame of a second."""

    at_s: Floats
    slow: dict[str, Floats]
    air: dict[str, Floats]
    told: dict[str, float]

    def record(self, ends_s: float) -> GuideRecord:
        """Without corrections, from the beginning on."""
        inside = self.at_s < ends_s
        count = int(np.count_nonzero(inside))
        ra, dec = (
            AxisRecord(self.at_s[inside], (self.slow[n] + self.air[n])[inside], np.zeros(count))
            for n in ("ra", "dec")
        )
        return GuideRecord(ra, dec, np.full(count, 40.0))

    def parts(self, axis: str, begins_s: float, ends_s: float) -> Split:
        """The truth, as a split has it."""
        inside = (self.at_s >= begins_s) & (self.at_s < ends_s)
        return Split(self.at_s[inside], self.slow[axis][inside], self.air[axis][inside], 0.0, (), 0.0)


def night(seed: int) -> Night:
    """Worms of two to ten minutes and up to eight arc-seconds with two harmonics, drifts up to two a minute,
    gears rough or not, air from calm to bad."""
    rng, later = np.random.default_rng([43, seed]), np.random.default_rng([43, seed, 1])
    first = round((RECORD_S + AFTER_S) / STEP_S)
    # what follows is drawn apart: with longer records than that allowed, the nights are still what they were
    count = round((LONGEST_RECORD_S + AFTER_S) / STEP_S)
    at = STEP_S * (np.arange(count) + 0.5)

    def walk() -> Floats:
        steps = np.concatenate([rng.normal(size=first), later.normal(size=count - first)])
        return rough * STEP_S**0.5 * np.cumsum(steps)

    period, amplitude = float(rng.uniform(150, 600)), float(rng.uniform(0.5, 8))
    rough = float(rng.choice([0.0, rng.uniform(0.01, 0.06)]))
    worm = sum(
        amplitude * share * np.sin(2 * np.pi * at * order / period + rng.uniform(0, 2 * np.pi))
        for order, share in ((1, 1.0), (2, rng.uniform(0, 0.4)), (5, rng.uniform(0, 0.1)))
    )
    slow = {
        name: own + float(rng.uniform(-2, 2)) / 60 * at + walk()
        for name, own in (("ra", worm), ("dec", np.zeros(count)))
    }
    rms = float(rng.uniform(0.3, 1.8))
    air = {
        name: rms * np.array([mixture.mean(a - STEP_S / 2, a + STEP_S / 2) for a in at])
        for name, mixture in (("ra", Mixture(_PARTS, seed, 300)), ("dec", Mixture(_PARTS, seed, 310)))
    }
    return Night(
        at,
        slow,
        air,
        {"period_s": period, "amplitude_arcsec": amplitude, "dance_arcsec": rms, "rough": rough},
    )


def one_night(seed: int, exposures_s: Sequence[float] = EXPOSURES_S) -> dict[str, Any]:
    """A quarter of an hour without corrections, or as much more as the study asks for (up to three of them),
    the advice of that record, and what any settings do then."""
    sky, ends_s = night(seed), RECORD_S
    found = study(sky.record(ends_s), exposures_s)
    while not found.enough and ends_s < LONGEST_RECORD_S:
        ends_s = min(ends_s + 60 * max(math.ceil(found.more_min), 1), LONGEST_RECORD_S)
        found = study(sky.record(ends_s), exposures_s)
    after = {n: sky.parts(n, ends_s, ends_s + AFTER_S) for n in ("ra", "dec")}
    before = {n: sky.parts(n, 0, ends_s) for n in ("ra", "dec")}
    best = _best(after, sorted({t.exposure_s for t in found.ra.tried}))
    advised = {
        n: replay(after[n], a.best.settings, found.exposure_s)
        for n, a in (("ra", found.ra), ("dec", found.dec))
    }
    usual = {
        n: replay(after[n], AxisSettings(part.law, part.strength, part.dead_band_arcsec), _DEFAULT_EXPOSURE_S)
        for n, part in (("ra", GuideAxis()), ("dec", GuideAxis(law="damped")))
    }
    total, usual_total = (
        float(np.hypot(*(p.slow_rms_arcsec for p in some.values()))) for some in (advised, usual)
    )
    dance = float(np.hypot(*(np.std(after[n].seeing_arcsec) for n in ("ra", "dec"))))
    predicted = float(np.hypot(found.ra.best.predicted_rms_arcsec, found.dec.best.predicted_rms_arcsec))
    measured = float(np.hypot(*(p.measured_rms_arcsec for p in advised.values())))
    return {
        **{k: round(v, 3) for k, v in sky.told.items()},
        "record_min": ends_s / 60,
        "enough": found.enough,
        "exposure_s": found.exposure_s,
        "laws": [found.ra.best.settings.law, found.dec.best.settings.law],
        "mount_left_of_best": round(total / best, 4),
        "star_of_best": round(float(np.hypot(total, dance) / np.hypot(best, dance)), 4),
        "star_of_default": round(float(np.hypot(total, dance) / np.hypot(usual_total, dance)), 4),
        "predicted_of_measured": round(predicted / measured, 4),
        "seeing_off": {n: _off(found, before, n, "seeing") for n in ("ra", "dec")},
        "slow_off": {n: _off(found, before, n, "slow") for n in ("ra", "dec")},
    }


def _off(found: Study, before: dict[str, Split], name: str, what: str) -> float:
    parts: Split = getattr(found, name).parts
    truth = before[name]
    if what == "seeing":
        return round(parts.seeing_rms_arcsec / float(np.std(truth.seeing_arcsec)) - 1, 4)
    return round(parts.slow_rms_arcsec / truth.slow_rms_arcsec - 1, 4)


def _best(after: dict[str, Split], exposures_s: list[float]) -> float:
    """The least of all settings of the study's own grid, on what really came."""
    totals = []
    for exposure_s in exposures_s:
        least = []
        for name in ("ra", "dec"):
            tried = tried_with(after[name], exposure_s, name == "ra", 7.5)
            least.append(min(t.slow_rms_arcsec for t in tried))
        totals.append(float(np.hypot(*least)))
    return min(totals)


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    def shares(key: str) -> list[float]:
        return [r[key] for r in results]

    seeing = [abs(v) for r in results for v in r["seeing_off"].values()]
    slow = [abs(v) for r in results for v in r["slow_off"].values()]
    return {
        "nights": len(results),
        "enough": sum(r["enough"] for r in results),
        "enough_at_first": sum(r["record_min"] == RECORD_S / 60 for r in results),
        "star_within_5_percent_of_the_best": sum(v <= 1.05 for v in shares("star_of_best")),
        "star_worst_of_best": max(shares("star_of_best")),
        "star_worse_than_default_by_over_2_percent": sum(v > 1.02 for v in shares("star_of_default")),
        "star_median_of_default": round(float(np.median(shares("star_of_default"))), 4),
        "mount_left_within_5_percent_of_the_best": sum(v <= 1.05 for v in shares("mount_left_of_best")),
        "mount_left_median_of_best": round(float(np.median(shares("mount_left_of_best"))), 4),
        "median_predicted_off_percent": round(
            100 * float(np.median([abs(v - 1) for v in shares("predicted_of_measured")])), 2
        ),
        "seeing_within_10_percent": round(100 * float(np.mean(np.array(seeing) <= 0.1)), 1),
        "slow_within_10_percent": round(100 * float(np.mean(np.array(slow) <= 0.1)), 1),
    }


def campaign() -> dict[str, Any]:
    """200 nights."""
    items = [(f"night {n}", lambda n=n: one_night(n)) for n in range(NIGHTS)]
    return run_campaign("guidestudies", items, summarise)
