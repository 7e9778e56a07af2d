"""What a guide frame means: go on, let it be, look wider, another star, wait for a cloud, give up."""

import math
from collections import deque
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import pairwise
from statistics import fmean, median

from scipy.special import stdtrit

_WILD_SIGMAS, _WILD_LEAST_ARCSEC, _KNOWN_AFTER, _MEMORY = 5.0, 1.0, 12, 40
_CLOUD_LIGHT, _FADING_LIGHT = 0.5, 0.75
"""Of the usual light: the stars are dimmed; they were fading when last seen."""
_WAITS, _SEARCHES, _OTHERS = 3, 5, 4
"""Frames without a star that are waited for, then looked wider in; then choices of another star."""
WAIT_CLOUD_S, MOST_CLOUD_S, WAIT_OTHER_S = 20.0, 600.0, 10.0
_WRONG_FRAMES, _WRONG_LEAST, _WRONG_WAY, _WRONG_ARCSEC, _WRONG_SPREAD = 8, 4, 0.35, 3.0, 0.1
_WRONG_SURE = 0.99865
"""The air moves a star too, now and then along with a correction: it has to be as sure as three sigmas are,
by Student's t, for of so few frames the scatter itself is hardly known."""


class Mean(StrEnum):
    """What to do with a frame."""

    CORRECT = "correct"
    WILD = "wild"
    """One sample far from the others: marked, not chased."""
    WAIT = "wait"
    SEARCH = "search wider"
    CLOUD = "cloud"
    """Wait, and look for stars again."""
    OTHER = "another star"
    CALIBRATE = "calibrate again"
    """Corrections take the star the wrong way."""
    HOLD = "hold"


@dataclass(frozen=True, slots=True)
class Verdict:
    """With the reason in words; `wait_s` before the next frame."""

    mean: Mean
    words: str = ""
    wait_s: float = 0.0


@dataclass(slots=True)
class _Axis:
    errors: deque[float] = field(default_factory=lambda: deque(maxlen=_MEMORY))
    moved: deque[tuple[float, float]] = field(default_factory=lambda: deque(maxlen=_WRONG_FRAMES))

    @property
    def rms(self) -> float:
        return math.sqrt(sum(e * e for e in self.errors) / len(self.errors)) if self.errors else 0.0

    def goes_wrong(self, error: float) -> bool:
        """Whether the star goes farther off for what is sent: by how its steps follow the corrections (a
        drift that outruns them is in all steps alike); with all of one length, whether it goes along."""
        if len(self.moved) < _WRONG_LEAST or abs(error) < _WRONG_ARCSEC:
            return False
        sent = [pulse for _, pulse in self.moved]
        places = [place for place, _ in self.moved] + [error]
        steps = [after - before for before, after in pairwise(places)]
        mean_sent, mean_step = fmean(sent), fmean(steps)
        spread = sum((s - mean_sent) ** 2 for s in sent)
        if math.sqrt(spread / len(sent)) > _WRONG_SPREAD * abs(mean_sent):
            slope = sum((s - mean_sent) * (t - mean_step) for s, t in zip(sent, steps, strict=True)) / spread
            left = [t - mean_step - slope * (s - mean_sent) for s, t in zip(sent, steps, strict=True)]
            error_of_slope = math.sqrt(sum(r * r for r in left) / (len(left) - 2) / spread)
            return slope > max(_WRONG_WAY, _sigmas(len(left) - 2) * error_of_slope)
        error_of_mean = math.sqrt(sum((t - mean_step) ** 2 for t in steps) / (len(steps) - 1) / len(steps))
        along = mean_sent * mean_step > 0 and abs(mean_step) > _WRONG_WAY * abs(mean_sent)
        return along and abs(mean_step) > _sigmas(len(steps) - 1) * error_of_mean


def _sigmas(freedom: int) -> float:
    return float(stdtrit(freedom, _WRONG_SURE))


