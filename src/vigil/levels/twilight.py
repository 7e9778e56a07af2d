"""Flats of the twilight sky: when each filter has its turn, and how long the next frame is exposed while the
light falls or rises under it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_TRUST = 0.7
"""How much of what a frame shows beside its prediction is believed: clouds pass, and a model may be off."""
_MOST_STEP = 4.0
"""A single frame changes what is believed of the sky by no more than this factor."""


@dataclass(frozen=True, slots=True)
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

    def _sums(self) -> Floats:
        """Light since the beginning at each time."""
        means = (self.light[1:] + self.light[:-1]) / 2
        return np.concatenate([[0.0], np.cumsum(np.diff(self.at_s) * means)])

    def gathered(self, to_s: float | Floats) -> Floats:
        """Light since the beginning, brightness times seconds."""
        return np.asarray(np.interp(to_s, self.at_s, self._sums()))

    def exposure_s(self, from_s: float, wanted: float) -> float:
        """How long from then on until so much light is gathered; infinite where the course ends before."""
        sums = self._sums()
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
    filters: Sequence[SkyFilter], course: SkyCourse, limits: TwilightLimits, count: int, change_s: float
) -> list[SkyTurn]:
    """One filter after the other as soon as its exposure is inside the limits; those that get fewer than
    `count` frames, or none, are told by their shorter turns."""
    at_s = float(course.at_s[0])
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
    at_s = from_s
    while at_s < course.at_s[-1]:
        exposure_s = course.exposure_s(at_s, wanted)
        if limits.least_exposure_s <= exposure_s <= limits.most_exposure_s:
            return at_s, exposure_s
        too_bright = exposure_s < limits.least_exposure_s
        if too_bright != course.falls:
            return None  # too dark at dusk, or too bright at dawn: it only gets worse
        at_s += limits.between_s or 1.0
    return None
