"""What the window knows: rig, plan, night, keeper. Widgets draw this and ask it for things."""

import time
from bisect import bisect_right
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from vigil.documents.deeds import Deed, Deeds, Stage
from vigil.documents.errands import BY_HAND, ErrandState, Question
from vigil.documents.events import Event, Kind
from vigil.documents.messages import (
    WISHES,
    Answer,
    Ask,
    Command,
    DeviceReport,
    Live,
    Reports,
    Samples,
    Status,
)
from vigil.documents.night import UNDER_WAY
from vigil.documents.plan import Target
from vigil.documents.rig import Rig
from vigil.documents.rig.change import Path as FieldPath
from vigil.documents.rig.change import path_of
from vigil.link.endpoint import News
from vigil.planning.forecast import Forecast, Ready, forecast
from vigil.planning.overheads import Overheads, overheads_of, usual_overheads
from vigil.planning.spans import local_noon_before
from vigil.runtime.allowed import allow, not_allowed
from vigil.sky.instants import Floats
from vigil.sky.night import NightSky, night_sky
from vigil.ui.bridge import Bridge
from vigil.ui.linkstate import LinkState
from vigil.ui.moments import Moments
from vigil.ui.planinforce import PlanInForce
from vigil.ui.planmodel import PlanModel
from vigil.ui.record import NightRecord
from vigil.ui.rigmodel import RigModel
from vigil.ui.span import TimeAxis

if TYPE_CHECKING:
    from vigil.documents.rig.rigs import Rigs

_TICK_MS = 250
_KEEPS_A_PROMISE = (Kind.NIGHT_STARTED, Kind.HELD, Kind.RESUMED, Kind.CLOSING_STARTED, Kind.NIGHT_OVER)


@dataclass(frozen=True, slots=True)
class Countdown:
    """What comes next, and when."""

    words: str
    at: datetime | None


