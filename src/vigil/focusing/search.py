"""Where to measure next, and whether the result may be believed.

The search holds no device: it is asked for the next position with the samples so far. Positions come in
the order of the approach side, so that backlash is taken up once.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from vigil.focusing.vcurve import LEAST_SAMPLES, NoCurve, Sample, VCurve, fit_vcurve

_LEAST_STARS = 6
_LEAST_RISE = 1.5
_WORST_CHI2 = 12.0
_CONFIRM_GROWTH = 1.2


@dataclass(frozen=True, slots=True)
class SearchPlan:
    """A search around `start`: `count` positions `step` apart, inside the focuser's range.

    `upward` is the direction of approach: positions rise when True.
    """

    start: int
    step: int
    lowest: int
    highest: int
    upward: bool
    count: int = 9
    extra: int = 6

    def __post_init__(self) -> None:
        if self.step < 1 or self.count < LEAST_SAMPLES:
            raise ValueError(f"a search needs a step of 1 or more and {LEAST_SAMPLES} positions or more")
        if not self.lowest <= self.start <= self.highest:
            raise ValueError(f"start {self.start} is outside the focuser's {self.lowest}…{self.highest}")


@dataclass(frozen=True, slots=True)
class Measure:
    """Go there and take a frame."""

    position: int


@dataclass(frozen=True, slots=True)
class Found:
    """The curve is good; go to its best position and confirm."""

    curve: VCurve


@dataclass(frozen=True, slots=True)
class FocusRefused:
    """No believable curve; go back to where the focuser was."""

    reason: str


def next_step(
    plan: SearchPlan, tried: Sequence[int], samples: Sequence[Sample]
) -> Measure | Found | FocusRefused:
    """What to do after measuring at `tried`; `samples` are those of them that showed enough stars."""
    for position in _grid(plan):
        if position not in tried:
            return Measure(position)
    usable = [s for s in samples if s.stars >= _LEAST_STARS]
    if len(usable) < LEAST_SAMPLES:
        return FocusRefused(
            f"only {len(usable)} of {len(tried)} frames showed {_LEAST_STARS} stars or more: "
            "cloud, or too far out of focus"
        )
    try:
        curve = fit_vcurve(usable)
    except NoCurve as problem:
        smallest = min(usable, key=lambda s: s.hfr_px).position
        return _further(plan, tried, smallest, str(problem))
    lowest, highest = min(s.position for s in usable), max(s.position for s in usable)
    if curve.best < lowest + plan.step or curve.best > highest - plan.step:
        toward = lowest if curve.best < (lowest + highest) / 2 else highest
        return _further(plan, tried, toward, f"the lowest point lies at {curve.best:.0f}, at the end")
    problem_found = judge(curve, usable, plan.step)
    return FocusRefused(problem_found) if problem_found else Found(curve)


def judge(curve: VCurve, samples: Sequence[Sample], step: int) -> str | None:
    """Why a fitted curve should not be believed, or None."""
    ends = min(
        max(s.hfr_px for s in samples if s.position < curve.best),
        max(s.hfr_px for s in samples if s.position > curve.best),
    )
    if ends < _LEAST_RISE * curve.floor_px:
        return (
            f"stars grow only from {curve.floor_px:.2f} to {ends:.2f} px over the search; "
            f"at least {_LEAST_RISE:g} times is needed for a sure lowest point"
        )
    if curve.chi2 > _WORST_CHI2:
        return (
            f"the sizes scatter {curve.chi2**0.5:.1f} times more than their errors around the curve "
            f"(limit {_WORST_CHI2**0.5:.1f}): cloud or wind"
        )
    if curve.best_sigma > step / 2:
        return f"the lowest point is uncertain by {curve.best_sigma:.0f} steps, limit {step / 2:.0f}"
    return None


def confirm(curve: VCurve, confirming: Sample) -> str | None:
    """Why the confirming frame at the best position contradicts the curve, or None."""
    if confirming.stars < _LEAST_STARS:
        return f"the confirming frame shows only {confirming.stars} stars"
    limit = _CONFIRM_GROWTH * curve.floor_px + 2 * confirming.sigma_px
    if confirming.hfr_px > limit:
        return (
            f"the confirming frame has {confirming.hfr_px:.2f} px where the curve promised "
            f"{curve.floor_px:.2f}, limit {limit:.2f}"
        )
    return None


def _grid(plan: SearchPlan) -> list[int]:
    """The first positions, in the order of approach; shifted whole where the range would cut them."""
    reach = plan.step * (plan.count - 1)
    first = plan.start - reach // 2
    first = max(plan.lowest, min(first, plan.highest - reach))
    positions = [p for p in range(first, first + reach + 1, plan.step) if plan.lowest <= p <= plan.highest]
    return positions if plan.upward else positions[::-1]


def _further(plan: SearchPlan, tried: Sequence[int], toward: int, why: str) -> Measure | FocusRefused:
    """Another position beyond the end that the curve falls towards."""
    low, high = min(tried), max(tried)
    down = abs(toward - low) <= abs(toward - high)
    position = low - plan.step if down else high + plan.step
    if len(tried) >= plan.count + plan.extra:
        return FocusRefused(f"{why}, also after {plan.extra} further frames that way")
    if not plan.lowest <= position <= plan.highest:
        return FocusRefused(f"{why}, and the focuser's range ends at {low if down else high}")
    return Measure(position)
