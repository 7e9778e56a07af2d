"""The state of a night: a fold over its events. Window, command line and a restart rebuild it so."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from typing import Any

from vigil.documents.errands import Question, questions_after
from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import (
    ActivityEnded,
    ActivityStarted,
    Asked,
    BlockGivenUp,
    ByHand,
    ClosingPart,
    ExposureEnded,
    ExposureStarted,
    FrameJudged,
    FrameMeasured,
    FrameSaved,
    Guarded,
    Guided,
    Held,
    NightStarted,
    PlanChanged,
    RigChanged,
    Waived,
    read,
)
from vigil.documents.eventvalues import PutOff as PutOffValues
from vigil.documents.polar import PolarRecord
from vigil.sky.tangent import deproject


class RunState(StrEnum):
    """Where a night stands."""

    READY = "ready"
    RUNNING = "running"
    HELD = "held"
    CLOSING = "closing"
    OVER = "over"


UNDER_WAY = frozenset({RunState.RUNNING, RunState.HELD, RunState.CLOSING})
ALLOWED: dict[RunState, frozenset[RunState]] = {
    RunState.READY: frozenset({RunState.RUNNING}),
    RunState.RUNNING: frozenset({RunState.HELD, RunState.CLOSING}),
    RunState.HELD: frozenset({RunState.RUNNING, RunState.CLOSING}),
    RunState.CLOSING: frozenset({RunState.OVER}),
    RunState.OVER: frozenset(),
}


class NotAllowed(RuntimeError):
    """A change of run state that the table does not have."""


def change(now: RunState, wanted: RunState) -> RunState:
    """The one place that checks a transition. Raises NotAllowed."""
    if wanted is now:
        raise NotAllowed(f"the night is {now} already")
    if wanted not in ALLOWED[now]:
        raise NotAllowed(f"a night that is {now} can't become {wanted}")
    return wanted


@dataclass(frozen=True, slots=True)
class FocusRecord:
    """The last good focus: reduced to the position for its filter, with what it was found at."""

    position: int
    filter: str
    temperature_c: float | None
    hfr_px: float
    at: datetime
    block: str = ""
    slope_px_step: float | None = None
    """By how much sizes grow a step, far out; and how well the position is known (standard error)."""
    sigma_steps: float | None = None


@dataclass(frozen=True, slots=True)
class PointingRecord:
    """The last solved frame: how far off it was, and the commanded position that led there."""

    at: datetime
    block: str
    off_px: float
    off_arcsec: float
    aim_ra_deg: float
    aim_dec_deg: float
    side: str = ""
    """Of the pier, where known."""
    wanders_arcsec: float = 0.0
    """By how much farther off the last frame was than the one before it."""
    measured: bool = False
    """Whether a light has been since: the first one beside its centring tells no wandering."""


@dataclass(frozen=True, slots=True)
class DitherRecord:
    """How far beside its target a block's aim is; `number` counts the night's dithers."""

    block: str
    number: int
    east_arcsec: float
    north_arcsec: float


@dataclass(frozen=True, slots=True)
class AngleRecord:
    """The camera's position angle by the last solved frame; `accepted_for` is the block that it was found
    good enough for, though it is off."""

    at: datetime
    position_angle_deg: float
    accepted_for: str = ""


@dataclass(frozen=True, slots=True)
class Waiver:
    """A soft condition set aside until a moment, a filter change or a temperature change."""

    condition: str
    until: datetime
    reason: str


@dataclass(frozen=True, slots=True)
class PutOff:
    """A block that is left alone until a moment; `lost_to` names what failed, where it is time lost."""

    until: datetime
    reason: str
    lost_to: str = ""


@dataclass(frozen=True, slots=True)
class LightFigures:
    """A finished light's figures, in order."""

    frame_id: str
    filter: str
    hfr_px: float
    stars: int
    background_adu: float