@dataclass(slots=True)
class GuideWatch:
    """Is told of every frame, in order. Its ladder is the same whatever stopped the guiding: wait, search
    wider, another star, calibrate anew, hold; a cloud is waited for, as long as `MOST_CLOUD_S`."""

    may_calibrate: bool = True
    _axes: tuple[_Axis, _Axis] = field(default_factory=lambda: (_Axis(), _Axis()))
    _light: deque[float] = field(default_factory=lambda: deque(maxlen=_MEMORY))
    _frames: int = 0
    _wild_before: bool = False
    _gone: int = 0
    _others: int = 0
    _dim_since_s: float | None = None
    _fading: bool = False
    _calibrated: bool = False

    def frame(self, at_s: float, error_arcsec: tuple[float, float] | None, light_adu: float) -> Verdict:
        """Where the star stands against where it should, None where it wasn't seen."""
        usual = median(self._light) if len(self._light) >= _KNOWN_AFTER else 0.0
        if error_arcsec is None:
            return self._unseen(at_s)
        dimmed = bool(usual) and light_adu < _CLOUD_LIGHT * usual
        self._fading = bool(usual) and light_adu < _FADING_LIGHT * usual
        self._gone = 0
        if not dimmed:
            self._dim_since_s = None
            self._light.append(light_adu)
        elif self._dim_since_s is None:
            self._dim_since_s = at_s
        wrong = self._wrong_way(error_arcsec)
        if wrong is not None:
            return wrong
        if self._wild(error_arcsec):
            return Verdict(Mean.WILD, "a wild sample, not chased")
        self._frames += 1
        for axis, error in zip(self._axes, error_arcsec, strict=True):
            axis.errors.append(error)
        return Verdict(Mean.CORRECT, f"{100 * (1 - light_adu / usual):.0f} % dimmer" if dimmed else "")

    def corrected(self, error_arcsec: tuple[float, float], sent_arcsec: tuple[float, float]) -> None:
        """What was done about a frame."""
        for axis, error, sent in zip(self._axes, error_arcsec, sent_arcsec, strict=True):
            axis.moved.append((error, sent))

    def chosen(self) -> None:
        """Other stars, or the same anew: what was usual is learnt again."""
        self._light.clear()
        self._gone, self._wild_before, self._frames = 0, False, 0
        self._dim_since_s, self._fading = None, False
        self.moved_on_purpose()

    def found_again(self) -> None:
        """Stars hold: the next loss begins at the ladder's foot."""
        self._others = 0
        self._dim_since_s = None

    def nothing_there(self, at_s: float) -> None:
        """No star at all was found: that is no lost star."""
        self._dim_since_s = self._dim_since_s if self._dim_since_s is not None else at_s

    def calibrated(self) -> None:
        """Anew, which is worth while once."""
        self._calibrated = True

    def moved_on_purpose(self) -> None:
        """A dither, or other settings: what went before says nothing of what comes."""
        for axis in self._axes:
            axis.errors.clear()
            axis.moved.clear()
        self._frames = 0

    def _wild(self, error: tuple[float, float]) -> bool:
        """One alone; a second one after it is real."""
        if self._frames < _KNOWN_AFTER:
            return False
        far = any(
            abs(e) > max(_WILD_SIGMAS * axis.rms, _WILD_LEAST_ARCSEC)
            for axis, e in zip(self._axes, error, strict=True)
        )
        wild = far and not self._wild_before
        self._wild_before = wild
        return wild

    def _wrong_way(self, error: tuple[float, float]) -> Verdict | None:
        for name, axis, e in zip(("right ascension", "declination"), self._axes, error, strict=True):
            if axis.goes_wrong(e):
                words = f"corrections in {name} take the star the wrong way"
                if self.may_calibrate and not self._calibrated:
                    return Verdict(Mean.CALIBRATE, words)
                return Verdict(
                    Mean.HOLD, f"{words}, with a fresh calibration too" if self._calibrated else words
                )
        return None

    def _unseen(self, at_s: float) -> Verdict:
        self._gone += 1
        for axis in self._axes:  # what the star did meanwhile is nobody's correction
            axis.moved.clear()
        if self._fading or self._dim_since_s is not None:
            if self._dim_since_s is None:
                self._dim_since_s = at_s
            waited_s = at_s - self._dim_since_s
            if waited_s > MOST_CLOUD_S:
                return Verdict(Mean.HOLD, f"cloud: no star for {waited_s / 60:.0f} min")
            return Verdict(Mean.CLOUD, "the stars faded, and are gone: cloud", WAIT_CLOUD_S)
        if self._gone <= _WAITS:
            return Verdict(Mean.WAIT, "the star is not seen")
        if self._gone <= _WAITS + _SEARCHES:
            return Verdict(Mean.SEARCH, "the star is lost: looking wider")
        self._others += 1
        if self._others > _OTHERS:
            return Verdict(Mean.HOLD, f"the star is lost, and no other was found {_OTHERS} times")
        return Verdict(Mean.OTHER, "the star is lost: another one", WAIT_OTHER_S if self._others > 1 else 0.0)
