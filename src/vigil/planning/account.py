"""What came of a night, from its events: frames by line, and where the time went."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

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
    idle_s: float = 0.0
    """So much of it would have been waited anyway."""
    silent: tuple[str, ...] = ()
    """Devices that did not answer, where that is what it was lost to."""

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
    def frames_words(self) -> str:
        """ "12 of 16 frames"; of lines that take as many as fit the frames beside these."""
        counted = [line for line in self.lines if line.wanted]
        others = sum(line.taken for line in self.lines if not line.wanted)
        of_wanted = f"{sum(x.taken for x in counted)} of {sum(x.wanted for x in counted)} frames"
        if not counted:
            return f"{others} frames"
        return f"{of_wanted}, and {others} of lines with as many as fit" if others else of_wanted

    @property
    def complete(self) -> bool:
        """Whether every line has all that was wanted of it."""
        return all(line.taken >= line.wanted for line in self.lines)

    def of_kind(self, kind: str) -> tuple[Spell, ...]:
        return tuple(spell for spell in self.spells if spell.kind == kind)


def account(plan: NightPlan, events: Iterable[Event]) -> Account:
    """Add up a night's events. Activities beside others (cooling) are spells, but lose no time."""
    told = tuple(events)
    spells = tuple(SpellLog(told).spells)
    frames: dict[str, dict[str, Any]] = {}
    for event in told:
        if event.kind in (Kind.FRAME_SAVED, Kind.FRAME_MEASURED, Kind.FRAME_JUDGED):
            frame_id = event.values["frame_id"]
            frames[frame_id] = {**frames.get(frame_id, {}), **event.values}
    saved = [f["line"] for f in frames.values() if "path" in f and counts(f)]
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
                why = given_up.get(block.id) or (f"most time lost: {cause}" if cause else "no time was left")
            lines.append(LineAccount(line.id, line.words, block.target.name, line.number_wanted, taken, why))
    return Account(
        spells,
        tuple(lines),
        lost,
        dict(over.values["closing"]) if over else {},
        over.at if over else None,
        over.reason if over else "",
    )


class SpellLog:
    """A night's spells, put together event by event."""

    def __init__(self, events: Iterable[Event] = ()) -> None:
        self.spells: list[Spell] = []
        self._open: dict[object, Event] = {}
        self._waits_until: datetime | None = None
        self._idle_until: datetime | None = None
        self._silent: tuple[str, ...] = ()
        for event in events:
            self.add(event)

    def add(self, event: Event) -> None:
        values = event.values
        waited = self._open.pop("wait", None) if event.kind is not Kind.DEVICE_LOST else None
        if waited is not None:
            self._ended("wait", waited.values["lost_to"], waited, event, "lost", waited.reason)
        if event.kind is Kind.WAITING and values.get("lost_to"):
            self._open["wait"] = event
        if event.kind is Kind.WAITING:
            plain = "until" in values and "lost_to" not in values
            self._waits_until = datetime.fromisoformat(values["until"]) if plain else None
        elif event.kind in (Kind.ACTIVITY_STARTED, Kind.EXPOSURE_STARTED):
            self._waits_until = None
        if event.kind is Kind.ACTIVITY_STARTED:
            self._open[values["activity"]] = event
        elif event.kind is Kind.ACTIVITY_ENDED:
            if values["kind"] == _CONNECT:
                self._silent = tuple(values.get("silent", ()))
            begun = self._open.pop(values["activity"], None)
            if begun is not None:
                words, outcome = str(begun.values.get("words", "")), str(values["outcome"])
                self._ended(str(values["kind"]), words, begun, event, outcome, event.reason)
        elif event.kind is Kind.EXPOSURE_STARTED:
            self._open["exposure"] = event
        elif event.kind is Kind.EXPOSURE_ENDED:
            begun = self._open.pop("exposure", None)
            if begun is not None:
                outcome = str(values["outcome"])
                self._ended("exposure", begun.reason, begun, event, outcome, event.reason)
        elif event.kind is Kind.HELD:
            self._open["hold"], self._idle_until = event, self._waits_until
        elif event.kind in (Kind.RESUMED, Kind.CLOSING_STARTED):
            begun = self._open.pop("hold", None)
            if begun is not None:
                self._ended("hold", _cause(begun), begun, event, "done", event.reason)

    def _ended(self, kind: str, words: str, begun: Event, event: Event, outcome: str, reason: str) -> None:
        block, line = (str(begun.values.get(name, "")) for name in ("block", "line"))
        idle_s = 0.0
        if kind == "hold" and self._idle_until is not None:
            idle_s = max(0.0, (min(self._idle_until, event.at) - begun.at).total_seconds())
        silent = self._silent if _CONNECT in (kind, words) else ()
        self.spells.append(
            Spell(kind, words, begun.at, event.at, outcome, reason, block, line, idle_s, silent)
        )

    def lost_s(self) -> dict[str, float]:
        """Time by what it was lost to, the most first."""
        return _lost_s(self.spells)


