"""What Watch says first: the night's mood, what comes next, what it has cost."""

from dataclasses import dataclass
from datetime import datetime

from vigil.ui import words
from vigil.ui.linkstate import LinkState
from vigil.ui.session import Session

_MOST_COMING = 4
_TOLD_AHEAD = {"flip": "meridian flip", "focus": "focusing"}


@dataclass(frozen=True, slots=True)
class Mood:
    """The one thing to read from across the room. `role` is head, warn or fault."""

    name: str
    words: str
    role: str = "head"
    quiet: bool = False
    """All goes by itself: there is room to say what."""


def mood_of(session: Session) -> Mood:
    """Of the link first, then of the night."""
    run, record = session.run, session.record
    if session.link is LinkState.STARTING:
        return Mood("One moment", "looking for the keeper")
    if session.link is not LinkState.OPEN:
        return Mood("No keeper", "nothing looks after the rig", "fault")
    if run in ("running", "held") and record.doing_now("shelter"):
        return Mood("Shutting and parking", record.sheltering_for, "fault")
    if run == "held":
        shut = "; all is shut and the mount parked" if record.sheltered else ""
        return Mood("Holding", (record.state.hold or "") + shut, "warn")
    if run == "running":
        return _running(session)
    if run == "closing":
        return Mood("Closing", record.state.end_reason)
    done, wanted = record.tally
    if run == "over":
        failed = [p["part"] for p in record.state.closing if p["outcome"] == "failed"]
        if failed:
            return Mood("Look at the rig", f"failed at the end: {', '.join(failed)}", "fault")
        return Mood("Good night", f"{done} of {wanted} frames; {record.state.end_reason}")
    last = f"; last night {done} of {wanted}: {record.state.end_reason}" if session.past else ""
    return Mood("Ready", f"{session.plan.plan.wanted} frames planned{last}")


def _running(session: Session) -> Mood:
    record = session.record
    if record.state.questions:
        question = next(iter(record.state.questions.values()))
        return Mood("Vigil asks", question.words, "warn")
    if record.trying_again:
        return Mood("Trying again", record.trying_again, "warn")
    devices = session.status.devices if session.status else {}
    fault = next((name for name, lamp in devices.items() if lamp == "fault"), None)
    if fault is not None:
        return Mood(f"{fault}: fault", "Vigil is dealing with it", "fault")
    return Mood("All quiet", "nothing needs you", quiet=True)


def coming(session: Session) -> list[tuple[str, str]]:
    """What happens next, and when."""
    ahead = session.plan_ahead()
    found: list[tuple[str, datetime]] = []
    # while the night holds nobody knows when it goes on
    if session.run in ("ready", "running"):
        # the line under way has begun already
        seen: set[str] = {session.record.exposing.line} if session.record.exposing else set()
        for step in ahead.steps:
            what = step.kind if step.kind in _TOLD_AHEAD else step.line
            if step.begins < session.now or what in seen or step.kind not in (*_TOLD_AHEAD, "exposure"):
                continue
            seen.add(what)
            if step.kind in _TOLD_AHEAD:
                found.append((_TOLD_AHEAD[step.kind], step.begins))
                continue
            line = next((x for b in session.plan.plan.blocks for x in b.lines if x.id == step.line), None)
            block = next((b for b in session.plan.plan.blocks if b.id == step.block), None)
            if line is not None and block is not None:
                found.append((f"{block.target.name}, {line.filter} begins", step.begins))
        if ahead.ends is not None:
            found.append(("last frame read out", ahead.ends))
    sun = session.sky.sun
    for said, at in (("astronomical dawn", sun.astronomical_dawn), ("sunrise", sun.sunrise)):
        if at is not None and at > session.now:
            found.append((said, at))
            break
    found.sort(key=lambda item: item[1])
    return [
        (said, f"{words.clock(at, session.zone)}  in {words.countdown(at, session.now)}")
        for said, at in found[:_MOST_COMING]
    ]


def across_the_room(session: Session) -> str:
    """What goes on and what comes next, in few words."""
    exposing = session.record.exposing
    doing = exposing.words if exposing is not None else session.status.doing if session.status else ""
    following = next(iter(coming(session)), None)
    return " · ".join(x for x in (doing, f"{following[0]} {following[1]}" if following else "") if x)


def lost_words(lost_s: dict[str, float]) -> str:
    """What the most of the night's time was lost to; empty for under a minute."""
    told = [(name, seconds) for name, seconds in lost_s.items() if seconds >= 60]
    if not told:
        return ""
    total = words.hours(sum(lost_s.values()))
    if len(lost_s) == 1:
        return f"{total} lost: {told[0][0]}"
    return f"{total} lost: " + ", ".join(f"{words.hours(seconds)} {name}" for name, seconds in told[:2])