class Session(QObject):
    """One rig. `night_changed` follows events, `status_changed` what the keeper says."""

    night_changed = pyqtSignal()
    happened = pyqtSignal(object)
    """An event, as it is told while the window is there."""
    night_begun = pyqtSignal()
    status_changed = pyqtSignal()
    live_changed = pyqtSignal()
    link_changed = pyqtSignal()
    refused = pyqtSignal(str)
    sky_changed = pyqtSignal()
    devices_changed = pyqtSignal()
    deed_told = pyqtSignal(object)
    """How work by hand goes."""
    errands_changed = pyqtSignal()
    sampled = pyqtSignal(object)
    """Rows of a stream."""
    programs_asked = pyqtSignal(list)
    """The plan would run these, and nobody here has allowed it yet."""
    scenery_told = pyqtSignal(object)
    """What the keeper says of the scenario: the values of its answer."""
    scenery_refused = pyqtSignal(str)
    rig_changed = pyqtSignal()
    another_rig = pyqtSignal(str)
    """Another rig is wanted on this desk, by its id."""

    def __init__(
        self,
        rig: Rig,
        plan: PlanModel,
        bridge: Bridge | None,
        now: datetime,
        edits: RigModel | None = None,
        rigs: "Rigs | None" = None,
    ) -> None:
        super().__init__()
        self.edits = edits or RigModel(rig)
        self.rigs = rigs
        """The folder of all rigs; None where there is only this one."""
        self.plan = plan
        self.reports: dict[str, DeviceReport] = {}
        self.rig_words = ""
        """What the keeper made of the last change of the rig."""
        self._site = rig.site
        self._asked: dict[str, tuple[str, str]] = {}
        self.record = NightRecord()
        self.status: Status | None = None
        self.live: Live | None = None
        """How far the night is with what it is doing."""
        self._deeds = Deeds()
        self._last_id = 0
        self._told_before = 0
        """The last event that was on record when the keeper was found: what is older is no news."""
        self.link = LinkState.STARTING
        self.link_words = ""
        self.moments = Moments(now)
        self.zone = rig.site.time_zone
        self.promise = ""
        """A hold that the keeper has agreed to and not yet begun, in its words."""
        self.past = False
        """Whether the record is of a night before this one, read from the ledger."""
        self.in_force = PlanInForce(plan, self.ask)
        self.agreed = ""
        """What the keeper said to the last wish."""
        self._bridge = bridge
        self._heard_s = time.monotonic()
        self._forecast: tuple[Any, Forecast] | None = None
        self._overheads: Overheads | None = None
        """By the rig's last night."""
        self._room: list[tuple[datetime, float]] = []
        """Free on the frames' disk, GB, whenever it changed."""
        self._altitudes: dict[tuple[float, float], Floats] = {}
        self.sky: NightSky
        self.axis: TimeAxis
        self._set_sky(now)
        if bridge is not None:
            bridge.told.connect(self.take_news)
            bridge.status_came.connect(self.take_status)
            bridge.link_changed.connect(self.take_link)
            bridge.answered.connect(self._take_answer)
        self._ticker = QTimer(self)
        self._ticker.timeout.connect(self._tick)
        self._ticker.start(_TICK_MS)
        plan.changed.connect(self._plan_changed)
        self.edits.changed.connect(self._rig_changed)

    # -- asking ---------------------------------------------------------------------------------------

    def start_night(self) -> None:
        """Begin tonight's plan; what the rig can't do of it is said instead."""
        wrong = self.plan.contradictions()
        if wrong:
            self.refused.emit("; ".join(wrong))
            return
        unknown = not_allowed(self.plan.plan.programs)
        if unknown:
            self.programs_asked.emit(unknown)
            return
        self.ask(Command.START, plan=self.plan.plan.model_dump(mode="json"))

    def allow_programs(self, programs: list[list[str]]) -> None:
        """A person has said that plans may run them; then the night begins."""
        try:
            allow(programs)
        except OSError as problem:
            self.refused.emit(f"what may be run can't be kept ({problem.strerror or problem})")
            return
        self.start_night()

    def stop_everything(self) -> None:
        """At once, and hold a night."""
        self.ask(Command.STOP)

    def stop_errand(self, errand: str) -> None:
        """What is under way beside a night."""
        self.ask(Command.STOP_ERRAND, errand=errand)

    def answer(self, errand: str, question: int, answer: str) -> None:
        """To what an errand asks."""
        self.ask(Command.ANSWER, errand=errand, question=question, answer=answer)

    def hold(self, now: bool = False) -> None:
        self.ask(Command.HOLD, reason="held by hand", now=now)

    def resume(self) -> None:
        self.ask(Command.RESUME)

    def end_night(self) -> None:
        self.ask(Command.END, reason="ended by hand")

    def set_speed(self, speed: float) -> None:
        self.ask(Command.SPEED, speed=speed)

    def jump_ahead(self) -> None:
        self.ask(Command.JUMP_AHEAD)

    def device(self, device: str, action: str, **values: Any) -> None:
        """Work a device by hand; `deed_told` says how it goes."""
        if self._bridge is None:
            self.refused.emit("no keeper: this window only looks")
            return
        asked = self._bridge.ask(Command.DEVICE, device=device, action=action, **values)
        self._asked[asked] = (device, action)

    def go_to(self, target: Target) -> None:
        """Slew to a target and centre it; turn the camera first where it has an angle."""
        values = {"ra": f"{target.ra_deg:.6f}", "dec": f"{target.dec_deg:.6f}"}
        if target.position_angle_deg is None:
            self.device("mount", "centre", **values)
        else:
            self.device("mount", "frame", **values, angle_deg=target.position_angle_deg)

    def scenery(self, **asked: Any) -> None:
        """Look at the scenario of a simulated rig, or change it; `scenery_told` brings how it is then."""
        if self._bridge is not None and self.link is LinkState.OPEN:
            self._bridge.ask(Command.SCENARIO, **asked)

    def start_keeper(self) -> None:
        if self._bridge is not None:
            self._bridge.start_keeper()

    def ask(self, command: Command, **values: Any) -> None:
        if self._bridge is None:
            self.refused.emit("no keeper: this window only looks")
        else:
            self._bridge.ask(command, **values)

    # -- what it is like ------------------------------------------------------------------------------

    @property
    def rig(self) -> Rig:
        return self.edits.rig

    @property
    def deferred(self) -> set[FieldPath]:
        """The fields of the rig whose values are not yet in force."""
        return {path_of(text) for text in self.status.deferred} if self.status else set()

    @property
    def run(self) -> str:
        """The run state: "ready", "running", "held", "closing" or "over"."""
        return "ready" if self.past else self.record.state.run.value

    @property
    def errands(self) -> dict[str, ErrandState]:
        """Everything but nights that the keeper has told of, by id, also what is over."""
        return self._deeds.states

    @property
    def errands_under_way(self) -> list[ErrandState]:
        """What the keeper has in hand beside a night."""
        running = {errand.id for errand in self.status.errands} if self.status else set()
        return [state for name, state in self.errands.items() if name in running and not state.over]

    @property
    def questions(self) -> list[tuple[str, Question]]:
        """What people are asked now, with the errand that asks."""
        if self.link is not LinkState.OPEN:
            return []
        night = (
            [] if self.past else [(self.record.state.night, q) for q in self.record.state.questions.values()]
        )
        return night + [
            (state.errand, question)
            for state in self.errands_under_way
            for question in state.questions.values()
        ]

    @property
    def tonight(self) -> NightRecord:
        """The record as far as it belongs on tonight's axis: nothing of a past night."""
        return NightRecord() if self.past else self.record

    @property
    def under_way(self) -> bool:
        return self.run in UNDER_WAY

    @property
    def takes_wishes(self) -> bool:
        """Whether a night is under way that can still be changed, held or ended."""
        return self.run in ("running", "held")

    @property
    def simulated(self) -> bool:
        return self.rig.simulated is not None

    @property
    def now(self) -> datetime:
        return self.moments.now

    def altitudes_deg(self, ra_deg: float, dec_deg: float) -> Floats:
        """An ICRS direction's altitudes over the night's instants; kept while the night is the same."""
        where = (ra_deg, dec_deg)
        if where not in self._altitudes:
            self._altitudes[where] = self.sky.altitude_deg(ra_deg, dec_deg)
        return self._altitudes[where]

    def room_gb(self, at: datetime) -> float | None:
        """How much was free on the frames' disk at a moment, as far as this window was told."""
        before = bisect_right(self._room, at, key=lambda told: told[0])
        return self._room[before - 1][1] if before else None

    def _take_room(self, status: Status) -> None:
        gauges = [g for check in status.conditions for g in check["gauges"] if g["words"] == "free on disk"]
        if gauges and (not self._room or self._room[-1][1] != gauges[0]["value"]):
            self._room.append((status.at, float(gauges[0]["value"])))

    def plan_ahead(self) -> Forecast:
        """The forecast from now on, or from what the night has done."""
        state = self.record.state
        under_way = self.under_way
        taken = {line.id: state.done(line.id) for b in self.plan.plan.blocks for line in b.lines}
        first = state.first if under_way else ""
        if not under_way:
            taken = {}
        at = self.now.replace(second=0, microsecond=0)
        exposing = self.tonight.exposing
        if exposing is not None:  # the frame under way is neither done nor still to come
            at = max(at, exposing.expected_end)
            taken[exposing.line] = taken.get(exposing.line, 0) + 1
        ready = replace(self._ready(), steps_done=state.steps_done) if under_way else None
        key = (self.plan.plan, at, tuple(taken.items()), state.given_up, ready, first)
        if self._forecast is None or self._forecast[0] != key:
            given_up = state.given_up if under_way else ()
            plan = self.plan.plan
            told = forecast(plan, self.rig, at, taken, given_up, ready, first, self._overheads)
            self._forecast = (key, told)
        return self._forecast[1]

    @property
    def takes(self) -> Overheads:
        """How long things take here."""
        return self._overheads or usual_overheads(self.rig)

    def guide_rms_arcsec(self) -> float | None:
        """What guiding gave lately: the median of the frames that are known; None where none was guided."""
        known = [light.values.get("guide_rms_arcsec") for light in self.tonight.measured()]
        guided = [float(rms) for rms in known if rms is not None]
        return median(guided) if guided else None

    def plan_to_come(self) -> Forecast | None:
        """What is drawn as still to come; None on the picture of a night that is over."""
        return None if self.run == "over" else self.plan_ahead()

    def _ready(self) -> Ready:
        """The night stands on the block of its last exposure while it is still pointed there."""
        state, exposures = self.record.state, self.record.exposures
        if not exposures or state.pointing is None:
            return Ready("", "", None)
        last = exposures[-1]
        through = next((x.filter for b in self.plan.plan.blocks for x in b.lines if x.id == last.line), "")
        return Ready(last.block, through, state.focus.at if state.focus else None, state.side)

    def next_event(self) -> Countdown:
        """What the status line counts down to."""
        state = self.record.state
        if (exposing := self.record.exposing) is not None and state.exposing is not None:
            return Countdown(
                str(state.exposing.values.get("then", "the next exposure")), exposing.expected_end
            )
        if state.waiting is not None and "until" in state.waiting.values and self.run == "running":
            return Countdown(
                state.waiting.reason.removesuffix(" then"),
                datetime.fromisoformat(state.waiting.values["until"]),
            )
        sun = self.sky.sun
        for words, moment in (
            ("sunset", sun.sunset),
            ("astronomical dusk", sun.astronomical_dusk),
            ("astronomical dawn", sun.astronomical_dawn),
            ("sunrise", sun.sunrise),
        ):
            if moment is not None and moment > self.now:
                return Countdown(words, moment)
        return Countdown("", None)

    # -- what comes in --------------------------------------------------------------------------------

    def take_news(self, batch: list[News]) -> None:
        """Events and live values, in order."""
        events, begun, errands = False, False, False
        for news in batch:
            if isinstance(news, Event):
                if news.id <= self._last_id:
                    continue
                self._last_id = news.id
                if news.kind is Kind.NIGHT_STARTED:
                    self.record, begun, self.past = NightRecord(), True, False
                elif self.past or news.errand != self.record.state.night:
                    errands = True
                    self._take_errand(news)
                    continue
                self.record.add(news)
                self.happened.emit(news)
                if news.kind in _KEEPS_A_PROMISE:
                    self.promise = ""
                if news.kind is Kind.PLAN_CHANGED:
                    self.in_force.take(news.values["plan"])
                events = True
                self.live = None
                self._advance(news.at)
            elif isinstance(news, Live):
                if news.errand == self.record.state.night:
                    self.live = news
                self._advance(news.at)
            elif isinstance(news, Reports):
                self._take_reports(news.devices)
                self._advance(news.at)
            elif isinstance(news, Samples):
                self.sampled.emit(news)
                for deed in self._deeds.of_samples(news):
                    self.deed_told.emit(deed)
        if begun:
            self.agreed = ""
            self.in_force.take(self.record.state.plan or "")
            self.night_begun.emit()
        if events:
            self._lock_plan()
            self.night_changed.emit()
        if errands:
            self.errands_changed.emit()
        self.live_changed.emit()

    def _take_errand(self, event: Event) -> None:
        """Of what has long been done controls are told nothing."""
        deed = self._deeds.of_event(event)
        state = self.errands.get(event.errand)
        if event.id > self._told_before or (state is not None and not state.over):
            self._advance(event.at)
            if deed is not None:
                self._asked.pop(deed.id, None) if deed.over else None
                self.deed_told.emit(deed)
            elif state is not None and state.kind != BY_HAND:
                self.happened.emit(event)

    def take_status(self, status: Status) -> None:
        if self.status is None:
            self._told_before = status.last_event
        self.status = status
        if status.run not in UNDER_WAY and not self.record.under_way:
            self._set_now(status.at)  # before a night the keeper's clock may stand earlier than ours
        else:
            self._advance(status.at)
        self._heard_s = time.monotonic()
        self._take_reports(status.reports)
        self._take_room(status)
        self.status_changed.emit()

    def _take_reports(self, devices: list[DeviceReport]) -> None:
        found = {report.name: report for report in devices}
        if found != self.reports:
            self.reports = found
            self.devices_changed.emit()

    def take_link(self, state: LinkState, words: str) -> None:
        self.link, self.link_words = state, words
        if state is not LinkState.OPEN:
            self.status, self.live = None, None
            self._take_reports([])
        self.link_changed.emit()

    def show_past_night(self, events: list[Event]) -> None:
        """A night from the ledger, when the keeper has none to tell of."""
        self._overheads, self._forecast = overheads_of(events, self.rig), None
        if events and not self.record.state.night:
            self.record, self.past = NightRecord.of(events), True
            self.night_changed.emit()

    def _take_answer(self, ask: Ask, answer: Answer) -> None:
        if ask.command is Command.DEVICE:
            if not answer.taken:
                self._refuse_deed(ask, answer.reason)
        elif ask.command is Command.SCENARIO:
            self._take_scenery(answer)
        elif ask.command is Command.RIG:
            self.rig_words = answer.reason if answer.taken else f"the keeper refuses: {answer.reason}"
            self.status_changed.emit()
        elif ask.command is Command.PLAN:
            self.in_force.answered(ask.values["plan"], answer)
            self.status_changed.emit()
        elif not answer.taken:
            self.refused.emit(answer.reason)
        elif ask.command in WISHES or ask.command is Command.END:
            self.agreed = answer.reason
            self.status_changed.emit()
        elif ask.command in (Command.HOLD, Command.RESUME):
            self.promise = answer.reason if ask.command is Command.HOLD else ""
            self.status_changed.emit()

    def _take_scenery(self, answer: Answer) -> None:
        if answer.taken:
            self.scenery_told.emit(answer.values)
        else:
            self.scenery_refused.emit(answer.reason)

    def _refuse_deed(self, ask: Ask, reason: str) -> None:
        """A refusal is told like a failure: beside the control that asked."""
        device, action = self._asked.pop(ask.id, ("", ""))
        stage = Stage.FAILED
        self.deed_told.emit(
            Deed(id=ask.id, at=self.now, device=device, action=action, words="", stage=stage, reason=reason)
        )

    def _rig_changed(self) -> None:
        """The keeper is told; what follows from the rig follows."""
        self.plan.rig = self.rig
        if self._bridge is not None and self.link is LinkState.OPEN:
            self._bridge.ask(Command.RIG, rig=self.rig.model_dump(mode="json"))
        self._forecast = None
        if self.rig.site != self._site:
            self._site, self.zone = self.rig.site, self.rig.site.time_zone
            self._set_sky(self.now)
        self.rig_changed.emit()
        self.plan.changed.emit()

    def _lock_plan(self) -> None:
        self.plan.lock(
            "the night is closing; the plan can be changed when it is over" if self.run == "closing" else ""
        )

    def _plan_changed(self) -> None:
        self._forecast = None
        self.in_force.desk_changed(self.under_way and self._bridge is not None)
        self.night_changed.emit()

    # -- time -----------------------------------------------------------------------------------------

    def _tick(self) -> None:
        """Between two words of the keeper its clock goes on as fast as it said."""
        status = self.status
        if status is None or self.link is not LinkState.OPEN:
            return
        speed = status.speed or 1.0
        pace = speed if self.under_way else 1.0
        # at most two seconds ahead of what was heard: simulated time may stand still meanwhile
        ahead_s = min(2.0, time.monotonic() - self._heard_s) * pace
        if pace <= 10:
            self._advance(status.at + timedelta(seconds=ahead_s))

    def _advance(self, moment: datetime) -> None:
        if moment > self.now:
            self._set_now(moment)

    def _set_now(self, moment: datetime) -> None:
        self.moments.set_now(moment)
        if not self.axis.holds(moment):
            self._set_sky(moment)

    def _set_sky(self, moment: datetime) -> None:
        noon = local_noon_before(moment, self.rig.site.time_zone)
        self.sky = night_sky(noon, self.rig.site.place())
        self.axis = TimeAxis.of(self.sky, self.zone)
        self._altitudes.clear()
        self.sky_changed.emit()
        if self.run == "over":  # with the noon after it a night is a past one
            self.past = True
            self.night_changed.emit()


def last_night(ledger_path: Path, rig_id: str) -> list[Event]:
    """The events of the rig's latest night; none without a ledger. For a worker thread."""
    from vigil.ledger.store import LedgerStore

    if not ledger_path.exists():
        return []
    store = LedgerStore(ledger_path)
    try:
        night = store.last_night(rig_id)
        return store.events(night) if night else []
    finally:
        store.close()
