"""The curve of star size against focuser position, and how well its lowest point is known.

Seeing and defocus add in quadrature, so a size is a hyperbola of the position, and its square a parabola:
size² = best_size² + (slope · (position − best))². The fit is linear in the parabola's coefficients; what is
not linear, that a size's error grows with the size, is put right by going over it a few times.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats

LEAST_POINTS = 5
_ROUNDS = 4
_OUTLIER_CHANCE = 0.002
"""That the worst of all points of a good run is taken for an outlier."""
_LEAST_SCATTER = 1e-4
_EXACT = 1e-6
"""Sum of squares, in units of at least that scatter: what is left is rounding."""


@dataclass(frozen=True, slots=True)
class Point:
    """A position (steps, or any unit), the size measured there (px, or any), and the size's standard error by
    the scatter of the frame's stars, 0 where it isn't known."""

    position: float
    size: float
    scatter: float = 0.0


@dataclass(frozen=True, slots=True)
class Curve:
    """`interval` holds the best position with 95 % probability; `slope` is what a size gains a step far out;
    `residual` the sizes' scatter about the curve, as a share of them; `left_out` the indices of points that
    don't belong to it."""

    best: float
    interval: tuple[float, float]
    best_size: float
    slope: float
    residual: float
    left_out: tuple[int, ...] = ()

    def size(self, position: float | Floats) -> Floats:
        """At positions, as the curve has it."""
        return np.hypot(self.best_size, self.slope * (np.asarray(position) - self.best))


class NoCurve(ValueError):
    """The points make no curve with a lowest point; the message says why."""


@dataclass(frozen=True, slots=True)
class _Parabola:
    """Of the squared sizes, over positions brought to −1…1; with what its points say of its errors."""

    coefficients: Floats
    covariance: Floats
    residuals: Floats
    """In units of the points' standard errors."""
    leverage: Floats
    freedom: int


def fit(points: Sequence[Point]) -> Curve:
    """Fit a curve, leaving out one point where it alone doesn't belong to it.

    The interval is Fieller's (1954, J. R. Stat. Soc. B 16, 175), for the quotient of two estimates: it is
    right also where the parabola's curvature is badly known, and then longer on one side. Raises NoCurve.
    """
    if len(points) < LEAST_POINTS:
        raise NoCurve(f"only {len(points)} positions measured, at least {LEAST_POINTS} are needed")
    position = np.array([p.position for p in points], dtype=float)
    size = np.array([p.size for p in points], dtype=float)
    scatter = np.array([p.scatter for p in points], dtype=float)
    middle, half = (position.max() + position.min()) / 2, np.ptp(position) / 2
    if not half > 0:
        raise NoCurve("all sizes were measured at one position")
    place = (position - middle) / half
    kept = np.ones(len(points), dtype=bool)
    parabola = _parabola(place, size, scatter)
    outlier = _outlier(parabola) if len(points) > LEAST_POINTS else None
    if outlier is not None:
        kept[outlier] = False
        parabola = _parabola(place[kept], size[kept], scatter[kept])
    low, high = _interval(parabola)
    a, b, c = parabola.coefficients
    lowest = c - b**2 / (4 * a)
    # noise can push the parabola's foot under zero; the smallest size measured bounds it from above
    best_size = float(np.sqrt(lowest)) if lowest > 0 else float(size[kept].min())
    curve = Curve(
        best=float(middle - half * b / (2 * a)),
        interval=(float(middle + half * low), float(middle + half * high)),
        best_size=best_size,
        slope=float(np.sqrt(a) / half),
        residual=0.0,
        left_out=tuple(np.flatnonzero(~kept).tolist()),
    )
    off = size[kept] / curve.size(position[kept]) - 1
    residual = float(np.sqrt(np.sum(off**2) / max(parabola.freedom, 1)))
    return Curve(curve.best, curve.interval, curve.best_size, curve.slope, residual, curve.left_out)


def _parabola(place: Floats, size: Floats, scatter: Floats) -> _Parabola:
    """By weighted least squares. A size's error has two parts: the scatter of its own frame, and what changes
    from frame to frame, seeing above all, in proportion to the size; the second is found from the residuals.
    """
    square = size**2
    basis = np.stack([place**2, place, np.ones_like(place)], axis=1)
    freedom = len(place) - 3
    floor = square.min() / 4
    model, between = square, 0.02
    own = scatter**2
    for _ in range(_ROUNDS):
        # of a square: twice the size times the size's own error, both as the curve has them
        error = 2 * np.sqrt(model * (own + between**2 * model))
        design = basis / error[:, None]
        normal = design.T @ design
        coefficients = np.linalg.solve(normal, design.T @ (square / error))
        drawn = basis @ coefficients
        off = square - drawn
        model = np.maximum(drawn, floor)
        between = _between(off**2 / (4 * model), own, model, freedom)
    residuals = off / error
    variance = max(float(residuals @ residuals), _EXACT) / freedom
    inverse = np.linalg.inv(normal)
    leverage = ((design @ inverse) * design).sum(axis=1)
    return _Parabola(coefficients, inverse * variance, residuals, leverage, freedom)


def _between(off: Floats, own: Floats, model: Floats, freedom: int) -> float:
    """The part of the sizes' errors that goes with the size: what the residuals `off` have more than the
    frames' `own` scatter explains, both squared."""
    excess = float(((off - own) / model).sum()) / freedom
    return float(max(excess, _LEAST_SCATTER**2) ** 0.5)


def _outlier(parabola: _Parabola) -> int | None:
    """The point that the others don't expect, by its studentized deleted residual (Cook & Weisberg 1982,
    Residuals and Influence in Regression, §2.2.2), the limit shared among all points."""
    count, freedom = len(parabola.residuals), parabola.freedom
    if freedom < 2:
        return None
    sum_squares = float(parabola.residuals @ parabola.residuals)
    if sum_squares < _EXACT:
        return None
    own = np.maximum(1 - parabola.leverage, 1e-9)
    rest = np.maximum(sum_squares - parabola.residuals**2 / own, 1e-12 * sum_squares) / (freedom - 1)
    deleted = np.abs(parabola.residuals) / np.sqrt(rest * own)
    worst = int(np.argmax(deleted))
    limit = _student(freedom - 1, 1 - _OUTLIER_CHANCE / (2 * count))
    return worst if deleted[worst] > limit else None


def _interval(parabola: _Parabola) -> tuple[float, float]:
    """Of the parabola's lowest point, in places −1…1. Raises NoCurve where it may be anywhere."""
    a, b, _ = parabola.coefficients
    if not a > 0:
        raise NoCurve("sizes don't rise on both sides")
    t = _student(parabola.freedom, 0.975)
    v: NDArray[np.float64] = t**2 * parabola.covariance
    square, linear, constant = a**2 - v[0, 0], a * b - v[0, 1], b**2 - v[1, 1]
    if square <= 0:
        raise NoCurve("sizes hardly grow away from the lowest point: it may be anywhere")
    root = max(linear**2 - square * constant, 0.0)  # under zero by rounding only
    middle, half = -linear / (2 * square), np.sqrt(root) / (2 * square)
    return float(middle - half), float(middle + half)


def _student(freedom: int, share: float) -> float:
    """Quantile of Student's t."""
    # here, as the window has this module from its start and draws no curve yet
    from scipy.special import stdtrit

    return float(stdtrit(freedom, share))
