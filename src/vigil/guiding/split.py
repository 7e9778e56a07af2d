"""What a star does by itself, split: the mount's slow error, which guiding can take back, and the seeing,
which it can't."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from vigil.guiding.periods import Wave, strongest_waves

Floats = NDArray[np.float64]

_SHORTEST_WAVE_FRAMES, _SHORTEST_WAVE_S = 8.0, 12.0
_LONGEST_WAVE_OF_SPAN = 0.75
_FLATTENS_HZ = 0.02
"""Under which the dance of the seeing grows no more: the outer scale's passing."""
_ALIASES = 3
_SURELY_WALKS = 4.6
"""By how much the logarithm of the likelihood must grow for a wandering to be believed (0.1 % by chance)."""


@dataclass(frozen=True, slots=True)
class Split:
    """`slow_arcsec` at each frame: the straight drift, the waves, and what wanders; `seeing_arcsec` is what
    is left. `walk_arcsec_rs` is how far it wanders in the root of a second."""

    at_s: Floats
    slow_arcsec: Floats
    seeing_arcsec: Floats
    drift_arcsec_min: float
    waves: tuple[Wave, ...]
    walk_arcsec_rs: float

    @property
    def seeing_rms_arcsec(self) -> float:
        return float(np.sqrt(np.mean(self.seeing_arcsec**2)))

    @property
    def slow_rms_arcsec(self) -> float:
        """About its mean."""
        return float(np.std(self.slow_arcsec))


def split(at_s: Floats, uncorrected_arcsec: Floats, exposure_s: float | None = None) -> Split:
    """Of a record without corrections, or one they were taken out of. Frames are thought to follow each other
    without a pause unless the exposure is given.

    Waves are found first (`periods.py`). What is left has the seeing's spectrum, f^(−2/3) from the outer
    scale to where a small telescope averages it (Tyler 1994, J. Opt. Soc. Am. A 11, 358), seen through the
    exposure, and where the data speak for it a random walk's, f^(−2): their strengths are the likeliest by
    the periodogram (Whittle 1953, Ark. Mat. 2, 423); the walk itself is taken out by the Wiener filter of
    both.
    """
    step_s = float(np.median(np.diff(at_s)))
    span = float(at_s[-1] - at_s[0])
    shortest = max(_SHORTEST_WAVE_FRAMES * step_s, _SHORTEST_WAVE_S)
    waves = tuple(strongest_waves(at_s, uncorrected_arcsec, shortest, _LONGEST_WAVE_OF_SPAN * span))
    smooth, drift = _smooth(at_s, uncorrected_arcsec, waves)
    left = uncorrected_arcsec - smooth
    walk, strength = _walk(at_s, left, step_s, exposure_s or step_s)
    return Split(
        at_s=at_s,
        slow_arcsec=smooth + walk,
        seeing_arcsec=left - walk,
        drift_arcsec_min=60 * drift,
        waves=waves,
        walk_arcsec_rs=strength,
    )


def _smooth(at_s: Floats, where: Floats, waves: tuple[Wave, ...]) -> tuple[Floats, float]:
    """Mean, drift and waves together; and the drift (″/s)."""
    t = at_s - at_s.mean()
    columns = [np.ones_like(t), t]
    for wave in waves:
        turn = 2 * np.pi * at_s / wave.period_s
        columns += [np.sin(turn), np.cos(turn)]
    a = np.stack(columns, axis=1)
    factors = np.linalg.lstsq(a, where, rcond=None)[0]
    return a @ factors, float(factors[1])


def seeing_shape(hz: Floats, step_s: float, exposure_s: float) -> Floats:
    """The seeing's spectrum as frames see it, in any unit: averaged over exposures, and what lies beyond half
    the rate of frames folded back."""
    total = np.zeros_like(hz)
    for k in range(-_ALIASES, _ALIASES + 1):
        real = np.abs(hz + k / step_s)
        total += np.maximum(real, _FLATTENS_HZ) ** (-2 / 3) * np.sinc(real * exposure_s) ** 2
    return total


def _walk(at_s: Floats, left: Floats, step_s: float, exposure_s: float) -> tuple[Floats, float]:
    """The wandering part, zeros where none is believed; and its strength."""
    count = len(left)
    even = np.interp(at_s[0] + step_s * np.arange(count), at_s, left)
    hz = np.asarray(np.fft.rfftfreq(count, step_s)[1:], dtype=np.float64)
    power = np.abs(np.fft.rfft(even - even.mean())[1:]) ** 2 * 2 * step_s / count
    air = seeing_shape(hz, step_s, exposure_s)
    steps = 2 / (2 * np.pi * hz) ** 2
    """One-sided, of a walk of one arc-second in the root of a second."""

    def unlikely(parts: Floats) -> float:
        model = np.exp(parts[0]) * air + (np.exp(parts[1]) * steps if len(parts) > 1 else 0.0)
        return float((np.log(model) + power / model).sum())

    begin = float(np.log(float(np.mean(power / air))))
    alone = minimize(unlikely, np.array([begin]), method="Nelder-Mead")
    slowest = slice(max(3, count // 40))
    walk2 = float(np.log(max(float(np.mean(power[slowest] / steps[slowest])), 1e-12)))
    both = minimize(unlikely, np.array([begin, walk2]), method="Nelder-Mead")
    if alone.fun - both.fun < _SURELY_WALKS:
        return np.zeros(count), 0.0
    seeing, wander = np.exp(both.x[0]) * air, np.exp(both.x[1]) * steps
    share = np.concatenate([[1.0], wander / (seeing + wander)])
    # mirrored at its ends, so that the filter sees no jump
    doubled = np.concatenate([even, even[::-1]])
    every = np.fft.rfftfreq(2 * count, step_s)
    kept = np.interp(every, np.concatenate([[0.0], hz]), share)
    walk = np.fft.irfft(np.fft.rfft(doubled - doubled.mean()) * kept, 2 * count)[:count]
    grid = at_s[0] + step_s * np.arange(count)
    return np.interp(at_s, grid, walk), float(np.exp(both.x[1] / 2))
