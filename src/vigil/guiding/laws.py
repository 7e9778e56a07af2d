"""Control laws: from where the star stands on one axis to how far it is sent back. Arc-seconds throughout; +
moves the star to smaller values."""

import math
from dataclasses import dataclass, field
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.periods import strongest_waves

Floats = NDArray[np.float64]

LawName = Literal["proportional", "predictive", "damped", "one-sided"]
LAWS: tuple[LawName, ...] = ("proportional", "predictive", "damped", "one-sided")


@dataclass(frozen=True, slots=True)
class AxisSettings:
    """Of one axis. `strength` is the share of the error that is taken back, under `dead_band_arcsec` nothing
    is. `period_s` is that of the worm where it is known (predictive), `wave_arcsec` about how large its first
    wave is. `towards` is the only way that is corrected (one-sided): +1 moves the star to smaller values; 0
    learns it from the drift."""

    law: LawName = "proportional"
    strength: float = 0.7
    dead_band_arcsec: float = 0.2
    longest_pulse_ms: int = 2000
    period_s: float | None = None
    wave_arcsec: float | None = None
    towards: int = 0


class Law(Protocol):
    """`correction` is asked once a frame: where the star stands, when (the exposure's middle, s), and how
    long until the middle of the next. What it answers is done before that; `took` hears what was really
    done. `rest` is called when no pulse waits for it: what takes a while is done there."""

    strength: float
    dead_band_arcsec: float

    def correction(self, error_arcsec: float, at_s: float, next_in_s: float) -> float: ...

    def took(self, arcsec: float) -> None: ...

    def rest(self) -> None: ...


def law_of(settings: AxisSettings) -> Law:
    """Fresh, with nothing learnt."""
    if settings.law == "predictive":
        return Predictive(
            settings.strength, settings.dead_band_arcsec, settings.period_s, settings.wave_arcsec
        )
    if settings.law == "damped":
        return Damped(settings.strength, settings.dead_band_arcsec)
    if settings.law == "one-sided":
        return OneSided(settings.strength, settings.dead_band_arcsec, settings.towards)
    return Proportional(settings.strength, settings.dead_band_arcsec)


@dataclass(slots=True)
class Proportional:
    """A share of every error over the dead band."""

    strength: float
    dead_band_arcsec: float

    def correction(self, error_arcsec: float, at_s: float, next_in_s: float) -> float:
        return self.strength * error_arcsec if abs(error_arcsec) > self.dead_band_arcsec else 0.0

    def took(self, arcsec: float) -> None: ...

    def rest(self) -> None: ...


_SMOOTH_FRAMES = 3.0
_TURNS_AFTER = 3
_TURN_BAND = 1.5


@dataclass(slots=True)
class Damped:
    """For an axis whose gears have play: it corrects a smoothed error, and turns back only when the error has
    stood on the other side, beyond one and a half dead bands, for three frames: a single gust or bad moment
    of the air never sends it through its backlash."""

    strength: float
    dead_band_arcsec: float
    _mean: float = 0.0
    _way: int = 0
    _against: int = 0

    def correction(self, error_arcsec: float, at_s: float, next_in_s: float) -> float:
        self._mean += (error_arcsec - self._mean) / _SMOOTH_FRAMES
        way = int(math.copysign(1, self._mean))
        turns = self._way not in (0, way)
        self._against = (
            self._against + 1 if turns and abs(self._mean) > _TURN_BAND * self.dead_band_arcsec else 0
        )
        if abs(self._mean) <= self.dead_band_arcsec or (turns and self._against < _TURNS_AFTER):
            return 0.0
        return self.strength * self._mean

    def took(self, arcsec: float) -> None:
        if arcsec:
            self._way, self._against = int(math.copysign(1, arcsec)), 0
            self._mean -= arcsec

    def rest(self) -> None: ...


_DRIFT_FRAMES = 60


