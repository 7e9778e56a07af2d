"""Backlash, from two opposite sweeps through focus: between their lowest points the motor turns and nothing
moves."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares
from scipy.special import stdtrit

from vigil.focusing.fit import LEAST_POINTS, NoCurve, Point, fit
from vigil.sky.instants import Floats


@dataclass(frozen=True, slots=True)
class Backlash:
    """`steps` with the interval that holds it with 95 % probability; `upward_best` and `downward_best` are
    the lowest points of the two sweeps, in the focuser's own positions."""

    steps: float
    interval: tuple[float, float]
    upward_best: float
    downward_best: float

    @property
    def half(self) -> float:
        return (self.interval[1] - self.interval[0]) / 2


def backlash_of(upward: Sequence[Point], downward: Sequence[Point]) -> Backlash:
    """`upward` were measured with positions rising throughout, `downward` falling. Raises NoCurve.

    Both sweeps see one telescope: they share the smallest size and the slope, and differ in their lowest
    points only; so each sharpens the other's. Relative residuals are fitted, since seeing changes sizes in
    proportion.
    """
    for name, points in (("upward", upward), ("downward", downward)):
        if len(points) < LEAST_POINTS:
            raise NoCurve(f"the {name} sweep has {len(points)} frames, at least {LEAST_POINTS} are needed")
    rising, falling = fit(upward), fit(downward)
    position = np.array([p.position for p in (*upward, *downward)], dtype=float)
    size = np.array([p.size for p in (*upward, *downward)], dtype=float)
    down = np.arange(len(position)) >= len(upward)
    unit = rising.best_size / rising.slope
    start = np.array(
        [rising.best / unit, falling.best / unit, np.log(rising.best_size), np.log(rising.slope * unit)]
    )

    def off(free: Floats) -> Floats:
        best = np.where(down, free[1], free[0])
        model = np.hypot(np.exp(free[2]), np.exp(free[3]) * (position / unit - best))
        return np.asarray(np.log(size / model))

    found = least_squares(off, start, loss="soft_l1", f_scale=0.1)
    freedom = len(position) - 4
    left = off(found.x)
    inverse = np.linalg.inv(found.jac.T @ found.jac)
    variance = float(left @ left) / freedom
    difference = np.array([-1.0, 1.0, 0.0, 0.0])
    sigma = float(np.sqrt(difference @ inverse @ difference * variance)) * unit
    upward_best, downward_best = float(found.x[0] * unit), float(found.x[1] * unit)
    steps = upward_best - downward_best
    reach = float(stdtrit(freedom, 0.975)) * sigma
    return Backlash(steps, (steps - reach, steps + reach), upward_best, downward_best)
