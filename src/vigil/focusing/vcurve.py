"""The V-curve: star size against focuser position.

Seeing and defocus blur add in quadrature, so HFR is a hyperbola of the position and HFR² a parabola:
the fit is linear. Weights follow from σ(HFR²) = 2·HFR·σ(HFR).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats

LEAST_SAMPLES = 7
# one leave-one-out is tried when the scatter is this much over what the samples' own errors explain
_SUSPICIOUS_CHI2 = 3.0


@dataclass(frozen=True, slots=True)
class Sample:
    """One measured frame: focuser position (steps), star size and its standard error (px), star count."""

    position: int
    hfr_px: float
    sigma_px: float
    stars: int


@dataclass(frozen=True, slots=True)
class VCurve:
    """A fitted curve, HFR² = floor² + (slope·(position − best))².

    `best` and `best_sigma` in steps, `floor_px` the HFR at best, `slope_px_step` far out; `chi2` per
    degree of freedom; `left_out` the index of the one sample not used, or None.
    """

    best: float
    best_sigma: float
    floor_px: float
    slope_px_step: float
    chi2: float
    left_out: int | None = None

    def hfr_px(self, position: float | Floats) -> Floats:
        """The curve's HFR at positions."""
        return np.hypot(self.floor_px, self.slope_px_step * (np.asarray(position) - self.best))


class NoCurve(ValueError):
    """The samples do not make a V-curve; the message says why."""


def fit_vcurve(samples: Sequence[Sample]) -> VCurve:
    """Fit a hyperbola. Raises NoCurve when the samples have no minimum or are too few."""
    if len(samples) < LEAST_SAMPLES:
        raise NoCurve(f"only {len(samples)} frames with enough stars, at least {LEAST_SAMPLES} needed")
    whole = _fit(samples)
    if whole.chi2 <= _SUSPICIOUS_CHI2 or len(samples) <= LEAST_SAMPLES:
        return whole
    trials: list[tuple[float, VCurve]] = []
    for k in range(len(samples)):
        rest = [s for i, s in enumerate(samples) if i != k]
        try:
            curve = _fit(rest)
        except NoCurve:
            continue
        trials.append((curve.chi2, replace(curve, left_out=k)))
    best = min(trials, key=lambda t: t[0], default=None)
    # an outlier explains most of the misfit; a bad curve stays bad without any one sample
    return best[1] if best is not None and best[0] < whole.chi2 / 3 else whole


def _fit(samples: Sequence[Sample]) -> VCurve:
    position = np.array([s.position for s in samples], dtype=float)
    hfr = np.array([s.hfr_px for s in samples])
    sigma = np.array([s.sigma_px for s in samples])
    middle, half = position.mean(), max(float(np.ptp(position)) / 2, 1.0)
    p = (position - middle) / half
    basis = np.column_stack([p**2, p, np.ones_like(p)])
    error = 2 * hfr * sigma
    design: NDArray[np.float64] = basis / error[:, None]
    coefficients = np.linalg.lstsq(design, hfr**2 / error, rcond=None)[0]
    a, b, c = coefficients
    if not a > 0:
        raise NoCurve("star size does not rise on both sides")
    freedom = max(len(samples) - 3, 1)
    chi2 = float(np.sum((design @ coefficients - hfr**2 / error) ** 2) / freedom)
    covariance = np.linalg.inv(design.T @ design) * max(chi2, 1.0)
    gradient = np.array([b / (2 * a**2), -1 / (2 * a), 0.0])
    floor_squared = c - b**2 / (4 * a)
    # noise can push the parabola's foot below zero; the smallest size measured bounds it from above
    floor = np.sqrt(floor_squared) if floor_squared > 0 else float(hfr.min())
    return VCurve(
        best=float(middle - half * b / (2 * a)),
        best_sigma=float(half * np.sqrt(gradient @ covariance @ gradient)),
        floor_px=float(floor),
        slope_px_step=float(np.sqrt(a) / half),
        chi2=chi2,
    )
