"""A fine focus run, frame by frame: near, a sweep through the lowest point, more where it isn't known well
enough, and a confirming frame. It holds no device: it asks for frames and is sent what they showed."""

import math
from collections.abc import Generator, Iterable, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Literal

from vigil.focusing.find import GoOn, Look, Near, Travel, next_look
from vigil.focusing.fit import LEAST_POINTS, Curve, NoCurve, Point, fit
from vigil.focusing.verdict import LEAST_RISE, Verdict, judge

LEAST_STARS = 3
ENDS = 2.1
"""How far a sweep goes, in depths (`FinePlan.depth`): sizes are 2.3 times the smallest there."""
_FINER_ENDS = 1.5
_POSITIONS = 9
_EXACT_SHARE = 1 / 6
"""Of the critical focus zone: how well the best position has to be known."""
_SURE = 0.76
"""Of that, what half the 95 % interval may be, so that 99 % of runs lie inside."""
_FITTED_DEPTHS = 3.0
"""Farther out a curve is no hyperbola any more: discs tell of themselves only."""
_MOST_ROUNDS = 12
_INFORMING = (-1.0, -1.5, -0.6, 0.6, 1.0, 1.5)
"""Where more frames say most of the lowest point, in depths: about where sizes are √2 of the smallest."""

CLOUD_WAIT_S, GUST_WAIT_S = 30.0, 5.0
_MOST_WAITS, _MOST_GUSTS = 4, 2
_MOST_WIDER = 2.0
"""Times what is usual, that a sweep becomes as wide by the size of its first frames."""
_LIGHT_LEFT, _ALIKE, _LONG = 0.6, 2.0, 1.4
_SHAPED_PX = 0.7
"""Smaller stars' pixels say nothing of their shape."""
_MOST_UNSEEN = 4
_LEAST_NOISE = 0.02
_USUAL_SCATTER = 0.035
"""Of sizes from frame to frame, by the air alone."""
_SIGMAS = 3.5
"""By how much of its noise a confirming frame may be larger than the curve's lowest point."""
_CLEARLY = 1.2
"""Times the smallest size, by which others are larger whatever the air does."""
_RISE_SOUGHT = 1.2 * LEAST_RISE
"""More than the verdict asks for, so that noise doesn't take it away."""

Why = Literal["look", "sweep", "further", "again", "more", "confirm"]


@dataclass(frozen=True, slots=True)
class Taken:
    """What a frame showed: the size of its stars (px; 0 without) and its standard error, their number, how
    much light the same stars gave (1: as much as ever in this run), how long they are (major over minor
    axis), and the radius of their discs where they are no stars any more."""

    position: int
    size: float
    scatter: float
    stars: int
    light: float = 1.0
    elongation: float = 1.0
    radius_px: float | None = None


@dataclass(frozen=True, slots=True)
class FinePlan:
    """What is known before: the travel, the arrival's side, the critical focus zone (steps), how fast sizes
    grow (px a step, far out) and how small they usually get (px). `step` has positions by hand, each measured
    `frames_each` times, `reach` says how far from the start a run may go, `most_blind` how many looks may
    show nothing. `starless` sizes are blurs of any subject: they say nothing of how far focus is, and the run
    begins where it is asked to. `obstruction` is a share of the diameter."""

    start: int
    lowest: int
    highest: int
    upward: bool
    zone_steps: float
    slope_px_step: float
    usual_px: float
    obstruction: float = 0.0
    step: int | None = None
    reach: int | None = None
    frames_each: int = 1
    most_blind: int = 3
    least_stars: int = LEAST_STARS
    most_frames: int = 48
    finer: bool = False
    starless: bool = False

    def __post_init__(self) -> None:
        if not self.lowest <= self.start <= self.highest:
            raise ValueError(f"start {self.start} is outside the focuser's {self.lowest}…{self.highest}")

    @property
    def depth(self) -> float:
        """Steps from the lowest point to where sizes are √2 times the smallest, by what is usual."""
        return max(self.usual_px / self.slope_px_step, self.zone_steps / 3)

    @property
    def low_end(self) -> int:
        return self.lowest if self.reach is None else max(self.lowest, self.start - self.reach)

    @property
    def high_end(self) -> int:
        return self.highest if self.reach is None else min(self.highest, self.start + self.reach)

    @property
    def exact_steps(self) -> float:
        """What half the 95 % interval may be."""
        return max(_SURE * _EXACT_SHARE * self.zone_steps * (0.5 if self.finer else 1.0), 0.5)

    def spacing(self, depth: float) -> int:
        """Between a sweep's positions."""
        ends = _FINER_ENDS if self.finer else ENDS
        return self.step or max(1, round(2 * ends * depth / (_POSITIONS - 1)))


