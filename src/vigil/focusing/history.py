"""What many focus runs say together: how the best position goes with temperature, and from filter to filter.

One linear model for both: position = position of the filter + slope · (temperature − mean). Runs that don't
belong to it, as those through cloud, are left out one after another.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from vigil.sky.instants import Floats

LEAST_RUNS = 5
LEAST_SPAN_C = 2.0
"""Of temperatures: over less a slope says little."""
_OUTLIER_CHANCE = 0.01
_MOST_LEFT_OUT = 0.3
_FAR_OFF = 5.0
"""Robust standard deviations of the first guess."""
_ROUNDS = 10


@dataclass(frozen=True, slots=True)
class Run:
    """A focus run that was accepted: the best position (steps), the temperature, the filter."""

    position: float
    temperature_c: float
    filter: str = ""


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value with the interval that holds it with 95 % probability."""

    value: float
    interval: tuple[float, float]

    @property
    def half(self) -> float:
        """Of the interval's width."""
        return (self.interval[1] - self.interval[0]) / 2


@dataclass(frozen=True, slots=True)
class History:
    """`slope` in steps per °C; None where the runs don't support one, and then `why_no_slope` says so.
    `offsets` are each filter's steps from the reference's position. `scatter` is the runs' own about the
    model, in steps; `left_out` the indices of those that don't belong to it."""

    slope: Estimate | None
    why_no_slope: str
    offsets: dict[str, Estimate]
    scatter: float
    left_out: tuple[int, ...]


class NoHistory(ValueError):
    """Too few runs to learn from; the message says how many are needed."""


def learn(runs: Sequence[Run], reference: str = "") -> History:
    """Fit all runs together. `reference` is the filter that offsets count from; where no run is through it,
    the one with most runs. Raises NoHistory."""
    filters = sorted({run.filter for run in runs}, key=lambda f: (f != reference, -_count(runs, f), f))
    temperature = np.array([run.temperature_c for run in runs], dtype=float)
    position = np.array([run.position for run in runs], dtype=float)
    warmth = _span_within(runs) >= LEAST_SPAN_C
    needed = max(LEAST_RUNS, len(filters) + 1 + warmth)
    if len(runs) < needed:
        raise NoHistory(f"{len(runs)} runs through {len(filters)} filters, at least {needed} are needed")
    columns = [np.ones(len(runs)), *(_through(runs, name) for name in filters[1:])]
    if warmth:
        columns.append(temperature - temperature.mean())
    design = np.stack(columns, axis=1)
    kept = _belonging(design, position)
    found, covariance, freedom = _least_squares(design[kept], position[kept])
    reach = stdtrit(freedom, 0.975) * np.sqrt(np.diag(covariance))

    def estimate(k: int) -> Estimate:
        return Estimate(float(found[k]), (float(found[k] - reach[k]), float(found[k] + reach[k])))

    offsets = {name: estimate(k) for k, name in enumerate(filters[1:], start=1)}
    offsets = {filters[0]: Estimate(0.0, (0.0, 0.0)), **offsets}
    slope, why = _slope(estimate(len(columns) - 1)) if warmth else (None, _too_even(runs))
    off = position[kept] - design[kept] @ found
    left_out = tuple(np.flatnonzero(~kept).tolist())
    return History(slope, why, offsets, float(np.sqrt(off @ off / freedom)), left_out)


def _count(runs: Sequence[Run], name: str) -> int:
    return sum(run.filter == name for run in runs)


def _through(runs: Sequence[Run], name: str) -> Floats:
    return np.array([float(run.filter == name) for run in runs])


def _span_within(runs: Sequence[Run]) -> float:
    """The widest span of temperatures that one filter was focused in: between filters it says nothing."""
    spans = []
    for name in {run.filter for run in runs}:
        here = [run.temperature_c for run in runs if run.filter == name]
        spans.append(max(here) - min(here))
    return max(spans, default=0.0)


def _too_even(runs: Sequence[Run]) -> str:
    return f"the runs span {_span_within(runs):.1f} °C only, {LEAST_SPAN_C:g} are needed to tell a slope"


def _slope(found: Estimate) -> tuple[Estimate | None, str]:
    if found.interval[0] <= 0 <= found.interval[1]:
        low, high = found.interval
        return None, f"{low:+.1f} to {high:+.1f} steps per °C: the runs don't tell it from none"
    return found, ""


def _least_squares(design: Floats, values: Floats) -> tuple[Floats, NDArray[np.float64], int]:
    """Coefficients, their covariance, degrees of freedom."""
    inverse = np.linalg.inv(design.T @ design)
    found = inverse @ (design.T @ values)
    off = values - design @ found
    freedom = len(values) - design.shape[1]
    return found, inverse * float(off @ off) / freedom, freedom


def _belonging(design: Floats, values: Floats) -> NDArray[np.bool_]:
    """Which runs belong to the model. The first guess comes from the least sum of absolute residuals, which
    several bad runs can't draw to themselves; then whoever the others expect belongs to them."""
    everyone = np.ones(len(values), dtype=bool)
    off = np.abs(values - design @ _least_absolute(design, values))
    kept = off <= _FAR_OFF * max(1.4826 * float(np.median(off)), 1e-6 * np.ptp(values))
    for _ in range(_ROUNDS):
        if (~kept).sum() > _MOST_LEFT_OUT * len(values):
            return everyone
        if np.linalg.matrix_rank(design[kept]) < design.shape[1]:
            return everyone
        expected = _surprise(design, values, kept) <= _limit(len(values), int(kept.sum()) - design.shape[1])
        if (expected == kept).all():
            break
        kept = expected
    return kept


def _limit(count: int, freedom: int) -> float:
    return float(stdtrit(max(freedom - 1, 1), 1 - _OUTLIER_CHANCE / (2 * count)))


def _surprise(design: Floats, values: Floats, kept: NDArray[np.bool_]) -> Floats:
    """Each run's residual from what the other kept ones say, in units of its standard error (Cook & Weisberg
    1982, Residuals and Influence in Regression, §2.2.2)."""
    found, covariance, freedom = _least_squares(design[kept], values[kept])
    off = values - design @ found
    total = float(off[kept] @ off[kept])
    variance = max(total / freedom, 1e-12)
    leverage = ((design @ (covariance / variance)) * design).sum(axis=1)
    own = np.where(kept, np.maximum(1 - leverage, 1e-9), 1 + leverage)
    rest = np.where(kept, (total - off**2 / own) / max(freedom - 1, 1), variance)
    return np.asarray(np.abs(off) / np.sqrt(np.maximum(rest, 1e-9 * variance) * own))


def _least_absolute(design: Floats, values: Floats) -> Floats:
    """Coefficients of the least sum of absolute residuals, by reweighted least squares."""
    found = np.linalg.lstsq(design, values, rcond=None)[0]
    least = 1e-6 * max(float(np.ptp(values)), 1.0)
    for _ in range(50):
        weight = 1 / np.sqrt(np.maximum(np.abs(values - design @ found), least))
        found = np.linalg.lstsq(design * weight[:, None], values * weight, rcond=None)[0]
    return np.asarray(found)