@dataclass(frozen=True, slots=True)
class NightState:
    """What is known of a night from its events alone."""

    night: str = ""
    run: RunState = RunState.READY
    started: Event | None = None
    rig: str | None = None
    """The rig in force, as a document's text."""
    plan: str | None = None
    """The plan in force, likewise."""
    first: str = ""
    """The block that a person wants done before the others."""
    refocus_asked: bool = False
    refocusing_paused: bool = False
    last_id: int = 0
    announced: dict[str, dict[str, Any]] = field(default_factory=dict)
    saved: dict[str, dict[str, Any]] = field(default_factory=dict)
    counted: dict[str, int] = field(default_factory=dict)
    """Of each line the frames that are whole on disk, and good."""
    lights_since_focus: tuple[LightFigures, ...] = ()
    frames_since_focus: int = 0
    focus: FocusRecord | None = None
    last_focus: FocusRecord | None = None
    """Also when something has disturbed it since."""
    focus_astray: int | None = None
    """Where the focuser was before a run that was cut off; None while it is where a run left it."""
    focus_refused: int = 0
    """How often in a row."""
    pointing: PointingRecord | None = None
    angle: AngleRecord | None = None
    side: str = ""
    """Side of the pier that the last slew left the tube on."""
    dither: DitherRecord | None = None
    dithered: tuple[tuple[str, float, float], ...] = ()
    """The last places: block, arc-seconds beside its target east and north."""
    frames_since_dither: int = 0
    polar: PolarRecord | None = None
    """The last measurement of the polar axis in this night."""
    polar_accepted: bool = False
    """Whether the axis is left as it is, too far off though it be."""
    waivers: tuple[Waiver, ...] = ()
    given_up: frozenset[str] = frozenset()
    put_off: dict[str, PutOff] = field(default_factory=dict)
    failed_in_row: dict[str, int] = field(default_factory=dict)
    """Of each block how often it was put off for a failure since its last good frame."""
    was_connected: bool = False
    """Whether the rig has been connected tonight: what was opened then may stand open now."""
    steps_done: frozenset[str] = frozenset()
    """Ids of the plan's steps that are done once."""
    hold: str | None = None
    held_by: str = ""
    """The condition that holds the night, by its name; empty where a person is waited for."""
    went_on: datetime | None = None
    """When the night last went on after a hold."""
    looked: dict[str, Any] | None = None
    """What the last look at the sky in a hold showed."""
    activities: dict[int, dict[str, Any]] = field(default_factory=dict)
    questions: dict[int, Question] = field(default_factory=dict)
    """What a person is asked now."""
    waiting: Event | None = None
    exposing: Event | None = None
    block: str = ""
    """The block whose frame was begun last."""
    end_reason: str = ""
    closing: tuple[dict[str, Any], ...] = ()

    def aim_deg(self, block_id: str, ra_deg: float, dec_deg: float) -> tuple[float, float]:
        """Where a block's frames are to lie now: its target, or beside it by the last dither."""
        beside = self.dither_of(block_id)
        if beside is None:
            return ra_deg, dec_deg
        ra, dec = deproject(beside[0] / 3600, beside[1] / 3600, ra_deg, dec_deg)
        return float(ra) % 360, float(dec)

    def dither_of(self, block_id: str) -> tuple[float, float] | None:
        """How far beside its target a block's frames are to lie: arc-seconds east, north."""
        if self.dither is None or self.dither.block != block_id:
            return None
        return self.dither.east_arcsec, self.dither.north_arcsec

    def waived(self, condition: str, now: datetime) -> bool:
        """Whether the night goes on without it."""
        return any(w.condition == condition and now < w.until for w in self.waivers)

    def done(self, line_id: str) -> int:
        """Frames of an exposure line that are whole on disk, and good."""
        return self.counted.get(line_id, 0)

    @property
    def good(self) -> int:
        """Frames of all lines that count."""
        return sum(self.counted.values())


_DITHERS = 40
"""Remembered of a night."""


def counts(frame: dict[str, Any]) -> bool:
    """Whether a saved frame counts: not one that was cut short, unless a person says so, nor a rejected
    one."""
    verdict = frame.get("verdict")
    return verdict == "kept" if verdict in ("kept", "rejected") else not frame.get("doubtful")