@dataclass(slots=True)
class OneSided:
    """Corrects one way only, so that the gears always lie on the same side: for a declination that drifts
    steadily. What pushed the star the other way is left to the drift to bring back."""

    strength: float
    dead_band_arcsec: float
    towards: int = 0
    _places: list[tuple[float, float]] = field(default_factory=list)
    _done: float = 0.0

    def correction(self, error_arcsec: float, at_s: float, next_in_s: float) -> float:
        if not self.towards:
            self._places.append((at_s, error_arcsec + self._done))
            if len(self._places) < _DRIFT_FRAMES:  # until then both ways
                return self.strength * error_arcsec if abs(error_arcsec) > self.dead_band_arcsec else 0.0
            at, where = np.array(self._places).T
            self.towards = 1 if np.polyfit(at - at[0], where, 1)[0] > 0 else -1
        right = error_arcsec * self.towards > self.dead_band_arcsec
        return self.strength * error_arcsec if right else 0.0

    def took(self, arcsec: float) -> None:
        self._done += arcsec

    def rest(self) -> None: ...


_HARMONICS = 6
_HARMONICS_SHARE = 0.6
"""What is thought of a worm's harmonics beside its first wave, over their number's square. Thought much
larger, they and a drift explain half a turn of a wave well and foretell its other half badly."""
_AMPLITUDE_ARCSEC, _DRIFT_ARCSEC_S = 8.0, 0.05
"""What is thought of a worm's first wave, where nobody knows it, and of the drift before anything is seen."""
_TREND_WALK, _WAVE_WALK = 2e-5, 0.002
"""Arc-seconds (for the trend a second) by which they may change in a root of a second."""
_FIRST_WALK, _LEAST_WALK, _MOST_WALK, _WALK_LEARNS = 0.15, 0.005, 1.5, 0.04
"""The same of the level; it is learnt."""
_FIRST_NOISE_ARCSEC = 0.5
_NOISE_FRAMES = 60
_LOOKS_FOR_PERIOD_EVERY, _SHORTEST_S, _LONGEST_S = 60, 60.0, 1500.0
_CYCLES_NEEDED, _OF_LONGEST, _AS_GOOD, _MOST_SEARCHED = 1.6, 0.9, 0.01, 800
_WILD_SIGMAS = 5.0


