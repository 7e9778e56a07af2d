"""What to expose next: a pure function of plan, counts and time."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from vigil.documents.plan import Block, ExposureLine, NightPlan
from vigil.planning.spans import Interval

_WORTH_CHANGING_FOR = timedelta(minutes=15)


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
    first: str = "",
    current: str = "",
) -> Candidate | Wait | Finished:
    """The next exposure, or until when to wait, or that the plan is finished.

    `spans` are each block's intervals tonight by its id, and those of lines with a condition of their own by
    theirs; `taken` the frames of a line that are whole or under way.
    A block's conditions are begun `lead` before it opens, but never in an open block's time: an open
    block earlier in the plan goes first; before all of them the block `first`. The block `current`, whose
    frames are being taken, is only left for one that may run for at least a quarter of an hour.
    """
    opened: list[Candidate] = []
    soonest: Candidate | None = None
    left_over: list[str] = []
    for block in sorted(plan.blocks, key=lambda block: block.id != first):
        wanted = _wanted_lines(block, taken)
        if not wanted:
            continue
        if block.id in given_up:
            left_over.append(f"{block.target.name} given up")
            continue
        possible = [c for line in wanted if (c := _candidate(block, line, spans, taken, at)) is not None]
        if not possible:
            left_over.append(f"{block.target.name} is over for tonight")
            continue
        # of a block's lines the first that may begin now; else the one that may soonest
        open_now = next((c for c in possible if c.opens <= at), None)
        if open_now is not None:
            opened.append(open_now)
            continue
        next_one = min(possible, key=lambda c: c.opens)
        if soonest is None or next_one.opens < soonest.opens:
            soonest = next_one
    if opened:
        return _of_open(opened, at, first, current)
    if soonest is None:
        return Finished(", ".join(left_over) if left_over else "all frames are taken")
    if soonest.opens - lead <= at:
        return soonest
    return Wait(soonest.opens - lead, f"getting ready for {soonest.block.target.name} begins then")


def _of_open(opened: Sequence[Candidate], at: datetime, first: str, current: str) -> Candidate:
    """Of blocks that may run now the earliest in the plan; from the one under way only to one that is worth
    the way there."""
    if all(candidate.block.id != current for candidate in opened):
        return opened[0]
    return next(c for c in opened if c.block.id in (first, current) or c.closes - at >= _WORTH_CHANGING_FOR)


def _candidate(
    block: Block,
    line: ExposureLine,
    spans: Mapping[str, Sequence[Interval]],
    taken: Callable[[str], int],
    at: datetime,
) -> Candidate | None:
    """A line's next exposure in the first interval that still holds it; None when none does."""
    length = timedelta(seconds=0 if block.span.may_overrun else line.exposure_s)
    intervals = spans.get(line.id, spans[block.id])
    interval = next((i for i in intervals if max(i.opens, at) + length <= i.closes and at < i.closes), None)
    if interval is None:
        return None
    return Candidate(block, line, taken(line.id) + 1, interval.opens, interval.closes)


def _wanted_lines(block: Block, taken: Callable[[str], int]) -> list[ExposureLine]:
    """Lines that want more frames, in the order they are to be taken. In turn: by rounds, the line with the
    fewest so far first, of equals the earlier in the plan; a line that has all of its frames drops out."""
    wanted = [line for line in block.active_lines if line.wants_more(taken(line.id))]
    if block.order == "in turn":
        wanted.sort(key=lambda line: taken(line.id))
    return wanted