def fold(state: NightState, event: Event) -> NightState:
    """The state after one more event. Raises NotAllowed for events that contradict the run state."""
    step = _FOLDS.get(event.kind)
    after = step(state, event) if step else state
    return replace(after, last_id=max(event.id, state.last_id))


def fold_all(events: Iterable[Event]) -> NightState:
    """The state after a night's events so far."""
    state = NightState()
    for event in events:
        state = fold(state, event)
    return state


def _night_started(state: NightState, event: Event) -> NightState:
    told = read(event, NightStarted)
    begun = NightState(night=event.errand, started=event, rig=told.rig, plan=told.plan)
    return replace(begun, run=change(state.run, RunState.RUNNING))


def _night_resumed(state: NightState, event: Event) -> NightState:
    # what a dead keeper had under way is gone; pointing can't be trusted, counts and focus can
    for activity in state.activities.values():
        state = _focus_cut_off(state, activity)
    return replace(state, activities={}, questions={}, exposing=None, pointing=None, angle=None, waiting=None)


def _question(state: NightState, event: Event) -> NightState:
    return replace(state, questions=questions_after(state.questions, event))


def _waiting(state: NightState, event: Event) -> NightState:
    return replace(state, waiting=event)


def _activity_started(state: NightState, event: Event) -> NightState:
    under_way = {**state.activities, read(event, ActivityStarted).activity: event.values}
    return replace(state, activities=under_way, waiting=None)


def _focus_cut_off(state: NightState, started: dict[str, Any]) -> NightState:
    """A run that did not end has left the focuser anywhere between its positions."""
    if started.get("kind") != "focus" or started.get("from") is None or state.focus_astray is not None:
        return state
    return replace(state, focus_astray=int(started["from"]))


def _activity_step(state: NightState, event: Event) -> NightState:
    told = event.values.get("polar")
    return state if told is None else replace(state, polar=PolarRecord.model_validate(told))


def _activity_ended(state: NightState, event: Event) -> NightState:
    values = read(event, ActivityEnded)
    if values.outcome == "cancelled":
        state = _focus_cut_off(state, state.activities.get(values.activity, {}))
    if values.kind == "focus" and values.outcome == "failed":
        state = replace(state, focus_refused=state.focus_refused + 1, focus_astray=None)
    under_way = {k: v for k, v in state.activities.items() if k != values.activity}
    state = replace(state, activities=under_way)
    for disturbed in values.disturbed:
        if disturbed == "pointing":
            state = replace(state, pointing=None)
        elif disturbed == "focus":
            state = replace(state, focus=None)
        elif disturbed == "angle":
            state = replace(state, angle=None)
    if values.kind == "connect" and values.outcome == "done":
        state = replace(state, was_connected=True)
    if values.figures.get("polar_accepted"):
        state = replace(state, polar_accepted=True)
    if values.step:
        state = replace(state, steps_done=state.steps_done | {values.step})
    if values.side:
        state = replace(state, side=values.side)
    if values.focus is not None:
        record = FocusRecord(**dict(values.focus), at=event.at)
        state = replace(
            state,
            focus=record,
            last_focus=record,
            focus_astray=None,
            focus_refused=0,
            lights_since_focus=(),
            frames_since_focus=0,
            refocus_asked=False,
        )
    if values.pointing is not None:
        state = replace(state, pointing=PointingRecord(at=event.at, **dict(values.pointing)))
    if values.dither is not None:
        made = DitherRecord(**dict(values.dither))
        places = (*state.dithered, (made.block, made.east_arcsec, made.north_arcsec))[-_DITHERS:]
        state = replace(state, dither=made, dithered=places, frames_since_dither=0)
    if values.looked is not None:
        state = replace(state, looked=values.looked)
    if values.angle is not None:
        state = replace(state, angle=AngleRecord(at=event.at, **dict(values.angle)))
    return state


