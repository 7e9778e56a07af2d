"""What to expose next: a pure function of plan, counts and time."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from vigil.documents.plan import Block, ExposureLine, NightPlan
from vigil.planning.spans import Interval


@dataclass(frozen=True, slots=True)
class Candidate:
    """The next exposure, and the interval of its block's span that it falls in. `number` counts from 1."""

    block: Block
    line: ExposureLine
    number: int
    opens: datetime
    closes: datetime


@dataclass(frozen=True, slots=True)
class Wait:
    """Nothing to do before a moment."""

    until: datetime
    because: str


@dataclass(frozen=True, slots=True)
class Finished:
    """Nothing to do any more tonight."""

    because: str


def choose(
    plan: NightPlan,
    spans: Mapping[str, Sequence[Interval]],
    taken: Callable[[str], int],
    given_up: Collection[str],
    at: datetime,
    lead: timedelta = timedelta(0),
) -> Candidate | Wait | Finished:
    """The next exposure, or until when to wait, or that the plan is finished.

    `spans` are each block's intervals tonight, `taken` the frames of a line that are whole or under way.
    A block's conditions are begun `lead` before it opens, but never in an open block's time: an open
    block earlier in the plan goes first.
    """
    soonest: Candidate | None = None
    left_over: list[str] = []
    for block in plan.blocks:
        line = _next_line(block, taken)
        if line is None:
            continue
        if block.id in given_up:
            left_over.append(f"{block.target.name} given up")
            continue
        length = timedelta(seconds=line.exposure_s)
        interval = next((i for i in spans[block.id] if max(i.opens, at) + length <= i.closes), None)
        if interval is None:
            left_over.append(f"{block.target.name} is over for tonight")
            continue
        candidate = Candidate(block, line, taken(line.id) + 1, interval.opens, interval.closes)
        if interval.opens <= at:
            return candidate
        if soonest is None or interval.opens < soonest.opens:
            soonest = candidate
    if soonest is None:
        return Finished(", ".join(left_over) if left_over else "all frames are taken")
    if soonest.opens - lead <= at:
        return soonest
    return Wait(soonest.opens - lead, f"getting ready for {soonest.block.target.name} begins then")


def _next_line(block: Block, taken: Callable[[str], int]) -> ExposureLine | None:
    open_lines = [line for line in block.lines if taken(line.id) < line.count]
    if not open_lines:
        return None
    if block.order == "in turn":
        # round and round: the line with the fewest so far, the first of equals
        return min(open_lines, key=lambda line: taken(line.id))
    return open_lines[0]
