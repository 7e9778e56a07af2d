"""For each filter the panel's level and the exposure that put a flat inside its window, in the shortest time;
where nothing does, why, and the one change that would."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from vigil.levels.panel import Brightness, PanelModel, fit_panel
from vigil.levels.trials import Camera, Trial

_SURE_SIGMAS = 3.0
_ROUND_UP = 1.05
"""A change that is advised has some room."""
_UNSURE, CAUTIOUS = 1e6, 12.0
"""A longer exposure costs time, and so does another trial where a level isn't well known: so many times its
standard error as a share."""
_BEYOND = 3.0
"""Where a trial says that the model is off, and only which way: so much more light than it shows, or less."""
_SURE_BOUND = 1.5
"""By so much what trials leave open may be wrong."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What the panel's levels and the exposure may be, and the window of means, ADU."""

    lowest_level: int
    highest_level: int
    least_exposure_s: float
    most_exposure_s: float
    low_adu: float
    high_adu: float
    aimed_adu: float | None = None
    """Else the window's middle."""

    @property
    def aim_adu(self) -> float:
        return (self.low_adu + self.high_adu) / 2 if self.aimed_adu is None else self.aimed_adu


@dataclass(frozen=True, slots=True)
class FilterAdvice:
    """`feasible` with level, exposure and the mean to expect; else why not, and what would make it so."""

    filter: str
    feasible: bool
    level: int | None = None
    exposure_s: float | None = None
    predicted_mean_adu: float | None = None
    sigma_share: float = 0.0
    reason: str = ""
    change: str = ""

    def told(self) -> dict[str, Any]:
        """For events and programs."""
        mean = self.predicted_mean_adu
        return {
            "filter": self.filter,
            "feasible": self.feasible,
            "level": self.level,
            "exposure_s": self.exposure_s,
            "predicted_mean_adu": None if mean is None else round(mean, 1),
            "reason": self.reason,
            "change": self.change,
        }


def advise(
    trials: Sequence[Trial], camera: Camera, limits: Limits, caution: float = CAUTIOUS
) -> list[FilterAdvice]:
    """Of every filter that was tried, in the order of the trials. With less `caution` the quickest is
    preferred to what is known best."""
    model = fit_panel(trials, camera)
    names = tuple(dict.fromkeys(trial.filter for trial in trials))
    return [_of_filter(name, trials, camera, limits, model, caution) for name in names]


def _of_filter(
    name: str,
    trials: Sequence[Trial],
    camera: Camera,
    limits: Limits,
    model: PanelModel | None,
    caution: float,
) -> FilterAdvice:
    if model is None or name not in model.filters:
        return _unknown(name, trials, camera, limits, model)
    best: tuple[float, FilterAdvice] | None = None
    own = [trial for trial in trials if trial.filter == name]
    for level in _levels(limits):
        rate, sigma = _within_bounds(level, model.brightness(name, level), own, camera)
        found = _at_level(name, level, rate, sigma, camera, limits)
        if found is None:
            continue
        spare = _spare_sigmas(found, limits)
        # what is sure goes by its time, what isn't by how nearly it is
        time_s = (found.exposure_s or 0.0) * (1 + caution * found.sigma_share)
        cost = time_s if spare >= min(_SURE_SIGMAS, caution) else _UNSURE - spare
        if best is None or cost < best[0]:
            best = cost, found
    return best[1] if best is not None else _why_not(name, model, own, camera, limits)


def _within_bounds(
    level: int, bright: Brightness, own: Sequence[Trial], camera: Camera
) -> tuple[float, float]:
    """Rate and its standard error as a share, with what clipped and dark trials say: a brighter step is never
    darker."""
    rate = bright.rate_adu_s
    over = [t.rate_adu_s(camera) for t in own if t.clipped(camera) and t.level <= level]
    if over and rate < max(over):
        return _BEYOND * max(over), 1.0
    under = [t.rate_adu_s(camera) for t in own if not t.clipped(camera) and t.level >= level]
    if under and rate > 1.05 * min(under):
        return min(under) / _BEYOND, 1.0
    return rate, bright.sigma_share


def _spare_sigmas(found: FilterAdvice, limits: Limits) -> float:
    """How many of its standard errors the mean to expect is from the window's nearer end."""
    mean = found.predicted_mean_adu or 0.0
    return min(mean - limits.low_adu, limits.high_adu - mean) / max(found.sigma_share * mean, 1e-9)


def _levels(limits: Limits) -> list[int]:
    """All of them, of very many those that differ by a per cent."""
    low, high = max(limits.lowest_level, 1), max(limits.highest_level, 1)
    if high - low < 2000:
        return list(range(low, high + 1))
    steps = math.ceil(math.log(high / low) / math.log(1.01))
    return sorted({round(low * (high / low) ** (k / steps)) for k in range(steps + 1)})


def _at_level(
    name: str, level: int, rate: float, sigma: float, camera: Camera, limits: Limits
) -> FilterAdvice | None:
    """As near the aim as the exposure may be; None where that is outside the window."""
    wanted_s = (limits.aim_adu - camera.bias_adu) / rate
    exposure_s = min(max(wanted_s, limits.least_exposure_s), limits.most_exposure_s)
    mean = camera.bias_adu + rate * exposure_s
    if not limits.low_adu <= mean <= limits.high_adu:
        return None
    return FilterAdvice(
        name, True, level, _rounded(exposure_s, limits), mean, sigma, f"level {level}, {exposure_s:.3g} s"
    )


