"""Whether a focus curve may be believed, in words and numbers."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vigil.focusing.fit import Curve, NoCurve, Point, fit

LEAST_RISE = 1.3
"""On both sides sizes have to grow at least by so much over the smallest."""
MOST_RESIDUAL = 0.15
_LEAST_A_SIDE = 2
_MOST_INTERVAL = 0.5
"""Of the measured span: wider, the lowest point isn't really known."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """`curve` is None where there is none; `reason` says why it is refused, or what speaks for it. `rise` is
    how many times the size at best the sizes reach on the left and on the right, `symmetry` the difference
    of the mean residuals on both sides, as a share of the size."""

    accepted: bool
    reason: str
    curve: Curve | None = None
    rise: tuple[float, float] = (0.0, 0.0)
    symmetry: float = 0.0


def judge(points: Sequence[Point], beyond: Sequence[Point] = ()) -> Verdict:
    """Fit the points, and weigh what came of it. Those `beyond`, discs that are no stars any more, tell of
    nothing but that sizes grow."""
    try:
        curve = fit(points)
    except NoCurve as none:
        return Verdict(False, str(none))
    kept = [p for k, p in enumerate(points) if k not in curve.left_out]
    left, right = ([p for p in kept if (p.position < curve.best) is lower] for lower in (True, False))
    far = ([p for p in beyond if (p.position < curve.best) is lower] for lower in (True, False))
    on_left, on_right = (side + more for side, more in zip((left, right), far, strict=True))
    rise = _rise(on_left, curve), _rise(on_right, curve)
    symmetry = _off(left, curve) - _off(right, curve)
    problem = _problem(curve, (len(left), len(right)), rise, kept)
    reason = problem or (
        f"best {curve.best_size:.2f} at {curve.best:.0f}, {_range(curve)} with 95 %; "
        f"sizes scatter {100 * curve.residual:.1f} % about the curve and grow {min(rise):.1f} times"
    )
    return Verdict(not problem, reason, curve, rise, symmetry)


def _problem(curve: Curve, counts: tuple[int, int], rise: tuple[float, float], kept: list[Point]) -> str:
    lowest, highest = (pick(p.position for p in kept) for pick in (min, max))
    for side, count, end in (("left", counts[0], lowest), ("right", counts[1], highest)):
        if count < _LEAST_A_SIDE:
            beyond = "" if count else f", beyond what was measured ({end:.0f})"
            where = f"the lowest point lies at {curve.best:.0f}{beyond}"
            return f"{where}: {count} positions to its {side}, {_LEAST_A_SIDE} needed"
    for side, times in zip(("left", "right"), rise, strict=True):
        if times < LEAST_RISE:
            return (
                f"to the {side} sizes grow only {times:.2f} times the smallest ({curve.best_size:.2f}); "
                f"{LEAST_RISE:g} times are needed for a sure lowest point"
            )
    if curve.residual > MOST_RESIDUAL:
        return (
            f"sizes scatter {100 * curve.residual:.0f} % about the curve, limit {100 * MOST_RESIDUAL:.0f} %: "
            "cloud, wind, or not one focuser"
        )
    if curve.interval[1] - curve.interval[0] > _MOST_INTERVAL * (highest - lowest):
        return f"the lowest point may lie anywhere in {_range(curve)}: too wide to be of use"
    return ""


def _range(curve: Curve) -> str:
    return f"{curve.interval[0]:.0f}–{curve.interval[1]:.0f}"


def _rise(side: list[Point], curve: Curve) -> float:
    return max((p.size for p in side), default=0.0) / curve.best_size


def _off(side: list[Point], curve: Curve) -> float:
    """The mean residual, as a share of the size."""
    return float(np.mean([p.size / curve.size(p.position) - 1 for p in side])) if side else 0.0
