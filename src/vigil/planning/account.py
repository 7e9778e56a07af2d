"""What came of a night, from its events: frames by line, and where the time went."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from vigil.documents.events import Event, Kind
from vigil.documents.night import counts
from vigil.documents.plan import NightPlan


@dataclass(frozen=True, slots=True)
class Spell:
    """Something that took its time: `kind` is "exposure", "hold", "wait" or an activity's kind; `outcome` is
    "done", or what else became of it."""

    kind: str
    words: str
    begins: datetime
    ends: datetime
    outcome: str
    reason: str
    block: str = ""
    line: str = ""

    @property
    def seconds(self) -> float:
        return (self.ends - self.begins).total_seconds()


@dataclass(frozen=True, slots=True)
class LineAccount:
    """A line's frames; `why` says what became of those that are missing."""

    line: str
    words: str
    target: str
    wanted: int
    taken: int
    why: str = ""


@dataclass(frozen=True, slots=True)
class Account:
    """A night, or a rehearsal of one. `lost_s` is time by what it was lost to."""

    spells: tuple[Spell, ...]
    lines: tuple[LineAccount, ...]
    lost_s: dict[str, float]
    closing: dict[str, str]
    ends: datetime | None
    end_reason: str

    @property
    def frames(self) -> int:
        return sum(line.taken for line in self.lines)

    @property
    def complete(self) -> bool:
        """Whether every line has all that was wanted of it."""
        return all(line.taken >= line.wanted for line in self.lines)

    def of_kind(self, kind: str) -> tuple[Spell, ...]:
        return tuple(spell for spell in self.spells if spell.kind == kind)


def account(plan: NightPlan, events: Iterable[Event]) -> Account:
    """Add up a night's events. Activities beside others (cooling) are spells, but lose no time."""
    told = tuple(events)
    spells = tuple(_spells(told))
    judged = {e.values["frame_id"]: e.values for e in told if e.kind is Kind.FRAME_JUDGED}
    frames = [e.values for e in told if e.kind is Kind.FRAME_SAVED]
    saved = [f["line"] for f in frames if counts({**f, **judged.get(f["frame_id"], {})})]
    given_up = {e.values["block"]: e.reason for e in told if e.kind is Kind.BLOCK_GIVEN_UP}
    over = next((e for e in reversed(told) if e.kind is Kind.NIGHT_OVER), None)
    lost = _lost_s(spells)
    cause = max(lost, key=lambda name: lost[name]) if lost else ""
    lines = []
    for block in plan.blocks:
        for line in block.active_lines:
            taken = saved.count(line.id)
            why = ""
            if taken < line.number_wanted:
                why = given_up.get(block.id) or (f"time went to {cause}" if cause else "no time was left")
            lines.append(LineAccount(line.id, line.words, block.target.name, line.number_wanted, taken, why))
    return Account(
        spells,
        tuple(lines),
        lost,
        dict(over.values["closing"]) if over else {},
        over.at if over else None,
        over.reason if over else "",
    )


def _spells(events: tuple[Event, ...]) -> list[Spell]:
    found: list[Spell] = []
    open_: dict[object, Event] = {}
    for event in events:
        values = event.values
        waited = open_.pop("wait", None) if event.kind is not Kind.DEVICE_LOST else None
        if waited is not None:
            found.append(Spell("wait", waited.values["lost_to"], waited.at, event.at, "lost", waited.reason))
        if event.kind is Kind.WAITING and values.get("lost_to"):
            open_["wait"] = event
        if event.kind is Kind.ACTIVITY_STARTED:
            open_[values["activity"]] = event
        elif event.kind is Kind.ACTIVITY_ENDED:
            begun = open_.pop(values["activity"], None)
            if begun is not None:
                words = str(begun.values.get("words", ""))
                found.append(
                    Spell(
                        str(values["kind"]), words, begun.at, event.at, str(values["outcome"]), event.reason
                    )
                )
        elif event.kind is Kind.EXPOSURE_STARTED:
            open_["exposure"] = event
        elif event.kind is Kind.EXPOSURE_ENDED:
            begun = open_.pop("exposure", None)
            if begun is not None:
                where = str(begun.values["block"]), str(begun.values["line"])
                outcome = str(values["outcome"])
                found.append(
                    Spell("exposure", begun.reason, begun.at, event.at, outcome, event.reason, *where)
                )
        elif event.kind is Kind.HELD:
            open_["hold"] = event
        elif event.kind in (Kind.RESUMED, Kind.CLOSING_STARTED):
            begun = open_.pop("hold", None)
            if begun is not None:
                found.append(Spell("hold", begun.reason, begun.at, event.at, "done", event.reason))
    return found


def _lost_s(spells: tuple[Spell, ...]) -> dict[str, float]:
    """Holds by their reason, what failed by its kind, exposures that came to nothing."""
    lost: dict[str, float] = {}
    for spell in spells:
        if spell.kind == "hold":
            name = f"holding: {spell.words.split(';')[0].split(',')[0]}"
        elif spell.kind == "wait":
            name = f"after {spell.words} failed"
        elif spell.outcome != "done":
            name = f"{spell.kind} {spell.outcome}"
        else:
            continue
        lost[name] = lost.get(name, 0.0) + spell.seconds
    return dict(sorted(lost.items(), key=lambda item: -item[1]))
