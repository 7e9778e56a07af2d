"""Two opposite sweeps through focus, straight, so that the play of the gears shows."""

import math
from dataclasses import dataclass

from vigil.engine.activities.moves import focuser_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.focusing.frames import FocusFrames
from vigil.focusing.backlash import Backlash, backlash_of
from vigil.focusing.fine import ENDS, FinePlan, Measure, disc_size_px
from vigil.focusing.fit import Curve, NoCurve, Point

_POSITIONS = 11
_MOST_ROUNDS = 8
_WELL_KNOWN, _OF_ZONE = 0.04, 0.02
"""Half of the interval as a share of the backlash, or else of the critical focus zone."""
_NEAR, _SHORT, _MOST_LOOKS = 1.6, 0.85, 3
"""Times a sweep's half, from which focus is told well enough by one frame's size; farther out that share of
the way is gone before the next look."""


@dataclass(slots=True)
class _Sweep:
    upward: bool
    points: list[Point]


async def two_sweeps(kit: Kit, plan: FinePlan, curve: Curve, exposure_s: float, most: int) -> Backlash:
    """Around a curve that a run has found, with room for a backlash of at most so many steps; again until it
    is well known. Raises ActivityFailed."""
    sweeps = _Sweep(True, []), _Sweep(False, [])
    found: Backlash | None = None
    for done in range(1, _MOST_ROUNDS + 1):
        for sweep in sweeps:
            sweep.points += await _swept(kit, plan, curve, exposure_s, most, sweep.upward)
        try:
            found = backlash_of(sweeps[0].points, sweeps[1].points)
        except NoCurve as problem:
            raise ActivityFailed(f"the sweeps make no curve: {problem}") from None
        wanted = max(_WELL_KNOWN * found.steps, _OF_ZONE * plan.zone_steps, 0.5)
        if found.half <= wanted:
            break
        rounds = min(max(done * (found.half / wanted) ** 2, done + 1), _MOST_ROUNDS)
        kit.progress.target = math.ceil(kit.progress.current / done * rounds)
    assert found is not None, "one round at least"
    return found


async def _swept(
    kit: Kit, plan: FinePlan, curve: Curve, exposure_s: float, most: int, upward: bool
) -> list[Point]:
    """One way through focus. The gears are taken up far outside first; the size of the first frame says how
    far focus is, backlash and all."""
    way = 1 if upward else -1
    depth = curve.best_size / curve.slope
    outside = curve.best - way * ENDS * depth

    def inside(position: float) -> int:
        return round(min(max(position, plan.lowest), plan.highest))

    await focuser_to(kit, inside(outside - way * (most + ENDS * depth)), directly=True)
    frames = FocusFrames(kit, plan, exposure_s, directly=True)
    first = inside(outside)
    await _frame(kit, frames, first, upward)
    while (away := _away(frames, plan, curve)) > _NEAR * ENDS * depth and len(frames.taken) < _MOST_LOOKS:
        first = inside(first + way * (_SHORT * away - ENDS * depth))
        await _frame(kit, frames, first, upward)
    looks, middle = len(frames.taken), first + way * away
    step = 2 * ENDS * depth / (_POSITIONS - 1)
    for k in range(_POSITIONS):
        position = inside(middle + way * (k * step - ENDS * depth))
        if way * (position - first) > 0:  # never back: that would be the other way
            await _frame(kit, frames, position, upward)
    return [Point(t.position, t.size, t.scatter) for t in frames.taken[looks - 1 :] if t.size > 0]


def _away(frames: FocusFrames, plan: FinePlan, curve: Curve) -> float:
    """Steps from focus by a frame's size."""
    taken = frames.taken[-1]
    size = taken.size or disc_size_px(taken.radius_px or 0.0, plan.obstruction)
    return math.sqrt(max(size**2 - curve.best_size**2, 0.0)) / curve.slope


async def _frame(kit: Kit, frames: FocusFrames, position: int, upward: bool) -> None:
    await frames.take(Measure(position, "sweep"))
    await kit.step({**frames.numbers(), "upward": upward}, frames.words())
    kit.progress.current += 1