class Predictive:
    """Learns the mount's own slow error, a drift and waves of the worm, and goes ahead of it; what stands off
    nevertheless is taken back as the proportional law does.

    The error that the star would have without corrections is followed by a Kalman filter of level, trend and
    harmonics of one period, each free to wander a little: the finite form (Solin & Särkkä 2014, J. Mach.
    Learn. Res. W&CP 33, 904) of a Gaussian process with a periodic kernel, which Klenske, Zeilinger,
    Schölkopf & Hennig (2016, IEEE Trans. Control Syst. Technol. 24, 110) proposed for this. The seeing's
    scatter and how fast the level wanders are learnt too: as long as one surprise follows another of the
    same sign, the level wanders faster than was thought, and where they alternate, slower (Mehra 1970, IEEE
    Trans. Autom. Control 15, 175). So it begins much as the proportional law.
    """

    def __init__(
        self,
        strength: float,
        dead_band_arcsec: float,
        period_s: float | None = None,
        wave_arcsec: float | None = None,
    ) -> None:
        self.strength, self.dead_band_arcsec, self.period_s = strength, dead_band_arcsec, period_s
        self._known, self._wave_arcsec = period_s is not None, wave_arcsec or _AMPLITUDE_ARCSEC
        self._done = 0.0
        self._at: float | None = None
        self._noise2 = _FIRST_NOISE_ARCSEC**2
        self._walk, self._last_off = _FIRST_WALK, 0.0
        self._counted = 0
        self._history: list[tuple[float, float]] = []
        self._begin()

    def _begin(self) -> None:
        waves = _HARMONICS if self.period_s else 0
        self._state = np.zeros(2 + 2 * waves)
        shares = [1.0, *(_HARMONICS_SHARE / number**2 for number in range(2, _HARMONICS + 1))][:waves]
        spread = [100.0, _DRIFT_ARCSEC_S, *np.repeat(shares, 2) * self._wave_arcsec]
        self._cov = np.diag(np.square(spread))
        self._at = None

    def _moves(self, seconds: float) -> tuple[Floats, Floats]:
        """The state's way onward, and what becomes unknown meanwhile."""
        size = len(self._state)
        onward, unknown = np.eye(size), np.zeros((size, size))
        onward[0, 1] = seconds
        unknown[0, 0] = self._walk**2 * seconds + _TREND_WALK**2 * seconds**3 / 3
        unknown[0, 1] = unknown[1, 0] = _TREND_WALK**2 * seconds**2 / 2
        unknown[1, 1] = _TREND_WALK**2 * seconds
        for k in range((size - 2) // 2):
            assert self.period_s is not None, "it has waves"
            turn = 2 * math.pi * (k + 1) * seconds / self.period_s
            i = 2 + 2 * k
            onward[i : i + 2, i : i + 2] = [
                [math.cos(turn), math.sin(turn)],
                [-math.sin(turn), math.cos(turn)],
            ]
            unknown[i, i] = unknown[i + 1, i + 1] = (_WAVE_WALK / (k + 1)) ** 2 * seconds
        return onward, unknown

    @property
    def _seen(self) -> Floats:
        seen = np.zeros(len(self._state))
        seen[0] = 1.0
        seen[2::2] = 1.0
        return seen

    def correction(self, error_arcsec: float, at_s: float, next_in_s: float) -> float:
        self._follow(error_arcsec + self._done, at_s)
        if not self._known:
            self._history.append((at_s, error_arcsec + self._done))
        onward, _ = self._moves(next_in_s)
        ahead = onward @ self._state - self._state
        goes = float(ahead[0] + ahead[2::2].sum())
        stands = float(self._seen @ self._state) - self._done
        back = self.strength * stands if abs(stands) > self.dead_band_arcsec else 0.0
        return back + goes

    def took(self, arcsec: float) -> None:
        self._done += arcsec

    def _follow(self, uncorrected: float, at_s: float) -> None:
        if self._at is not None:
            onward, unknown = self._moves(at_s - self._at)
            self._state = onward @ self._state
            self._cov = onward @ self._cov @ onward.T + unknown
        self._at = at_s
        seen = self._seen
        off = uncorrected - float(seen @ self._state)
        known2 = float(seen @ self._cov @ seen)
        sigma2 = known2 + self._noise2
        if self._counted > _NOISE_FRAMES and off**2 > _WILD_SIGMAS**2 * sigma2:
            self._cov[0, 0] += off**2 / 4  # a gust, a dither, a jump: the level may be elsewhere now
            return
        gain = self._cov @ seen / sigma2
        self._state = self._state + gain * off
        self._cov = self._cov - np.outer(gain, seen @ self._cov)
        self._counted += 1
        grows = off * self._last_off / sigma2
        self._walk *= math.exp(_WALK_LEARNS * max(-1.0, min(1.0, grows)))
        self._walk = min(max(self._walk, _LEAST_WALK), _MOST_WALK)
        self._last_off = off
        # as long as the state is hardly known, a surprise says nothing of the noise: weighted by its variance
        share = (self._noise2 / sigma2) ** 2 / min(self._counted + 2, _NOISE_FRAMES)
        self._noise2 = max(self._noise2 + share * (off**2 - known2 - self._noise2), 0.02**2)

    def rest(self) -> None:
        """Look for the period where none is known: once a wave has been seen to go round more than once and a
        half. A longer record may show another."""
        if self._known or not self._history or len(self._history) % _LOOKS_FOR_PERIOD_EVERY:
            return
        at, where = np.array(self._history).T
        longest = min((at[-1] - at[0]) / _CYCLES_NEEDED, _LONGEST_S)
        if longest <= _SHORTEST_S:
            return
        every = len(at) // _MOST_SEARCHED + 1
        waves = strongest_waves(at[::every], where[::every], _SHORTEST_S, longest, most=2)
        # the slope of a longer wave looks like one as long as the search goes
        waves = [wave for wave in waves if wave.period_s < _OF_LONGEST * longest]
        now = self.period_s
        if not waves or (now is not None and abs(waves[0].period_s - now) < _AS_GOOD * now):
            return
        self.period_s = waves[0].period_s
        self._begin()
        for then, place in self._history:
            self._follow(place, then)