def _waived(state: NightState, event: Event) -> NightState:
    waived = read(event, Waived)
    waiver = Waiver(waived.condition, waived.until, event.reason)
    others = tuple(w for w in state.waivers if w.condition != waiver.condition)
    return replace(state, waivers=(*others, waiver))


def _put_off(state: NightState, event: Event) -> NightState:
    values = read(event, PutOffValues)
    put_off = PutOff(values.until, event.reason, values.lost_to)
    in_row = dict(state.failed_in_row)
    if values.lost_to:
        in_row[values.block] = in_row.get(values.block, 0) + 1
    return replace(state, put_off={**state.put_off, values.block: put_off}, failed_in_row=in_row)


def _exposure_started(state: NightState, event: Event) -> NightState:
    values = read(event, ExposureStarted)
    announced = {**state.announced, values.frame_id: event.values}
    return replace(state, exposing=event, announced=announced, waiting=None, block=values.block)


def _exposure_ended(state: NightState, event: Event) -> NightState:
    done = read(event, ExposureEnded).outcome == "done"
    if done:
        others = {block: n for block, n in state.failed_in_row.items() if block != state.block}
        state = replace(state, failed_in_row=others)
    return replace(
        state,
        exposing=None,
        frames_since_dither=state.frames_since_dither + done,
        frames_since_focus=state.frames_since_focus + done,
    )


def _frame_saved(state: NightState, event: Event) -> NightState:
    return _with_frame(state, read(event, FrameSaved).frame_id, event.values)


def _with_frame(state: NightState, frame_id: str, frame: dict[str, Any]) -> NightState:
    """The one place in which a frame's standing may change."""
    counted = dict(state.counted)
    for told, by in ((state.saved.get(frame_id), -1), (frame, 1)):
        if told is not None and counts(told):
            counted[told["line"]] = counted.get(told["line"], 0) + by
    return replace(state, saved={**state.saved, frame_id: frame}, counted=counted)


def _frame_measured(state: NightState, event: Event) -> NightState:
    values = read(event, FrameMeasured)
    if (frame := state.saved.get(values.frame_id)) is not None:
        # figures alone never make a frame count as saved
        state = _with_frame(state, values.frame_id, {**frame, **event.values})
    pointing = state.pointing
    if pointing and values.off_arcsec is not None and values.block == pointing.block:
        wanders = max(0.0, values.off_arcsec - pointing.off_arcsec) if pointing.measured else 0.0
        pointing = replace(
            pointing,
            off_px=values.off_px or 0.0,
            off_arcsec=values.off_arcsec,
            wanders_arcsec=wanders,
            measured=True,
        )
        state = replace(state, pointing=pointing)
    if values.position_angle_deg is not None:
        accepted = state.angle.accepted_for if state.angle else ""
        state = replace(state, angle=AngleRecord(event.at, values.position_angle_deg, accepted))
    if not values.hfr_px:
        return state
    figures = LightFigures(
        values.frame_id, values.filter or "", values.hfr_px, values.stars, values.background_adu
    )
    return replace(state, lights_since_focus=(*state.lights_since_focus, figures))


def _frame_judged(state: NightState, event: Event) -> NightState:
    judged = read(event, FrameJudged)
    if (frame := state.saved.get(judged.frame_id)) is None:
        return state
    verdict = None if judged.verdict == "undecided" else judged.verdict
    return _with_frame(state, judged.frame_id, {**frame, "verdict": verdict})


def _block_given_up(state: NightState, event: Event) -> NightState:
    return replace(state, given_up=state.given_up | {read(event, BlockGivenUp).block})


def _guarded(state: NightState, event: Event) -> NightState:
    """A mount that was stopped no longer points where it did; one that changed sides by itself is on the
    other now."""
    values = read(event, Guarded)
    if values.guard == "side":
        return replace(state, side=values.side)
    return replace(state, pointing=None) if values.device == "mount" else state


def _guided(state: NightState, event: Event) -> NightState:
    """A star that was lost, and another found: nobody knows how far the mount went meanwhile."""
    return replace(state, pointing=None) if "pointing" in read(event, Guided).disturbed else state