@dataclass(frozen=True, slots=True)
class Measure:
    """Go there from the arrival's side, and take a frame."""

    position: int
    why: Why
    words: str = ""


@dataclass(frozen=True, slots=True)
class Wait:
    """Before the next frame."""

    seconds: float
    words: str


@dataclass(frozen=True, slots=True)
class Done:
    """The end of a run. `position` is where the focuser belongs now; `used` the indices of the frames that
    the curve was fitted to; `size` what the confirming frames had."""

    accepted: bool
    reason: str
    position: int
    verdict: Verdict | None = None
    used: tuple[int, ...] = ()
    size: float = 0.0

    @property
    def curve(self) -> Curve | None:
        return self.verdict.curve if self.verdict else None


Run = Generator[Measure | Wait, Sequence[Taken], Done]
"""Is sent all frames so far after each `Measure`: their sizes may have become better known."""


class _Refused(Exception):
    pass


def fine_run(plan: FinePlan) -> Run:
    """Yields what to do next; returns how it ended."""
    run = _FineRun(plan)
    try:
        return (yield from run.steps())
    except _Refused as refused:
        return Done(False, str(refused), plan.start, run.verdict, tuple(run.used))


class _FineRun:
    def __init__(self, plan: FinePlan) -> None:
        self.plan = plan
        self.frames: Sequence[Taken] = ()
        self.verdict: Verdict | None = None
        self.used: list[int] = []
        self._way_there = 0
        self.depth = plan.depth
        self._a_radius = disc_size_px(1.0, plan.obstruction)
        self._dropped: set[int] = set()
        self._repeated: set[int] = set()

    def steps(self) -> Run:
        yield from self._measure(self.plan.start, "look", "how it is now", may_be_unseen=True)
        at_start = self.frames[-1]
        centre = self.plan.start
        if not self.plan.starless:
            centre = yield from self._approach()
        self._way_there = self._way_there or len(self.frames)
        yield from self._sweep_around(centre)
        yield from self._until_known()
        return (yield from self._confirmed(at_start))

    # -- frames ---------------------------------------------------------------------------------------

    def _measure(
        self, position: int, why: Why, words: str = "", may_be_unseen: bool = False
    ) -> Generator[Measure | Wait, Sequence[Taken], None]:
        """A frame that neither a cloud nor a gust has spoilt, however often that takes."""
        trouble, gusts = "", 0
        for _ in range(_MOST_WAITS + 1):
            if len(self.frames) >= self.plan.most_frames + _MOST_WAITS:
                raise _Refused(
                    f"{len(self.frames)} frames were not enough" + (f": {trouble}" * bool(trouble))
                )
            self.frames = yield Measure(position, why, words or trouble)
            trouble, wait_s = self._trouble(may_be_unseen)
            gusts += wait_s == GUST_WAIT_S
            if not trouble or gusts > _MOST_GUSTS:  # wind that doesn't end is scatter as any other
                return
            self._dropped.add(len(self.frames) - 1)
            yield Wait(wait_s, trouble)
        raise _Refused(f"{trouble}, also after {_MOST_WAITS} more frames")

    def _trouble(self, may_be_unseen: bool) -> tuple[str, float]:
        last = self.frames[-1]
        before = [f for k, f in enumerate(self.frames[:-1]) if k not in self._dropped and self._seen(f)]
        if not self._seen(last):
            near = self._among_seen(last.position, before)
            if may_be_unseen or not near:
                return "", 0.0
            return f"only {last.stars} stars at {last.position} where there were more: cloud", CLOUD_WAIT_S
        # far out of focus light falls out of the apertures: like is held against like
        alike = [f for f in before if 1 / _ALIKE < f.size / last.size < _ALIKE]
        most = max((f.light for f in alike), default=0.0)
        if last.light < _LIGHT_LEFT * most:
            lost = 100 * (1 - last.light / most)
            return f"the stars have lost {lost:.0f} % of their light: cloud", CLOUD_WAIT_S
        usual = median(f.elongation for f in before) if before else 1.1
        if last.size > _SHAPED_PX and last.elongation > _LONG * max(usual, 1.05):
            return f"stars are {last.elongation:.1f} times as long as wide: a gust", GUST_WAIT_S
        return "", 0.0

    def _among_seen(self, position: int, before: Sequence[Taken]) -> bool:
        """Whether stars should be seen there: they were beside it, and as far from focus."""
        if not before:
            return False
        smallest = min(before, key=lambda f: f.size).position
        beside = 1.5 * self.plan.spacing(self.depth)
        return any(
            abs(f.position - position) <= beside and abs(position - smallest) <= abs(f.position - smallest)
            for f in before
        )

    def _seen(self, frame: Taken) -> bool:
        return frame.size > 0 and frame.stars >= self._least_stars

    @property
    def _least_stars(self) -> int:
        """That a frame must show. In a field with few, where discs have told how far away focus is, half of
        what its richest frame shows: stars fade out on both sides of focus."""
        least = self.plan.least_stars
        if all(f.radius_px is None for f in self.frames):
            return least
        # the third richest: the richest may have seen what are no stars
        richest = sorted((f.stars for f in self.frames), reverse=True)[:3]
        return max(1, min(least, richest[-1] // 2))

    def _sweep_around(self, centre: int) -> Generator[Measure | Wait, Sequence[Taken], None]:
        """Its first frame tells on which side of the look that led here focus is: the others follow it."""
        near = len(self.frames) - 1
        first = self._left_of_sweep(centre)[:1]
        yield from self._sweep(first, "sweep")
        if first and not self.plan.starless:
            centre = self._recentred(centre, self.frames[near], self.frames[-1])
        yield from self._sweep(self._left_of_sweep(centre), "sweep")

    def _left_of_sweep(self, centre: int) -> list[int]:
        """Its positions that aren't measured yet, in the order in which they are gone to."""
        spacing = self.plan.spacing(self.depth)
        there = [f.position for f in self.frames[self._way_there :]]
        left = [p for p in self._grid(centre, spacing) if all(abs(p - q) >= spacing / 2 for q in there)]
        return left if self.plan.upward else left[::-1]

    def _recentred(self, centre: int, near: Taken, far: Taken) -> int:
        """Where the lowest point is by two frames' sizes y on y² = y₀² + slope² (p − p₀)², in whole steps of
        the sweep, which is as wide as y₀ asks for."""
        sizes = [self._radius_px(f, self._a_radius) for f in (near, far)]
        apart, slope2 = far.position - near.position, self.plan.slope_px_step**2
        if sizes[0] is None or sizes[1] is None or abs(apart) < self.depth:
            return centre
        there2, far2 = ((size * self._a_radius) ** 2 for size in sizes if size)
        lowest = (near.position + far.position) / 2 - (far2 - there2) / (2 * slope2 * apart)
        left2 = there2 - slope2 * (near.position - lowest) ** 2
        wider = math.sqrt(max(left2, 0.0) / slope2)
        self.depth = min(max(self.depth, wider), _MOST_WIDER * self.depth)
        spacing = self.plan.spacing(self.depth)
        return centre + spacing * round((lowest - centre) / spacing)

    def _sweep(self, positions: Iterable[int], why: Why) -> Generator[Measure | Wait, Sequence[Taken], None]:
        for position in sorted(positions, reverse=not self.plan.upward):
            for _ in range(self.plan.frames_each):
                yield from self._measure(position, why)

    def _usable(self) -> list[int]:
        """Not those of the way there: that they were near was taken from their sizes, scatter and all."""
        return [
            k
            for k, f in enumerate(self.frames)
            if k >= self._way_there and k not in self._dropped and self._seen(f)
        ]

    def _points(self, which: Iterable[int]) -> list[Point]:
        return [Point(self.frames[k].position, self.frames[k].size, self.frames[k].scatter) for k in which]

    # -- near ----------------------------------------------------------------------------------------

    def _approach(self) -> Generator[Measure | Wait, Sequence[Taken], int]:
        """To where a sweep may begin, by the size of discs; at once where the start is near."""
        plan = self.plan
        a_radius = self._a_radius
        ends = ENDS * plan.depth * plan.slope_px_step
        travel = Travel(
            plan.low_end,
            plan.high_end,
            steps_a_px=a_radius / plan.slope_px_step,
            near_px=1.3 * math.hypot(plan.usual_px, ends) / a_radius,
            most_blind=plan.most_blind,
        )
        while True:
            looks = [
                Look(f.position, self._radius_px(f, a_radius))
                for k, f in enumerate(self.frames)
                if k not in self._dropped
            ]
            between = self._between()
            if between is not None:
                return between
            step = next_look(travel, plan.start, looks)
            if isinstance(step, Near):
                if len(looks) > 1 and step.position == self.frames[-1].position:
                    # where the size of discs has led it: a point of the sweep as any other
                    self._way_there = len(self.frames) - 1
                return step.position
            if not isinstance(step, GoOn):
                farther = "; find focus goes farther" if plan.reach is not None else ""
                raise _Refused(f"{step.reason}{farther}")
            yield from self._measure(step.position, "look", step.why, may_be_unseen=True)

    def _between(self) -> int | None:
        """Where stars are smallest, when they are clearly larger on both sides: however large they are there,
        as on a tilted sensor, they get no smaller. The sweep is then as wide as their size asks for."""
        seen = [f for f in self.frames if self._seen(f) and f.radius_px is None]
        if len(seen) < 3:
            return None
        smallest = min(seen, key=lambda f: f.size)
        larger = [f.position for f in seen if f.size > _CLEARLY * smallest.size]
        if not (
            min(larger, default=smallest.position)
            < smallest.position
            < max(larger, default=smallest.position)
        ):
            return None
        self.depth = max(self.plan.depth, smallest.size / self.plan.slope_px_step)
        return smallest.position

    def _radius_px(self, frame: Taken, a_radius: float) -> float | None:
        if frame.radius_px is not None:
            return frame.radius_px
        return frame.size / a_radius if self._seen(frame) else None

    def _grid(self, centre: float, step: int) -> list[int]:
        """A sweep's positions around a centre, moved whole where the travel would cut them."""
        plan = self.plan
        span = step * (_POSITIONS - 1)
        first = max(plan.low_end, min(round(centre) - span // 2, plan.high_end - span))
        return [p for p in range(first, first + span + 1, step) if plan.low_end <= p <= plan.high_end]

    # -- until the lowest point is known --------------------------------------------------------------

    def _until_known(self) -> Generator[Measure | Wait, Sequence[Taken], None]:
        for _ in range(_MOST_ROUNDS):
            usable = self._usable()
            unseen = sum(
                k not in self._dropped and f.radius_px is None and not self._seen(f)
                for k, f in enumerate(self.frames[self._way_there :], self._way_there)
            )
            if len(usable) < LEAST_POINTS or unseen > _MOST_UNSEEN + len(usable) // 3:
                few = self._least_stars
                stars = f"{few} stars or more" if few > 1 else "a star"
                raise _Refused(
                    f"only {len(usable)} of {len(self.frames)} frames show {stars}: "
                    "cloud, or a field with too few"
                )
            curve = self._fitted(usable)
            why, more = self._what_more(curve)
            if not more or len(self.frames) + len(more) > self.plan.most_frames:
                break
            yield from self._sweep(more, why)
        points = self._points(self.used)
        self.verdict = judge(points, self._discs())
        if not self.verdict.accepted:
            raise _Refused(self.verdict.reason)

    def _discs(self) -> list[Point]:
        """Of this run's frames where stars are no stars any more, as sizes."""
        return [
            Point(f.position, f.radius_px * self._a_radius, 0.0)
            for f in self.frames[self._way_there :]
            if f.radius_px is not None and not self._seen(f)
        ]

    def _fitted(self, usable: list[int]) -> Curve | None:
        """Through the points that are near enough to the lowest one to tell of it; None without one."""
        self.used = usable
        try:
            curve = fit(self._points(usable))
            for _ in range(4):
                depth = self._depth(curve)
                near = [
                    k for k in usable if abs(self.frames[k].position - curve.best) <= _FITTED_DEPTHS * depth
                ]
                if near == self.used or len(near) < LEAST_POINTS:
                    break
                self.used, curve = near, fit(self._points(near))
            return curve
        except NoCurve:
            return None

    def _depth(self, curve: Curve) -> float:
        return (
            max(curve.best_size / curve.slope, self.plan.zone_steps / 6)
            if curve.slope > 0
            else self.plan.depth
        )

    def _what_more(self, curve: Curve | None) -> tuple[Why, list[int]]:
        """The positions that are measured next; none where the lowest point is known, or can't be."""
        plan = self.plan
        positions = sorted(self.frames[k].position for k in self.used)
        step = plan.spacing(self.depth)
        if curve is None:
            smallest = min(self.used, key=lambda k: self.frames[k].size)
            middle = (positions[0] + positions[-1]) / 2
            return "further", self._beyond(positions, self.frames[smallest].position < middle, step)
        outlier = self._outlier(curve)
        if outlier is not None:
            return "again", [outlier]
        depth = self._depth(curve)
        for lower in (True, False):
            side = [p for p in positions if (p < curve.best) is lower]
            far = max((abs(p - curve.best) for p in side), default=0.0)
            sizes = [float(curve.size(p)) for p in side]
            sizes += [d.size for d in self._discs() if (d.position < curve.best) is lower]
            rise = max(sizes, default=0.0)
            if len(side) < 3 or far < 0.9 * depth or rise < _RISE_SOUGHT * curve.best_size:
                further = self._beyond(positions, lower, max(step, round(depth / 2)))
                if further:
                    return "further", further
        half = max(curve.best - curve.interval[0], curve.interval[1] - curve.best)
        # sizes that agree by chance must not end a run early
        half *= max(1.0, _USUAL_SCATTER / max(curve.residual, 1e-6))
        if half <= plan.exact_steps:
            return "more", []
        wanted = len(self.used) * ((half / plan.exact_steps) ** 2 - 1)
        count = int(min(max(wanted, 2), 3 * len(_INFORMING), plan.most_frames - len(self.frames)))
        there = sorted(round(curve.best + _INFORMING[_spread(k)] * depth) for k in range(count))
        # and not beyond what showed stars
        low, high = max(positions[0], plan.low_end), min(positions[-1], plan.high_end)
        return "more", [min(max(p, low), high) for p in there]

    def _beyond(self, positions: list[int], lower: bool, step: int) -> list[int]:
        """Two positions further on that side, as far as the travel goes, and as stars are seen: halfway to
        where there were none any more."""
        plan, end, way = self.plan, positions[0] if lower else positions[-1], -1 if lower else 1
        dark = [
            abs(f.position - end)
            for k, f in enumerate(self.frames)
            if k >= self._way_there and k not in self._dropped and way * (f.position - end) > 0
        ]
        nearest = min(dark, default=math.inf)
        further = [end + way * k * step for k in (1, 2) if k * step < nearest]
        if not further and nearest > step / 2:
            further = [end + way * round(nearest / 2)]
        return sorted(p for p in further if plan.low_end <= p <= plan.high_end)

    def _outlier(self, curve: Curve) -> int | None:
        """The position of a frame that doesn't belong to the curve; it is repeated once, and forgotten."""
        for k in curve.left_out:
            frame = self.used[k]
            position = self.frames[frame].position
            if position not in self._repeated:
                self._repeated.add(position)
                self._dropped.add(frame)
                return position
        return None

    # -- the confirming frame --------------------------------------------------------------------------

    def _confirmed(self, at_start: Taken) -> Run:
        """It must come out no worse than its noise allows, and no worse than where the run began."""
        verdict, curve = self.verdict, self.verdict.curve if self.verdict else None
        assert verdict is not None and curve is not None, "judged before"
        best = min(max(round(curve.best), self.plan.low_end), self.plan.high_end)
        noise = max(curve.residual, _USUAL_SCATTER)
        # stars hardly wider than a pixel never get as small as a curve's foot
        smallest = max(curve.best_size, min(self.frames[k].size for k in self.used))
        sizes: list[float] = []
        for _ in range(2):
            yield from self._measure(best, "confirm", f"confirming {best}")
            last = self.frames[-1]
            if not self._seen(last):
                raise _Refused(f"the confirming frame shows only {last.stars} stars")
            sizes.append(last.size)
            size = sum(sizes) / len(sizes)
            # not by the root of their number: what the air does lasts longer than a frame
            allowed = _SIGMAS * math.hypot(noise, last.scatter / last.size)
            limit = smallest * (1 + allowed + _LEAST_NOISE)
            if size <= limit:
                break
        else:
            raise _Refused(
                f"the confirming frames have {size:.2f} px where the curve has {smallest:.2f}, "
                f"limit {limit:.2f}: undone"
            )
        better_before = self._seen(at_start) and size > at_start.size * (1 + _SIGMAS * math.sqrt(2) * noise)
        if better_before and at_start.position != best:
            raise _Refused(f"{size:.2f} px at {best}, {at_start.size:.2f} px where it was before: undone")
        gain = f", {at_start.size:.2f} px before" if self._seen(at_start) else ""
        return Done(True, f"{verdict.reason}{gain}", best, verdict, tuple(self.used), size)


def disc_size_px(radius_px: float, obstruction: float) -> float:
    """The half-flux radius of an evenly lit disc, whose middle is dark up to that share of its radius."""
    return radius_px * math.sqrt((1 + obstruction**2) / 2)


def _spread(k: int) -> int:
    """Of positions that say most, from both sides in turn."""
    order = (0, 4, 2, 3, 1, 5)
    return order[k % len(order)]
