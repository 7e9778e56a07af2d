"""Which trial to take next of a light source, until a filter's level and exposure are known, or why it can't
be done: few trials, a model of the panel that all filters share, and then there."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from vigil.levels.advice import CAUTIOUS, FilterAdvice, Limits, advise
from vigil.levels.panel import fit_panel
from vigil.levels.trials import Camera, Trial

MOST_TRIALS = 8
_BRIGHTER, _DIMMER = 40.0, 12.0
"""By so much more or less light after a trial that was dark, or clipped."""
_SURE_SIGMAS = 3.0
_WORTH_A_TRIAL = 0.5
"""A frame inside the window is left for another trial only where that would shorten the exposures to less
than this."""
_ONE_TRIAL_S, _FEW, _BOLD = 5.0, 3, 0.0
_WELL_INSIDE = 0.8
_SHORTEST_S = 0.001
_FIRST_OF_LEAST, _LEVEL_SHARE = 2.0, 0.5
_CURVE_MAY_BE_OFF = 1.5
"""Of the power of a panel's curve, where no trial stands."""


@dataclass(frozen=True, slots=True)
class Try:
    """A trial to take: the panel's level, the exposure, and what for."""

    level: int
    exposure_s: float
    why: str


def next_try(
    name: str,
    trials: Sequence[Trial],
    camera: Camera,
    limits: Limits,
    light: Mapping[str, float] | None = None,
    count: int = 30,
) -> Try | FilterAdvice:
    """The next trial of filter `name`, or what is known of it once no other is needed.

    `trials` are those of all filters; `light` says how much each lets through beside the others (its width in
    nm), so that one filter's trials tell of the next one's; `count` frames will be taken, so that time spent
    on another trial pays or doesn't.
    """
    own = [trial for trial in trials if trial.filter == name]
    inside = _inside(own, limits)
    if inside is not None:
        return _quicker(name, inside, own, trials, camera, limits, count) or _settled(name, inside, camera)
    found = _advice(name, trials, camera, limits)
    if not own:
        return _first(name, trials, camera, limits, light or {})
    if len(own) >= MOST_TRIALS:
        return _given_up(name, own, found)
    assert found is not None, "it has trials"
    if _contradicted(found, own, trials, camera, limits) and (step := _bracketed(own, limits)) is not None:
        return step
    if found.feasible:
        assert found.level is not None and found.exposure_s is not None
        wanted = Try(found.level, found.exposure_s, "by the model of the panel")
        if not _tried(wanted, own):
            return wanted
        return _given_up(name, own, found)
    return _toward(name, own, trials, found, camera, limits)


def _advice(
    name: str, trials: Sequence[Trial], camera: Camera, limits: Limits, caution: float = CAUTIOUS
) -> FilterAdvice | None:
    return next((one for one in advise(trials, camera, limits, caution) if one.filter == name), None)


def _inside(own: Sequence[Trial], limits: Limits) -> Trial | None:
    """The quickest of those that could be flats; one near the window's edge only where there is no other."""
    good = [
        t
        for t in own
        if limits.low_adu <= t.mean_adu <= limits.high_adu
        and limits.lowest_level <= t.level <= limits.highest_level
        and limits.least_exposure_s <= t.exposure_s <= limits.most_exposure_s
    ]
    edge_adu = _WELL_INSIDE * (limits.high_adu - limits.low_adu) / 2
    return min(good, key=lambda t: (abs(t.mean_adu - limits.aim_adu) > edge_adu, t.exposure_s), default=None)


def _quicker(
    name: str,
    inside: Trial,
    own: Sequence[Trial],
    trials: Sequence[Trial],
    camera: Camera,
    limits: Limits,
    count: int,
) -> Try | None:
    """Another trial, where a brighter panel saves more than that costs."""
    if len(own) >= _FEW:
        return None
    found = _advice(name, trials, camera, limits, _BOLD)
    if found is None or found.level is None or found.exposure_s is None:
        return None
    saved_s = count * (inside.exposure_s - found.exposure_s)
    if found.exposure_s > _WORTH_A_TRIAL * inside.exposure_s or saved_s < _ONE_TRIAL_S + found.exposure_s:
        return None
    wanted = Try(found.level, found.exposure_s, "a brighter panel is quicker")
    return None if _tried(wanted, own) else wanted


