"""Levels and scatters that a few wild values don't move."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_BISQUARE = 4.685
_ROUNDS = 12


def spread(residuals: Floats, least: float) -> float:
    """1.4826 × the median of the absolute values (the standard deviation, for a normal distribution), never
    under `least`; `least` where there is none."""
    known = np.abs(residuals[np.isfinite(residuals)])
    return max(least, 1.4826 * float(np.median(known))) if known.size else least


def level(values: Floats, begin_at: float, least: float) -> float:
    """Where most of the values lie: Tukey's bisquare (Huber & Ronchetti, Robust Statistics, 2009), begun at a
    quantile `begin_at` that what is wrong with frames leaves alone. NaN without values."""
    known = values[np.isfinite(values)]
    if not known.size:
        return float("nan")
    here = float(np.quantile(known, begin_at))
    for _ in range(_ROUNDS):
        off = known - here
        share = off / (_BISQUARE * spread(off, least))
        weights = np.where(np.abs(share) < 1, (1 - share**2) ** 2, 0.0)
        if not weights.sum() > 0:
            break
        after = float((weights * known).sum() / weights.sum())
        if abs(after - here) < 1e-6:
            break
        here = after
    return here


def course(at: Floats, values: Floats, order: int, least: float) -> Floats:
    """A slow course (a polynomial in time) through most of the values, at each of them."""
    good = np.isfinite(values)
    if good.sum() < order + 3:
        return np.full(len(values), level(values, 0.5, least))
    span = max(float(np.ptp(at[good])), 1.0)
    x = (at - float(at[good].mean())) / span
    powers = np.vander(x, order + 1)
    weights = np.ones(int(good.sum()))
    fitted = np.full(int(good.sum()), level(values, 0.5, least))
    for _ in range(_ROUNDS):
        off = values[good] - fitted
        share = off / (_BISQUARE * spread(off, least))
        weights = np.where(np.abs(share) < 1, (1 - share**2) ** 2, 0.0) + 1e-9
        root = np.sqrt(weights)
        found, *_ = np.linalg.lstsq(powers[good] * root[:, None], values[good] * root, rcond=None)
        after = powers[good] @ found
        if np.max(np.abs(after - fitted)) < 1e-6:
            break
        fitted = after
    return np.asarray(powers @ found)
