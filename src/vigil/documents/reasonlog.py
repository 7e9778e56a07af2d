"""Events as sentences: what was decided or came about, and why, with its numbers."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from vigil.documents.events import Event, Kind


class Weight(StrEnum):
    """How much a sentence matters to somebody who glances at it."""

    PLAIN = "plain"
    NOTICE = "notice"
    FAULT = "fault"


@dataclass(frozen=True, slots=True)
class Sentence:
    """One line of the reason log: what, and beneath it why."""

    event_id: int
    at: datetime
    what: str
    why: str
    weight: Weight = Weight.PLAIN


_DONE = {
    "focus": "focused",
    "centre": "centred",
    "connect": "connected",
    "cool": "cooled",
    "slew": "slewed",
    "wake mount": "unparked",
    "change filter": "changed",
    "open": "opened",
    "heat": "set",
}


class ReasonLog:
    """Builds sentences from events told in order; what goes without saying gives none."""

    def __init__(self) -> None:
        self._why: dict[int, tuple[str, str]] = {}
        self._paths: dict[str, str] = {}

    def add(self, event: Event) -> Sentence | None:
        """The event's sentence, if it deserves one."""
        teller = _TELLERS.get(event.kind)
        if teller is None:
            return None
        told = teller(self, event)
        if told is None:
            return None
        what, why, weight = told
        return Sentence(event.id, event.at, what, why, weight)

    def _started(self, event: Event) -> "_Told | None":
        self._why[int(event.values["activity"])] = (str(event.values["words"]), event.reason)
        return None

    def _ended(self, event: Event) -> "_Told | None":
        words, why = self._why.pop(int(event.values["activity"]), ("", ""))
        outcome, kind = event.values["outcome"], str(event.values["kind"])
        if outcome == "done":
            if event.reason == words:  # it says no more than its name: "slewing to IC 405"
                return f"{_DONE.get(kind, kind)} {words.partition(' ')[2]}", why, Weight.PLAIN
            return f"{_DONE.get(kind, kind)}: {event.reason}", why, Weight.PLAIN
        if outcome == "cancelled":
            return f"abandoned: {words or event.reason}", why, Weight.NOTICE
        return f"failed: {words or kind}", event.reason, Weight.FAULT

    def _announced(self, event: Event) -> "_Told | None":
        self._paths[event.values["frame_id"]] = event.values["path"]
        return None

    def _exposed(self, event: Event) -> "_Told | None":
        if event.values["outcome"] == "done":
            return None
        return f"exposure {event.values['outcome']}", event.reason, Weight.NOTICE

    def _saved(self, event: Event) -> "_Told | None":
        if doubtful := event.values.get("doubtful"):
            return "doesn't count", str(doubtful), Weight.NOTICE
        if event.values["path"] == self._paths.get(event.values["frame_id"], event.values["path"]):
            return None
        return "frame saved elsewhere", event.reason, Weight.NOTICE

    def _guided(self, event: Event) -> "_Told | None":
        """That it gave way, and how a dither settled, its activities say."""
        values = event.values
        if "moved" in values or "settled" in values or values.get("failed") is False:
            return None
        trouble = "mark" in values or values.get("failed")
        return "guiding", event.reason, Weight.NOTICE if trouble else Weight.PLAIN

    def _part(self, event: Event) -> "_Told | None":
        failed = event.values["outcome"] == "failed"
        return event.reason, "", Weight.FAULT if failed else Weight.PLAIN

    def _waiting(self, event: Event) -> "_Told | None":
        return (
            ("waiting", event.reason.removesuffix(" then"), Weight.PLAIN) if "until" in event.values else None
        )


_Told = tuple[str, str, Weight]


def _plainly(what: str, weight: Weight = Weight.PLAIN) -> Callable[[ReasonLog, Event], _Told]:
    return lambda _, event: (what, event.reason, weight)


_TELLERS: dict[Kind, Callable[[ReasonLog, Event], _Told | None]] = {
    Kind.NIGHT_STARTED: _plainly("night begun"),
    Kind.NIGHT_RESUMED: _plainly("night resumed", Weight.NOTICE),
    Kind.WAITING: ReasonLog._waiting,
    Kind.ACTIVITY_STARTED: ReasonLog._started,
    Kind.ACTIVITY_ENDED: ReasonLog._ended,
    Kind.WAIVED: _plainly("going on without it", Weight.NOTICE),
    Kind.EXPOSURE_STARTED: ReasonLog._announced,
    Kind.EXPOSURE_ENDED: ReasonLog._exposed,
    Kind.FRAME_SAVED: ReasonLog._saved,
    Kind.FRAME_JUDGED: _plainly("frame judged by you"),
    Kind.FRAME_LOCATED: _plainly("file looked for"),
    Kind.BLOCK_GIVEN_UP: _plainly("skipped for tonight", Weight.NOTICE),
    Kind.PUT_OFF: _plainly("put off", Weight.NOTICE),
    Kind.DEVICE_LOST: _plainly("device lost", Weight.FAULT),
    Kind.DEVICE_RECOVERED: _plainly("device answered again", Weight.NOTICE),
    Kind.GUARDED: _plainly("stopped by a limit", Weight.NOTICE),
    Kind.GUIDED: ReasonLog._guided,
    Kind.BY_HAND: _plainly("by hand", Weight.NOTICE),
    Kind.RIG_CHANGED: _plainly("rig changed"),
    Kind.PLAN_CHANGED: _plainly("plan changed"),
    Kind.ASKED: _plainly("asked by you"),
    Kind.HELD: _plainly("held", Weight.NOTICE),
    Kind.RESUMED: _plainly("resumed"),
    Kind.CLOSING_STARTED: _plainly("closing"),
    Kind.CLOSING_PART: ReasonLog._part,
    Kind.NIGHT_OVER: _plainly("night over"),
}