def _settled(name: str, trial: Trial, camera: Camera) -> FilterAdvice:
    return FilterAdvice(
        name, True, trial.level, trial.exposure_s, trial.mean_adu, 0.0,
        f"level {trial.level}, {trial.exposure_s:.3g} s: {trial.mean_adu:.0f} ADU "
        f"({100 * trial.mean_adu / camera.full_scale_adu:.0f} %)",
    )  # fmt: skip


def _given_up(name: str, own: Sequence[Trial], found: FilterAdvice | None) -> FilterAdvice:
    """Trials that don't agree with each other."""
    means = ", ".join(f"{t.mean_adu:.0f}" for t in own[-3:])
    if found is not None and not found.feasible:
        return found
    return FilterAdvice(
        name,
        False,
        reason=f"unsteady: {len(own)} trials, the last ones at {means} ADU, and none inside the window",
        change="a wider level window, or a steadier light",
    )


def _contradicted(
    found: FilterAdvice, own: Sequence[Trial], trials: Sequence[Trial], camera: Camera, limits: Limits
) -> bool:
    """Whether trials say that the model is no use here: a panel near its threshold follows no curve."""
    over = [t for t in own if t.mean_adu > limits.high_adu]
    if not found.feasible:
        return bool(over) and any(t.mean_adu < limits.low_adu for t in own)
    if found.sigma_share >= 1.0:
        return True
    if any(t.level == found.level and not t.clipped(camera) and not t.too_dark(camera) for t in own):
        return False  # of a step that was tried the exposure alone is asked, whatever the others do
    model = fit_panel(trials, camera)
    if model is None or found.filter not in model.filters:
        return False
    clipped = [t for t in over if t.clipped(camera)]
    # what is clipped should be, by the model
    return any(
        camera.bias_adu + model.brightness(t.filter, t.level).rate_adu_s * t.exposure_s < limits.high_adu
        for t in clipped
    )


def _bracketed(own: Sequence[Trial], limits: Limits) -> Try | None:
    """Between the brightest of those that are too dark and the dimmest of those that are too bright; None
    where they don't lie so."""
    under = [t for t in own if t.mean_adu < limits.low_adu]
    over = [t for t in own if t.mean_adu > limits.high_adu]
    if not under or not over:
        return None
    dark = max(under, key=lambda t: (t.level, t.exposure_s))
    bright = min(over, key=lambda t: (t.level, t.exposure_s))
    if bright.level < dark.level:
        return None
    why = "between one that was too dark and one that was too bright"
    level = round(math.sqrt(max(dark.level, 1) * bright.level))
    if level == dark.level:
        level += 1
    if dark.level < level < bright.level:
        between_s = math.sqrt(dark.exposure_s * bright.exposure_s)
        return Try(level, min(max(between_s, limits.least_exposure_s), limits.most_exposure_s), why)
    if dark.level == bright.level:
        apart = bright.exposure_s > 1.02 * dark.exposure_s
        return Try(level, math.sqrt(dark.exposure_s * bright.exposure_s), why) if apart else None
    if bright.exposure_s > 1.02 * limits.least_exposure_s:
        return Try(bright.level, limits.least_exposure_s, why)
    if dark.exposure_s < limits.most_exposure_s / 1.02:
        return Try(dark.level, limits.most_exposure_s, why)
    return None


def _tried(wanted: Try, own: Sequence[Trial]) -> bool:
    return any(
        t.level == wanted.level and math.isclose(t.exposure_s, wanted.exposure_s, rel_tol=0.01) for t in own
    )


def _first(
    name: str, trials: Sequence[Trial], camera: Camera, limits: Limits, light: Mapping[str, float]
) -> Try:
    """By what other filters showed and how much this one lets through beside them."""
    guess = _as_the_others(name, trials, camera, light)
    if guess is None:
        low, high = max(limits.lowest_level, 1), max(limits.highest_level, 1)
        level = round(low * (high / low) ** _LEVEL_SHARE)
        exposure_s = min(_FIRST_OF_LEAST * limits.least_exposure_s or 1.0, limits.most_exposure_s)
        return Try(level, exposure_s, "nothing is known of it yet")
    found = _advice(name, [*trials, guess], camera, limits)
    if found is not None and found.feasible and found.level is not None and found.exposure_s is not None:
        return Try(found.level, found.exposure_s, "by the other filters")
    return _extreme(found is not None and found.reason.startswith("too bright"), limits)


