"""Waves in an uneven record: the mount's periodic error."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

Floats = NDArray[np.float64]

_OVERSAMPLED = 6.0
_SURE = 0.0001
"""How probable the highest of a noise's peaks may be for a wave to be believed."""
_AROUND = 150
_FRAMES_A_WAVE = 80
"""A record of so many frames can tell of one more."""
_APART = 0.5
"""Two waves differ by at least so many cycles over the record."""


@dataclass(frozen=True, slots=True)
class Wave:
    """amplitude × sin(2π t/period + phase), with the amplitude's standard error."""

    period_s: float
    amplitude_arcsec: float
    phase_rad: float
    amplitude_error_arcsec: float

    def at(self, at_s: Floats) -> Floats:
        return self.amplitude_arcsec * np.sin(2 * np.pi * at_s / self.period_s + self.phase_rad)


def strongest_waves(
    at_s: Floats, where: Floats, shortest_s: float, longest_s: float, most: int = 8
) -> list[Wave]:
    """Of a record about its straight line, the strongest first. One after another is sought in what the
    others leave (a least-squares periodogram with a floating mean and drift: Lomb 1976, Astrophys. Space Sci.
    39, 447; Zechmeister & Kürster 2009, Astron. Astrophys. 496, 577), all are fitted together, and one that
    the noise around its frequency could have made by itself is not believed."""
    span = float(at_s[-1] - at_s[0])
    if len(at_s) < 12 or span <= 0 or longest_s <= shortest_s:
        return []
    count = int(np.ceil(_OVERSAMPLED * span * (1 / shortest_s - 1 / longest_s))) + 2
    grid = np.linspace(1 / longest_s, 1 / shortest_s, count)
    found: list[float] = []
    for _ in range(min(most, 1 + len(at_s) // _FRAMES_A_WAVE)):
        left = where - _fitted(at_s, where, found)[0]
        power = _gains(at_s, left, grid)
        for known in found:
            power[np.abs(grid - known) < _APART / span] = 0.0
        best = int(np.argmax(power))
        more = _together(at_s, where, [*found, float(grid[best])], span)
        if power[best] <= 0 or not _believed(at_s, where, more, grid, best, power[best]):
            break
        gaps = np.diff(np.sort(more))
        if len(gaps) and gaps.min() < _APART / span:  # one wave twice: what is left is no other
            break
        found = more
    return sorted(_waves(at_s, where, found), key=lambda wave: -wave.amplitude_arcsec)


def _design(at_s: Floats, frequencies: list[float]) -> Floats:
    t = at_s - at_s.mean()
    columns = [np.ones_like(t), t / max(float(np.ptp(t)), 1e-9)]
    for f in frequencies:
        columns += [np.sin(2 * np.pi * f * at_s), np.cos(2 * np.pi * f * at_s)]
    return np.stack(columns, axis=1)


def _fitted(at_s: Floats, where: Floats, frequencies: list[float]) -> tuple[Floats, Floats]:
    a = _design(at_s, frequencies)
    factors = np.asarray(np.linalg.lstsq(a, where, rcond=None)[0], dtype=np.float64)
    return a @ factors, factors


def _gains(at_s: Floats, left: Floats, frequencies: Floats) -> Floats:
    """By how much the squares fall with a wave of each frequency beside mean and drift."""
    base, _ = np.linalg.qr(_design(at_s, []))
    rest = left - base @ (base.T @ left)
    gains = []
    for some in np.array_split(frequencies, max(1, len(frequencies) * len(at_s) // 2_000_000)):
        turns = 2 * np.pi * np.outer(some, at_s)
        sine, cosine = np.sin(turns), np.cos(turns)
        sine -= (sine @ base) @ base.T
        cosine -= (cosine @ base) @ base.T
        ss, cc, sc = (sine**2).sum(axis=1), (cosine**2).sum(axis=1), (sine * cosine).sum(axis=1)
        s, c = sine @ rest, cosine @ rest
        gains.append((cc * s**2 - 2 * sc * s * c + ss * c**2) / np.maximum(ss * cc - sc**2, 1e-12))
    return np.concatenate(gains)


def _believed(
    at_s: Floats, where: Floats, frequencies: list[float], grid: Floats, best: int, power: float
) -> bool:
    """Against what is left around it without it (a noise's power is spread exponentially, whatever its
    colour)."""
    left = where - _fitted(at_s, where, frequencies)[0]
    near = grid[max(0, best - _AROUND) : best + _AROUND]
    floor = float(np.median(_gains(at_s, left, near))) / np.log(2)
    independent = max(len(grid) / _OVERSAMPLED, 1.0)
    return bool(floor <= 0 or np.exp(-power / floor) * independent < _SURE)


def _together(at_s: Floats, where: Floats, frequencies: list[float], span: float) -> list[float]:
    """Frequencies made finer one after another with all the others in place."""
    tuned = list(frequencies)
    for k in range(len(tuned)):
        others = tuned[:k] + tuned[k + 1 :]

        def left_over(f: float, others: list[float] = others) -> float:
            return float(((where - _fitted(at_s, where, [*others, f])[0]) ** 2).sum())

        reach = 0.3 / span
        tuned[k] = float(
            minimize_scalar(left_over, bounds=(tuned[k] - reach, tuned[k] + reach), method="bounded").x
        )
    return tuned


def _waves(at_s: Floats, where: Floats, frequencies: list[float]) -> list[Wave]:
    if not frequencies:
        return []
    model, factors = _fitted(at_s, where, frequencies)
    free = max(len(at_s) - 2 - 3 * len(frequencies), 1)
    error = float(np.sqrt(2 * ((where - model) ** 2).sum() / free / len(at_s)))
    told = []
    for k, f in enumerate(frequencies):
        sine, cosine = factors[2 + 2 * k], factors[3 + 2 * k]
        told.append(Wave(1 / f, float(np.hypot(sine, cosine)), float(np.arctan2(cosine, sine)), error))
    return told
