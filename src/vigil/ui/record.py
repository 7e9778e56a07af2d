"""A night as the window shows it: what its events say, sorted by where it is drawn."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.focusruns import FocusRun
from vigil.documents.night import NightState, RunState, fold
from vigil.documents.reasonlog import ReasonLog, Sentence
from vigil.planning.account import SpellLog, gerund


@dataclass(slots=True)
class Exposed:
    """An exposure, under way while `ends` is None."""

    frame_id: str
    block: str
    line: str
    words: str
    begins: datetime
    expected_end: datetime
    ends: datetime | None = None
    outcome: str = ""


@dataclass(frozen=True, slots=True)
class Light:
    """A frame on disk with its figures, as far as they are known."""

    frame_id: str
    path: Path
    at: datetime
    values: dict[str, Any]

    @property
    def measured(self) -> bool:
        return "stars" in self.values


@dataclass(slots=True)
class Centring:
    """How far off each solved frame was."""

    words: str
    began: datetime
    limit_px: float = 0.0
    off_px: list[float] = field(default_factory=list)
    off_arcsec: list[float] = field(default_factory=list)
    outcome: str = ""
    said: str = ""


@dataclass(slots=True)
class Flipping:
    """The mount changing sides."""

    words: str
    began: datetime
    outcome: str = ""
    said: str = ""


@dataclass(slots=True)
class Pause:
    """A hold; under way while `ends` is None."""

    begins: datetime
    ends: datetime | None = None


@dataclass
class Turning:
    """The camera being turned: what is left of it by the last solved frame."""

    words: str
    began: datetime
    by_hand: bool
    outcome: str = ""
    said: str = ""
    turn_deg: float | None = None
    limit_deg: float = 1.5
    way: str = ""
    attempt: int = 0


class NightRecord:
    """Everything drawn of one night; events are added in order."""

    def __init__(self) -> None:
        self.state = NightState()
        self.sentences: list[Sentence] = []
        self.exposures: list[Exposed] = []
        self.lights: dict[str, Light] = {}
        self.focus_runs: list[FocusRun] = []
        self.centrings: list[Centring] = []
        self.holds: list[Pause] = []
        self._sheltering_for = ""
        self._failing: dict[str, str] = {}
        """What failed last and was not done since, by its kind."""
        self._log = ReasonLog()
        self.spells = SpellLog()
        self._wanted = 0
        self.turnings: list[Turning] = []
        self.flips: list[Flipping] = []
        self._by_activity: dict[int, FocusRun | Centring | Turning | Flipping] = {}

    @classmethod
    def of(cls, events: Iterable[Event]) -> "NightRecord":
        record = cls()
        for event in events:
            record.add(event)
        return record

    def add(self, event: Event) -> None:
        """Take one more event in. Raises NotAllowed for one that contradicts the run state."""
        self.state = fold(self.state, event)
        self.spells.add(event)
        if event.kind is Kind.ACTIVITY_STARTED and event.values["kind"] == "shelter":
            self._sheltering_for = event.reason.partition(": ")[2]
        sentence = self._log.add(event)
        if sentence is not None:
            self.sentences.append(sentence)
        handler = getattr(self, f"_{event.kind.value}", None)
        if handler is not None:
            handler(event)

    # -- what is asked of it ----------------------------------------------------------------------

    @property
    def under_way(self) -> bool:
        return self.state.run in (RunState.RUNNING, RunState.HELD, RunState.CLOSING)

    @property
    def exposing(self) -> Exposed | None:
        last = self.exposures[-1] if self.exposures else None
        return last if last is not None and last.ends is None else None

    @property
    def focusing(self) -> FocusRun | None:
        """The focus run under way."""
        return next((r for r in reversed(self.focus_runs) if not r.outcome), None)

    @property
    def centring(self) -> Centring | None:
        """The centring under way."""
        return next((c for c in reversed(self.centrings) if not c.outcome), None)

    @property
    def turning(self) -> Turning | None:
        """The camera being turned."""
        return next((t for t in reversed(self.turnings) if not t.outcome), None)

    def doing_now(self, kind: str) -> bool:
        """Whether an activity of a kind is under way."""
        return any(a.get("kind") == kind for a in self.state.activities.values())

    @property
    def sheltering_for(self) -> str:
        """Why all is being shut, in the last sentence that a guard's look gave."""
        return self._sheltering_for

    @property
    def trying_again(self) -> str:
        """What failed and is tried again, now or in a while; "" where nothing is."""
        waiting = self.state.waiting
        if waiting is not None and waiting.values.get("lost_to"):
            return waiting.reason
        return next(reversed(self._failing.values()), "")

    @property
    def sheltered(self) -> bool:
        """Whether all was shut and parked in the hold under way."""
        if not self.holds or self.holds[-1].ends is not None:
            return False
        begins = self.holds[-1].begins
        return any(
            spell.kind == "shelter" and spell.outcome == "done" and spell.begins >= begins
            for spell in reversed(self.spells.spells)
        )

    @property
    def last_light(self) -> Light | None:
        return next(reversed(self.lights.values()), None)

    def measured(self) -> list[Light]:
        """Frames with figures, in order."""
        return [light for light in self.lights.values() if light.measured]

    @property
    def tally(self) -> tuple[int, int]:
        """Frames that count, and how many the plan in force wants."""
        return self.state.good, self._wanted

    # -- one handler a kind of event ----------------------------------------------------------------

    def _night_started(self, event: Event) -> None:
        self._wanted = int(event.values["wanted"])

    def _plan_changed(self, event: Event) -> None:
        self._wanted = int(event.values["wanted"])

    def _frame_judged(self, event: Event) -> None:
        light = self.lights.get(event.values["frame_id"])
        if light is not None:
            judged = {**light.values, "verdict": event.values["verdict"]}
            self.lights[light.frame_id] = replace(light, values=judged)

    def _night_resumed(self, event: Event) -> None:
        if (exposing := self.exposing) is not None:
            exposing.ends, exposing.outcome = event.at, "lost"
        for run in self._by_activity.values():
            run.outcome = run.outcome or "lost"
        self._by_activity.clear()

    def _activity_started(self, event: Event) -> None:
        kind, words, number = event.values["kind"], event.values["words"], int(event.values["activity"])
        if kind == "focus":
            run = FocusRun(words, event.at, event.reason, event.errand)
            self.focus_runs.append(run)
            self._by_activity[number] = run
        elif kind == "centre":
            centring = Centring(words, event.at)
            self.centrings.append(centring)
            self._by_activity[number] = centring
        elif kind == "flip":
            flip = Flipping(words, event.at)
            self.flips.append(flip)
            self._by_activity[number] = flip
        elif kind in ("turn camera", "turn by hand"):
            turning = Turning(words, event.at, kind == "turn by hand")
            self.turnings.append(turning)
            self._by_activity[number] = turning

    def _activity_step(self, event: Event) -> None:
        run, values = self._by_activity.get(int(event.values["activity"])), event.values
        if isinstance(run, FocusRun):
            run.add(event)
        elif isinstance(run, Centring) and "off_px" in values:
            run.limit_px = values["limit_px"]
            run.off_px.append(values["off_px"])
            run.off_arcsec.append(values["off_arcsec"])
        elif isinstance(run, Turning) and "turn_deg" in values:
            run.turn_deg, run.limit_deg = values["turn_deg"], values["limit_deg"]
            run.way, run.attempt = values["way"], values["attempt"]

    def _activity_ended(self, event: Event) -> None:
        kind, outcome = str(event.values["kind"]), event.values["outcome"]
        if outcome == "failed":
            self._failing[kind] = f"{gerund(kind)} failed: {event.reason}"
        elif outcome == "done":
            self._failing.pop(kind, None)
        run = self._by_activity.pop(int(event.values["activity"]), None)
        if run is None:
            return
        run.outcome, run.said = event.values["outcome"], event.reason
        if isinstance(run, FocusRun):
            run.end(event)

    def _exposure_started(self, event: Event) -> None:
        values = event.values
        expected = (
            datetime.fromisoformat(values["ends"])
            if "ends" in values
            else event.at + timedelta(seconds=values["exposure_s"])
        )
        self.exposures.append(
            Exposed(values["frame_id"], values["block"], values["line"], event.reason, event.at, expected)
        )

    def _exposure_ended(self, event: Event) -> None:
        for exposed in reversed(self.exposures):
            if exposed.frame_id == event.values["frame_id"]:
                exposed.ends, exposed.outcome = event.at, event.values["outcome"]
                return

    def _frame_saved(self, event: Event) -> None:
        values = event.values
        self._failing.clear()
        self.lights[values["frame_id"]] = Light(
            values["frame_id"], Path(values["path"]), event.at, dict(values)
        )

    def _frame_measured(self, event: Event) -> None:
        light = self.lights.get(event.values["frame_id"])
        if light is not None:
            self.lights[light.frame_id] = Light(
                light.frame_id, light.path, light.at, {**light.values, **event.values}
            )

    def _put_off(self, event: Event) -> None:
        if kind := event.values.get("lost_to"):
            self._failing[str(kind)] = event.reason

    def _block_given_up(self, event: Event) -> None:
        self._failing.clear()

    def _waived(self, event: Event) -> None:
        self._failing.clear()

    def _held(self, event: Event) -> None:
        self._failing.clear()
        self.holds.append(Pause(event.at))

    def _resumed(self, event: Event) -> None:
        self._end_hold(event.at)

    def _closing_started(self, event: Event) -> None:
        self._end_hold(event.at)

    def _end_hold(self, at: datetime) -> None:
        if self.holds and self.holds[-1].ends is None:
            self.holds[-1].ends = at