def _as_the_others(
    name: str, trials: Sequence[Trial], camera: Camera, light: Mapping[str, float]
) -> Trial | None:
    """A trial of it that nobody took, made of the one of another filter that is most like it."""
    model = fit_panel(trials, camera)
    if model is None or name not in light:
        return None
    others = [t for t in trials if t.filter in model.filters and t.filter in light]
    if not others:
        return None
    like = min(others, key=lambda t: abs(math.log(light[t.filter] / light[name])))
    rate = model.brightness(like.filter, like.level).rate_adu_s * light[name] / light[like.filter]
    # of a length that shows it neither dark nor clipped: only the rate is told by it
    exposure_s = 0.3 * camera.full_scale_adu / rate
    return Trial(name, like.level, exposure_s, camera.bias_adu + rate * exposure_s)


def _extreme(too_bright: bool, limits: Limits) -> Try:
    if too_bright:
        return Try(max(limits.lowest_level, 1), limits.least_exposure_s, "the dimmest there is")
    return Try(max(limits.highest_level, 1), limits.most_exposure_s, "the brightest there is")


def _toward(
    name: str,
    own: Sequence[Trial],
    trials: Sequence[Trial],
    found: FilterAdvice,
    camera: Camera,
    limits: Limits,
) -> Try | FilterAdvice:
    """It looks as if it couldn't be done: sure where a trial says so, else one at the end."""
    model = fit_panel(trials, camera)
    last = own[-1]
    if model is None or name not in model.filters:
        clipped = last.clipped(camera)
        end = _extreme(clipped, limits)
        if not _tried(end, own):
            return _changed(last, 1 / _DIMMER if clipped else _BRIGHTER, limits)
        # too bright for certain; how much, a shorter one tells, whether it is clean or not
        shorter_s = last.exposure_s / _DIMMER
        if clipped and shorter_s >= _SHORTEST_S:
            return Try(end.level, shorter_s, "too short for a flat: how much too bright it is")
        return found
    if found.reason.startswith("between"):
        return _between(own, camera, limits) or found
    too_bright = found.reason.startswith("too bright")
    end = _extreme(too_bright, limits)
    if any(t.level == end.level and not t.clipped(camera) and not t.too_dark(camera) for t in own):
        return found
    there = model.brightness(name, end.level)
    edge = (limits.high_adu if too_bright else limits.low_adu) - camera.bias_adu
    beyond = math.log(there.rate_adu_s * end.exposure_s / edge) * (1 if too_bright else -1)
    apart = min(abs(math.log(end.level / max(t.level, 1))) for t in own)
    if beyond > _SURE_SIGMAS * there.sigma_share + _CURVE_MAY_BE_OFF * apart or _tried(end, own):
        return found
    return end


def _between(own: Sequence[Trial], camera: Camera, limits: Limits) -> Try | None:
    """A step between those that are known to be too dark and too bright; None where there is none."""
    dark, bright = max(limits.lowest_level, 1) - 1, max(limits.highest_level, 1) + 1
    for trial in own:
        rate = trial.rate_adu_s(camera)
        if camera.bias_adu + rate * limits.most_exposure_s < limits.low_adu and not trial.clipped(camera):
            dark = max(dark, trial.level)
        if camera.bias_adu + rate * limits.least_exposure_s > limits.high_adu:
            bright = min(bright, trial.level)
    if bright - dark <= 1:
        return None
    level = min(max(round(math.sqrt(max(dark, 1) * bright)), dark + 1), bright - 1)
    return Try(level, limits.least_exposure_s, "a step between too dark and too bright")


def _changed(last: Trial, factor: float, limits: Limits) -> Try:
    """So much more or less light than a trial that told nothing, by the exposure first, then by the level."""
    low, high = max(limits.lowest_level, 1), max(limits.highest_level, 1)
    least_s = min(limits.least_exposure_s, last.exposure_s)
    exposure_s = min(max(last.exposure_s * factor, least_s), limits.most_exposure_s)
    left = factor / (exposure_s / last.exposure_s)
    level = round(min(max(max(last.level, 1) * left, low), high))
    why = "the last one was too dark to tell" if factor > 1 else "the last one was clipped"
    wanted = Try(level, exposure_s, why)
    return wanted if not _tried(wanted, [last]) else replace(_extreme(factor < 1, limits), why=why)
