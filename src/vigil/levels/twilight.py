"""Flats of the twilight sky: when each filter has its turn, and how long the next frame is exposed while the
light falls or rises under it."""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_TRUST = 0.7
"""How much of what a frame shows beside its prediction is believed: clouds pass, and a model may be off."""
_MOST_STEP = 4.0
"""A single frame changes what is believed of the sky by no more than this factor."""
_IN_HAND_S = 480.0
"""At dawn each filter begins so much before it must."""


@dataclass(frozen=True)
class SkyCourse:
    """The sky's light against time: seconds, rising evenly, and brightness in any unit, above 0."""

    at_s: Floats
    light: Floats

    def __post_init__(self) -> None:
        if len(self.at_s) < 2 or np.any(np.diff(self.at_s) <= 0) or np.any(self.light <= 0):
            raise ValueError("a sky's course: times one after another, light above 0")

    @property
    def falls(self) -> bool:
        """Whether it is dusk."""
        return bool(self.light[-1] < self.light[0])

    def mirrored(self) -> "SkyCourse":
        """The same backwards in time: what rises falls."""
        return SkyCourse(self.at_s[-1] + self.at_s[0] - self.at_s[::-1], self.light[::-1])

    @cached_property
    def _sums(self) -> Floats:
        """Light since the beginning at each time."""
        means = (self.light[1:] + self.light[:-1]) / 2
        return np.concatenate([[0.0], np.cumsum(np.diff(self.at_s) * means)])

    def gathered(self, to_s: float | Floats) -> Floats:
        """Light since the beginning, brightness times seconds."""
        return np.asarray(np.interp(to_s, self.at_s, self._sums))

    def exposure_s(self, from_s: float, wanted: float) -> float:
        """How long from then on until so much light is gathered; infinite where the course ends before."""
        sums = self._sums
        until = float(np.interp(from_s, self.at_s, sums)) + wanted
        if until > sums[-1]:
            return float("inf")
        return float(np.interp(until, sums, self.at_s)) - from_s


@dataclass(frozen=True, slots=True)
class SkyFilter:
    """A filter and what it makes of the sky: ADU over the bias for one second of one unit of light."""

    name: str
    adu_s: float

    def after(self, measured_adu: float, predicted_adu: float) -> "SkyFilter":
        """Corrected by a frame: both are over the bias."""
        step = float(np.clip(max(measured_adu, 1e-6) / predicted_adu, 1 / _MOST_STEP, _MOST_STEP))
        return replace(self, adu_s=self.adu_s * step**_TRUST)


@dataclass(frozen=True, slots=True)
class TwilightLimits:
    """`aim_adu` is over the bias; `between_s` passes from a frame's end to the next one's beginning."""

    aim_adu: float
    least_exposure_s: float
    most_exposure_s: float
    between_s: float


@dataclass(frozen=True, slots=True)
class SkyTurn:
    """One filter's frames: when each begins, and how long it is."""

    name: str
    frames: tuple[tuple[float, float], ...]

    @property
    def ends_s(self) -> float:
        at_s, exposure_s = self.frames[-1]
        return at_s + exposure_s


def in_order(filters: Sequence[SkyFilter], course: SkyCourse) -> list[SkyFilter]:
    """The darkest first while the light falls, last while it rises."""
    return sorted(filters, key=lambda one: one.adu_s, reverse=not course.falls)


def turns(
    filters: Sequence[SkyFilter],
    course: SkyCourse,
    limits: TwilightLimits,
    count: int,
    change_s: float,
    from_s: float | None = None,
) -> list[SkyTurn]:
    """One filter after the other as soon as its exposure is inside the limits; those that get fewer than
    `count` frames, or none, are told by their shorter turns."""
    at_s = float(course.at_s[0]) if from_s is None else from_s
    made = []
    for one in in_order(filters, course):
        frames: list[tuple[float, float]] = []
        while len(frames) < count:
            found = next_frame(one, course, limits, at_s)
            if found is None:
                break
            frames.append(found)
            at_s = found[0] + found[1] + limits.between_s
        made.append(SkyTurn(one.name, tuple(frames)))
        at_s += change_s if frames else 0.0
    return made


