"""What to expose next: a pure function of plan, counts and time."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from types import MappingProxyType

from vigil.documents.night import PutOff
from vigil.documents.plan import Block, ExposureLine, NightPlan, of_wanted
from vigil.planning.spells import Interval

_WORTH_CHANGING_FOR = timedelta(minutes=15)
_NOTHING: Mapping[str, PutOff] = MappingProxyType({})


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
    """Nothing to do before a moment. `lost_to` names what failed, where this is time lost."""

    until: datetime
    because: str
    lost_to: str = ""


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
    put_off: Mapping[str, PutOff] = _NOTHING,
    readout_s: Callable[[ExposureLine], float] = lambda line: 0.0,
) -> Candidate | Wait | Finished:
    """The next exposure, or until when to wait, or that the plan is finished.

    `spans` are each block's intervals tonight by its id, and those of lines with a condition of their own by
    theirs; `taken` the frames of a line that are whole or under way. Those of `put_off` are left alone until
    their moment, and neither begun nor got ready before it. A frame must be read out in its span: that takes
    `readout_s`.
    A block's conditions are begun `lead` before it opens, but never in an open block's time: an open
    block earlier in the plan goes first; before all of them the block `first`. The block `current`, whose
    frames are being taken, is only left for one that may run for at least a quarter of an hour.
    """
    opened: list[Candidate] = []
    soonest: tuple[datetime, Candidate, PutOff | None] | None = None
    left_over: list[str] = []
    for block in sorted(plan.blocks, key=lambda block: block.id != first):
        wanted = _wanted_lines(block, taken)
        if not wanted:
            continue
        if block.id in given_up:
            left_over.append(f"{block.target.name} was skipped")
            continue
        off = put_off.get(block.id)
        if off is not None and off.until <= at:
            off = None
        ready = at if off is None else off.until
        possible = [
            c
            for line in wanted
            if (c := _candidate(block, line, spans, taken, ready, readout_s(line))) is not None
        ]
        if not possible:
            opened_at_all = any(spans.get(line.id, spans[block.id]) for line in wanted)
            what = "has closed" if opened_at_all else "doesn't open tonight"
            over = f"the span of {block.target.name} {what}"
            short = ", ".join(_missing(line, taken(line.id)) for line in wanted)
            left_over.append(f"{over} ({short})" if off is None else f"{over} ({short}): {off.reason}")
            continue
        # of a block's lines the first that may begin now; else the one that may soonest
        open_now = next((c for c in possible if c.opens <= at and off is None), None)
        if open_now is not None:
            if not opened and block.id in (first, current):
                return open_now  # whatever else may run comes after it
            opened.append(open_now)
            continue
        next_one = min(possible, key=lambda c: c.opens)
        begins = next_one.opens - lead if off is None else max(next_one.opens - lead, off.until)
        if soonest is None or begins < soonest[0]:
            soonest = begins, next_one, off
    if opened:
        return _of_open(opened, at, first, current)
    if soonest is None:
        return Finished(", ".join(left_over) if left_over else "all frames are taken")
    begins, next_one, off = soonest
    if begins <= at:
        return next_one
    if off is not None and begins == off.until:
        return Wait(begins, off.reason, off.lost_to)
    return Wait(begins, f"getting ready for {next_one.block.target.name} begins then")


def _missing(line: ExposureLine, taken: int) -> str:
    """ "8 of 14 B 300 s"."""
    return f"{of_wanted(line, taken)} {line.words}"


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
    readout_s: float,
) -> Candidate | None:
    """A line's next exposure in the first interval that still holds it; None when none does."""
    length = timedelta(seconds=0 if block.span.may_overrun else line.exposure_s + readout_s)
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