def _by_hand(state: NightState, event: Event) -> NightState:
    disturbed = read(event, ByHand).disturbed
    if "angle" in disturbed:
        state = replace(state, angle=None)
    return replace(state, pointing=None) if "pointing" in disturbed else state


def _rig_changed(state: NightState, event: Event) -> NightState:
    return replace(state, rig=read(event, RigChanged).rig)


def _plan_changed(state: NightState, event: Event) -> NightState:
    return replace(state, plan=read(event, PlanChanged).plan, put_off={})


def _asked(state: NightState, event: Event) -> NightState:
    """What people ask of a night that runs: a block first, or not tonight, and when to focus."""
    asked = read(event, Asked)
    what, block = asked.what, asked.block
    if what == "next":
        put_off = {other: value for other, value in state.put_off.items() if other != block}
        return replace(state, first=block, given_up=state.given_up - {block}, put_off=put_off)
    if what in ("skip", "leave"):  # "leave" in ledgers of before
        first = "" if state.first == block else state.first
        return replace(state, given_up=state.given_up | {block}, first=first)
    if what == "refocus":
        return replace(state, refocus_asked=True, refocusing_paused=False)
    return replace(state, refocusing_paused=what == "pause focus", refocus_asked=False)


def _held(state: NightState, event: Event) -> NightState:
    cause = read(event, Held).condition
    state = replace(state, run=change(state.run, RunState.HELD), waiting=None)
    return replace(state, hold=event.reason, held_by=cause, looked=None)


def _resumed(state: NightState, event: Event) -> NightState:
    return replace(
        state,
        run=change(state.run, RunState.RUNNING),
        hold=None,
        held_by="",
        looked=None,
        waiting=None,
        put_off={},
        failed_in_row={},
        went_on=event.at,
    )


def _closing_started(state: NightState, event: Event) -> NightState:
    # a keeper killed while closing starts the closing anew
    if state.run is not RunState.CLOSING:
        state = replace(state, run=change(state.run, RunState.CLOSING))
    return replace(state, end_reason=event.reason, waiting=None, hold=None, held_by="", closing=())


def _closing_part(state: NightState, event: Event) -> NightState:
    part = read(event, ClosingPart)
    return replace(state, closing=(*state.closing, {"part": part.part, "outcome": part.outcome}))


def _night_over(state: NightState, event: Event) -> NightState:
    return replace(state, run=change(state.run, RunState.OVER), activities={}, questions={}, exposing=None)


_FOLDS: dict[Kind, Callable[[NightState, Event], NightState]] = {
    Kind.NIGHT_STARTED: _night_started,
    Kind.NIGHT_RESUMED: _night_resumed,
    Kind.QUESTION_ASKED: _question,
    Kind.QUESTION_ANSWERED: _question,
    Kind.WAITING: _waiting,
    Kind.ACTIVITY_STARTED: _activity_started,
    Kind.ACTIVITY_STEP: _activity_step,
    Kind.ACTIVITY_ENDED: _activity_ended,
    Kind.WAIVED: _waived,
    Kind.PUT_OFF: _put_off,
    Kind.EXPOSURE_STARTED: _exposure_started,
    Kind.EXPOSURE_ENDED: _exposure_ended,
    Kind.FRAME_SAVED: _frame_saved,
    Kind.FRAME_MEASURED: _frame_measured,
    Kind.FRAME_JUDGED: _frame_judged,
    Kind.BLOCK_GIVEN_UP: _block_given_up,
    Kind.GUARDED: _guarded,
    Kind.GUIDED: _guided,
    Kind.BY_HAND: _by_hand,
    Kind.RIG_CHANGED: _rig_changed,
    Kind.PLAN_CHANGED: _plan_changed,
    Kind.ASKED: _asked,
    Kind.HELD: _held,
    Kind.RESUMED: _resumed,
    Kind.CLOSING_STARTED: _closing_started,
    Kind.CLOSING_PART: _closing_part,
    Kind.NIGHT_OVER: _night_over,
}