def next_frame(
    one: SkyFilter, course: SkyCourse, limits: TwilightLimits, from_s: float
) -> tuple[float, float] | None:
    """When the next frame can begin, and its exposure; None where its time is over, or doesn't come. It waits
    where the sky is still too bright at dusk, or still too dark at dawn."""
    wanted = limits.aim_adu / one.adu_s
    at_s = max(from_s, float(course.at_s[0]))
    while at_s < course.at_s[-1]:
        exposure_s = course.exposure_s(at_s, wanted)
        if limits.least_exposure_s <= exposure_s <= limits.most_exposure_s:
            return at_s, exposure_s
        too_bright = exposure_s < limits.least_exposure_s
        if too_bright != course.falls:
            return None  # too dark at dusk, or too bright at dawn: it only gets worse
        at_s += limits.between_s or 1.0
    return None


def expected_turns(
    filters: Sequence[SkyFilter], course: SkyCourse, limits: TwilightLimits, count: int, change_s: float
) -> list[SkyTurn]:
    """As `next_shot` will have them if the sky is as believed: at dawn reckoned from its end backwards."""
    if course.falls:
        return turns(filters, course, limits, count, change_s)
    whole_s = float(course.at_s[-1] + course.at_s[0])
    backwards = turns(filters, course.mirrored(), limits, count, change_s)
    return [
        SkyTurn(turn.name, tuple((whole_s - at_s - exp_s, exp_s) for at_s, exp_s in reversed(turn.frames)))
        for turn in reversed(backwards)
    ]


@dataclass(frozen=True, slots=True)
class SkyShot:
    """The next frame: of which filter, when it can begin, and its exposure."""

    name: str
    at_s: float
    exposure_s: float


def next_shot(
    filters: Sequence[SkyFilter],
    course: SkyCourse,
    limits: TwilightLimits,
    missing: Mapping[str, int],
    at_s: float,
    in_beam: str,
    change_s: float,
) -> SkyShot | None:
    """What to take next, `missing` frames of each filter; None where no filter has a time left.

    At dusk every filter begins as soon as it can, the darkest first. At dawn each begins as late as lets all
    frames of it and of those after it be done, less `_IN_HAND_S` for a sky that is not as believed.
    """
    wanted = [one for one in in_order(filters, course) if missing.get(one.name, 0) > 0]
    latest = {} if course.falls else _latest_begins(wanted, course, limits, missing, change_s)
    for one in wanted:
        from_s = at_s if one.name == in_beam else at_s + change_s
        from_s = max(from_s, latest.get(one.name, from_s))
        found = next_frame(one, course, limits, from_s)
        if found is not None:
            return SkyShot(one.name, *found)
    return None


def _latest_begins(
    wanted: Sequence[SkyFilter],
    course: SkyCourse,
    limits: TwilightLimits,
    missing: Mapping[str, int],
    change_s: float,
) -> dict[str, float]:
    """Of each filter at dawn: reckoned from the end backwards, where dawn is a dusk."""
    back, whole_s = course.mirrored(), float(course.at_s[-1] + course.at_s[0])
    found, from_s = dict[str, float](), float(back.at_s[0])
    for one in in_order(wanted, back):
        (turn,) = turns([one], back, limits, missing[one.name], change_s, from_s)
        if turn.frames:
            from_s = turn.ends_s + limits.between_s + change_s
            found[one.name] = whole_s - turn.ends_s - _IN_HAND_S
    return found


@dataclass(frozen=True, slots=True)
class SkyBelief:
    """What is believed of all filters: a cloud that one of them shows is before the others too."""

    filters: tuple[SkyFilter, ...]
    tried: frozenset[str] = frozenset()

    def of(self, name: str) -> SkyFilter:
        return next(one for one in self.filters if one.name == name)

    def after(self, name: str, measured_adu: float, predicted_adu: float) -> "SkyBelief":
        """By a frame, both over the bias. A filter's first one tells of that filter, the very first of all
        and every later one of the sky."""
        of_the_sky = not self.tried or name in self.tried
        changed = tuple(
            one.after(measured_adu, predicted_adu) if of_the_sky or one.name == name else one
            for one in self.filters
        )
        return SkyBelief(changed, self.tried | {name})


def dark_lengths_s(exposures_s: Iterable[float]) -> list[float]:
    """The lengths of dark flats that serve flats of all these exposures: powers of two, none more than √2
    away from what it is for. What is dark in a flat of the sky is a few electrons beside thousands."""
    return sorted({2.0 ** round(math.log2(exposure_s)) for exposure_s in exposures_s})