def _rounded(exposure_s: float, limits: Limits) -> float:
    digits = 4 - math.floor(math.log10(exposure_s))
    return min(max(round(exposure_s, digits), limits.least_exposure_s), limits.most_exposure_s)


def _why_not(
    name: str, model: PanelModel, own: Sequence[Trial], camera: Camera, limits: Limits
) -> FilterAdvice:
    """At its dimmest with the shortest exposure it is too bright, at its brightest with the longest too
    dark, or between two whole steps there is none inside the window."""
    low, high = max(limits.lowest_level, 1), max(limits.highest_level, 1)
    dimmest = model.brightness(name, low).rate_adu_s
    brightest = model.brightness(name, high).rate_adu_s
    least = camera.bias_adu + min(dimmest, brightest) * limits.least_exposure_s
    most = camera.bias_adu + max(dimmest, brightest) * limits.most_exposure_s
    if least > limits.high_adu:
        factor = (least - camera.bias_adu) / (limits.aim_adu - camera.bias_adu)
        shorter_s = limits.least_exposure_s / factor
        return FilterAdvice(
            name,
            False,
            reason=f"too bright: {_adu(least, camera)} {_at(low, limits)}in {limits.least_exposure_s:g} s, "
            f"{_adu(limits.high_adu, camera)} is the most",
            change=f"a diffuser that takes the light to 1/{factor * _ROUND_UP:.1f}, or exposures from "
            f"{shorter_s:.2g} s on",
        )
    if most < limits.low_adu:
        factor = (limits.aim_adu - camera.bias_adu) / max(most - camera.bias_adu, 1e-6)
        longest_s = limits.most_exposure_s * factor
        return FilterAdvice(
            name,
            False,
            reason=f"too dark: {_adu(most, camera)} {_at(high, limits)}in {limits.most_exposure_s:g} s, "
            f"{_adu(limits.low_adu, camera)} is the least",
            change=f"exposures up to {_nice(longest_s * _ROUND_UP)} s, or {factor * _ROUND_UP:.1f} times the "
            "light",
        )
    return FilterAdvice(
        name,
        False,
        reason="between two whole steps of the panel: one is too dark in the longest exposure, the next too "
        "bright in the shortest",
        change=f"exposures up to {_nice(_next_step_s(name, model, own, camera, limits))} s",
    )


def _next_step_s(name: str, model: PanelModel, own: Sequence[Trial], camera: Camera, limits: Limits) -> float:
    """The shortest exposure beyond the longest that reaches the aim at any level."""
    wanted, needed = limits.aim_adu - camera.bias_adu, []
    for level in _levels(limits):
        rate, sigma = _within_bounds(level, model.brightness(name, level), own, camera)
        if sigma < 1 and wanted / rate > limits.most_exposure_s:
            needed.append(wanted / rate)
    return min(needed, default=limits.most_exposure_s) * _ROUND_UP


def _unknown(
    name: str, trials: Sequence[Trial], camera: Camera, limits: Limits, model: PanelModel | None
) -> FilterAdvice:
    """Every trial clipped, or every one dark: a bound is all that is known, and may be enough."""
    own = [trial for trial in trials if trial.filter == name]
    clipped = [trial for trial in own if trial.clipped(camera)]

    def at(trial: Trial, level: int, exposure_s: float) -> float:
        there = model.ratio(level, trial.level) if model is not None else level / max(trial.level, 1)
        return (trial.mean_adu - camera.bias_adu) * there * exposure_s / trial.exposure_s

    low, high = max(limits.lowest_level, 1), max(limits.highest_level, 1)
    if clipped:
        dimmest = min(clipped, key=lambda t: at(t, low, limits.least_exposure_s))
        least = at(dimmest, low, limits.least_exposure_s)
        tried = f"every trial is clipped, also {dimmest.exposure_s:g} s at level {dimmest.level}"
        if least > _SURE_BOUND * (limits.high_adu - camera.bias_adu):
            factor = least / (limits.aim_adu - camera.bias_adu) * _ROUND_UP
            change = f"a diffuser that takes the light to 1/{factor:.1f} at most"
            return FilterAdvice(name, False, reason=f"too bright: {tried}", change=change)
        level = max(low, round(dimmest.level / 4))
        change = f"a trial at level {level} with {limits.least_exposure_s:g} s"
        return FilterAdvice(name, False, reason=f"not known yet: {tried}", change=change)
    brightest = max(own, key=lambda t: t.exposure_s * max(t.level, 1))
    most = at(brightest, high, limits.most_exposure_s)
    tried = f"every trial is dark, also {brightest.exposure_s:g} s at level {brightest.level}"
    if _SURE_BOUND * most < limits.low_adu - camera.bias_adu:
        change = "more light: this panel is far too dark through it"
        return FilterAdvice(name, False, reason=f"too dark: {tried}", change=change)
    change = f"a trial at level {high} with {limits.most_exposure_s:g} s"
    return FilterAdvice(name, False, reason=f"not known yet: {tried}", change=change)


def _at(level: int, limits: Limits) -> str:
    """Nothing where the light has one level only."""
    return f"at level {level} " if limits.highest_level > limits.lowest_level else ""


def _adu(value: float, camera: Camera) -> str:
    return f"{min(value, 9.9e9):.0f} ADU ({min(100 * value / camera.full_scale_adu, 999):.1f} %)"


def _nice(seconds: float) -> str:
    return f"{seconds:.1f}" if seconds < 10 else f"{math.ceil(seconds)}"