_GERUNDS = {
    "connect": "connecting",
    "cool": "cooling",
    "wake mount": "unparking",
    "slew": "slewing",
    "dither": "dithering",
    "guide": "settling the guiding",
    "calibrate guiding": "calibrating the guider",
    "flip": "the flip",
    "change filter": "changing the filter",
    "open": "opening",
    "heat": "setting the heaters",
    "focus": "focusing",
    "turn camera": "turning the camera",
    "turn by hand": "turning the camera by hand",
    "centre": "centring",
    "shelter": "closing and parking",
    "stand down": "stopping the mount",
    "look": "looking at the sky",
    "ask": "a question",
    "wait": "a wait",
    "program": "a program",
    "test exposure": "a test exposure",
    "exposure": "a frame",
}
"""What was done, by an activity's kind."""
_CONNECT = "connect"
_FRAMES = {"short": "frames cut short", "failed": "frames that failed", "cancelled": "frames abandoned"}
_HELD_FOR = {"enough stars": "too few stars", "room on disk": "no room on disk"}
"""What a hold was for, by its condition."""


def gerund(kind: str) -> str:
    """What an activity of a kind does, as "centring"."""
    return _GERUNDS.get(kind, kind)


def _cause(held: Event) -> str:
    """What a hold was for, so that several of one cause add up."""
    condition, clause = str(held.values.get("condition", "")), held.reason.split(";")[0].strip()
    if condition == "safe":  # of "wind 14 m/s, limit 12" the name
        return re.split(r"[,(]|\s\d", clause)[0].strip()
    return _HELD_FOR.get(condition, clause)


def _lost_s(spells: Iterable[Spell]) -> dict[str, float]:
    """Holds by their reason, what failed by its kind with the waits after it, exposures that came to
    nothing."""
    lost: dict[str, float] = {}
    for spell in spells:
        if spell.kind == "hold":
            if spell.idle_s >= spell.seconds:
                continue
            name = f"held: {spell.words}"
        elif spell.silent and spell.outcome in ("failed", "lost"):
            name = f"{' and '.join(f'the {device}' for device in spell.silent)} did not answer"
        elif spell.outcome == "lost":
            name = f"{gerund(spell.words)} failed"
        elif spell.outcome == "done":
            continue
        elif spell.kind == "exposure":
            name = _FRAMES.get(spell.outcome, "frames that failed")
        else:
            name = f"{gerund(spell.kind)} {'failed' if spell.outcome == 'failed' else 'was abandoned'}"
        lost[name] = lost.get(name, 0.0) + spell.seconds - spell.idle_s
    return dict(sorted(lost.items(), key=lambda item: -item[1]))


def lost_words(lost_s: dict[str, float], most: int | None = None) -> list[str]:
    """ "6 min lost: centring failed", the most first; what cost under a minute is left out."""
    told = [f"{s / 60:.0f} min lost: {name}" for name, s in lost_s.items() if s >= 60]
    return told[:most]


_CLOSED = {
    "stop the camera": "camera stopped",
    "park": "mount parked",
    "warm up": "camera warm",
    "heaters off": "heaters off",
    "disconnect": "disconnected",
}


def closed_words(closing: dict[str, str]) -> str:
    """ "closed: camera stopped, mount parked; failed: warm up"."""
    done = [_CLOSED.get(part, part) for part, outcome in closing.items() if outcome == "done"]
    others = [f"{outcome}: {part}" for part, outcome in closing.items() if outcome != "done"]
    return "; ".join([*([f"closed: {', '.join(done)}"] if done else []), *others])
