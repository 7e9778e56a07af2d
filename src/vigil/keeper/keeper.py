"""The keeper: one rig, its errands, at most one night among them, and what clients may ask of it."""

import asyncio
import contextlib
import logging
import math
import os
from collections.abc import Callable, Collection
from dataclasses import replace
from typing import Any, Protocol

from pydantic import ValidationError

from vigil import __version__
from vigil.devices.errors import DeviceError
from vigil.documents.deeds import LOOP
from vigil.documents.errands import BY_HAND, NIGHT
from vigil.documents.events import Event
from vigil.documents.flats import FLATS
from vigil.documents.hand import ALL
from vigil.documents.messages import (
    ALLOWED_ON_MISMATCH,
    FASTEST,
    PROTOCOL,
    SLOWEST,
    WISHES,
    Answer,
    Ask,
    Command,
    DeviceReport,
    Status,
)
from vigil.documents.night import UNDER_WAY, NightState, NotAllowed, RunState
from vigil.documents.plan import NightPlan
from vigil.engine.activities.shelter import Shelter
from vigil.engine.activity import Kit, no_step
from vigil.engine.arbiter import Arbiter, Urgency
from vigil.engine.ending import to_the_end
from vigil.engine.equipment import Equipment
from vigil.engine.errand import ErrandRefused, PlainErrand, Workplace
from vigil.engine.errands import kinds
from vigil.engine.flats.light import switched_off
from vigil.engine.guards.guards import Guards
from vigil.engine.hand.hand import Hand
from vigil.engine.hand.work import HandWork
from vigil.engine.night import Night
from vigil.engine.progress import Progress
from vigil.engine.questions import nobody_asks
from vigil.engine.stopping import EmergencyStop
from vigil.keeper.aside import Aside
from vigil.keeper.charge import KeeperCharge
from vigil.keeper.errands import Errands, NoErrand
from vigil.keeper.guarding import Guarding
from vigil.keeper.nights import CantStart, Nights
from vigil.keeper.reporting import report_of
from vigil.keeper.riginforce import RigInForce
from vigil.keeper.telling import Telling
from vigil.keeper.wishes import grant
from vigil.ledger.ledger import Ledger
from vigil.link.endpoint import News
from vigil.planning.spans import local_noon_before, site_time
from vigil.runtime.folders import calibration_folder

log = logging.getLogger(__name__)
_LIVE_EVERY_S = 1.0
_LEAVE_LIMIT_S = 900.0


class Pace(Protocol):
    """How fast simulated time runs (runtime.simulated.SimulatedLoop)."""

    speed: float

    def skip(self) -> None: ...

    def event_happened(self) -> None: ...


class Scenery(Protocol):
    """What people may play with where the rig is simulated. Raises ValueError with what is wrong."""

    def told(self) -> dict[str, Any]: ...

    def change(self, asked: dict[str, Any]) -> str: ...


class Keeper:
    """Owns the devices through its equipment; implements link.endpoint.Endpoint.

    On virtual time a night waits for its first client: it would be over before anybody looks.
    """

    def __init__(
        self,
        equipment: Equipment,
        ledger: Ledger,
        pace: Pace | None = None,
        scenery: Scenery | None = None,
        looks_when_idle: bool = False,
    ) -> None:
        """`looks_when_idle`: guards on virtual time also while nothing is under way; it never stands still
        then."""
        self._ledger = ledger
        self._pace = pace
        self._scenery = scenery
        self._night: Night | None = None
        """The one that is under way, or the last one."""
        self._left: Night | None = None
        """What a dead keeper left."""
        self._going_on: list[tuple[str, dict[str, Any]]] = []
        """Errands that it left, to be begun again where they were."""
        self._night_speed = pace.speed if pace else 1.0
        self._watched = asyncio.Event()
        self._retired = asyncio.Event()
        self._starting = asyncio.Lock()
        self._telling = Telling(equipment.clock, ledger.samples)
        arbiter = equipment.arbiter or Arbiter()
        equipment = replace(equipment, arbiter=arbiter, sample=self._telling.sample)
        self._rig = RigInForce(equipment, self._rig_changed)
        self._nights = Nights(self._rig, ledger, self._tell)
        self._errands = Errands(lambda: self._equipment.rig, ledger, equipment.clock, self._tell)
        place = Workplace(
            self._kit,
            arbiter,
            equipment.workshop,
            equipment.kept_folder,
            self._telling.sample,
            calibration_folder(equipment.rig.id),
            self._hand_finished,
            (equipment.frames_folder, *equipment.libraries),
        )
        self._place = place
        self._aside = Aside(self._errands, self._begin_again)
        self._hand = Hand(place, self._errands.under_way, self._hand_finished)
        self._stop = EmergencyStop(equipment.devices, arbiter, equipment.clock)
        self._charge = KeeperCharge(place, self._errands, self._night_under_way, lambda: self._guards.open())
        self._guards = Guards(
            equipment.rig,
            equipment.devices,
            equipment.clock,
            arbiter,
            self._charge,
            equipment.look_every_s,
        )
        self._guarding = Guarding(
            self._guards, lambda: self._clock_kind() == "virtual" and not looks_when_idle
        )
        self._hear_recoveries()

    @property
    def _equipment(self) -> Equipment:
        return self._rig.equipment

    def _rig_changed(self) -> None:
        self._guards.rig = self._equipment.rig
        self._hear_recoveries()

    # -- its life -----------------------------------------------------------------------------------

    async def run(self) -> None:
        """Run the night that was taken up, and what clients begin; until retired."""
        self._hurry(False)
        guarding = asyncio.ensure_future(self._guarding.keep_on())
        telling = asyncio.ensure_future(self._tell_reports())
        live = asyncio.ensure_future(self._tell_live())
        try:
            if self._left is not None:
                self._begin_night(self._left)
            await self._go_on()
            await self._retired.wait()
            await self._errands.until_nights_are_over()
        finally:
            self._stop.release()
            self._aside.forget()
            await self._errands.leave("the keeper leaves")
            await to_the_end(self._leave_shut())
            for task in (guarding, telling, live):
                task.cancel()
            await self._let_go()

    async def _go_on(self) -> None:
        """What a dead keeper left in the middle and that makes sense still."""
        panel = self._equipment.rig.panel
        if panel is not None and panel.dimmed_by == "computer" and any(n == FLATS for n, _ in self._going_on):
            await switched_off(self._kit())  # also where the job can't go on
        for name, values in self._going_on:
            try:
                await self._begin_again(name, values)
            except (ErrandRefused, NotAllowed) as problem:
                log.warning("%s does not go on: %s", name, problem)
        self._going_on.clear()

    async def _leave_shut(self) -> None:
        """Nobody looks after the rig any more: what stands open outside a night is shut and parked first."""
        await self._guards.stop()
        if self._night_under_way() is not None or not self._guards.open():
            return
        try:
            async with asyncio.timeout(_LEAVE_LIMIT_S):
                await self._charge.carry(Shelter(), "sheltered", "the keeper leaves")
        except Exception:
            log.exception("the keeper could not shut what stood open")

    async def _let_go(self) -> None:
        """What people connected by hand is disconnected when nobody looks after it any more."""
        if self._night_under_way() is not None:
            return
        for device in self._equipment.devices.all():
            if device.connected:
                with contextlib.suppress(DeviceError):
                    await device.disconnect()

    def _begin_night(self, night: Night) -> None:
        self._night = night
        self._errands.start(night, self._run_night(night))

    async def _run_night(self, night: Night) -> None:
        """Simulated time hurries only while a night, or a job of flats or darks, is under way: an evening
        must not run by while a plan is being made."""
        if self._clock_kind() == "virtual":
            await self._first(self._watched, self._retired)
        self._hurry(True)
        self._guarding.under_way(True)
        try:
            await night.run()
        except Exception:
            log.exception("the night failed")
        finally:
            self._pace_by_errands()
            self._guarding.under_way(False)
            self._rig.night_over()
        if night.under_way:
            # closed, but its end is not in the ledger: the next keeper takes it up from there
            log.error("the night's end could not be recorded; this keeper leaves")
            self._retired.set()

    def _night_under_way(self) -> Night | None:
        return self._night if self._night is not None and self._night.under_way else None

    @property
    def _run_state(self) -> RunState:
        return self._night.state.run if self._night is not None else RunState.READY

    async def _tell_reports(self) -> None:
        """Once a second of real time: how the devices are."""
        while True:
            if self._clock_kind() == "virtual":
                await self._retired.wait()
                return
            await self._equipment.clock.sleep(_LIVE_EVERY_S * (self._pace.speed if self._pace else 1.0))
            try:
                self._charge.evening(self._equipment.clock.utcnow())
                self._telling.reports(self._reports())
            except Exception:
                log.exception("how the devices are could not be told")

    def _hear_recoveries(self) -> None:
        def recovered(words: str) -> None:
            night = self._night_under_way()
            if night is not None:
                night.recovered(words)
            else:
                log.info("%s", words)

        for device in self._equipment.devices.all():
            device.recovered = recovered

    def _reports(self) -> list[DeviceReport]:
        return [report_of(device) for device in self._equipment.devices.all()]

    async def _first(self, *events: asyncio.Event) -> asyncio.Event:
        waits = {asyncio.ensure_future(event.wait()): event for event in events}
        done, pending = await asyncio.wait(waits, return_when=asyncio.FIRST_COMPLETED)
        for wait in pending:
            wait.cancel()
        return waits[done.pop()]

    async def take_up(self) -> None:
        """Whatever a dead keeper left: a night is resumed, the rest is over. To be done before any client may
        ask for something. Raises LedgerError."""
        self._telling.last_id = await self._ledger.last_id()
        for left in await self._ledger.unfinished(self._equipment.rig.id):
            if left.kind == NIGHT:
                self._left = self._night = await self._nights.taken_up(left.errand)
            else:
                goes_on = await self._errands.cut_off(left)
                self._going_on += [goes_on] if goes_on else []

    def end(self, reason: str) -> None:
        """End the night safely if one runs, and retire afterwards."""
        night = self._night_under_way()
        if night is not None:
            night.end(reason)
        self._retired.set()

    # -- what clients see ---------------------------------------------------------------------------

    async def status(self) -> Status:
        night = self._night
        state = night.state if night is not None else NightState()
        plan = night.plan if night else None
        lines = [
            {
                "line": line.id,
                "target": block.target.name,
                "filter": line.filter,
                "exposure_s": line.exposure_s,
                "done": state.done(line.id),
                "wanted": line.number_wanted,
            }
            for block in (plan.blocks if plan else [])
            for line in block.lines
        ]
        return Status(
            version=__version__,
            keeper_pid=os.getpid(),
            rig=self._equipment.rig.name,
            clock=self._clock_kind(),
            speed=self._night_speed if self._clock_kind() == "scaled" else None,
            at=self._equipment.clock.utcnow(),
            run=state.run.value,
            night=state.night or None,
            doing=night.doing.words if night else "",
            because=night.doing.because if night else "",
            hold=state.hold,
            done=state.good,
            wanted=plan.wanted if plan else 0,
            lines=lines,
            conditions=night.outlook.checks(self._equipment.clock.utcnow())
            if night and night.under_way
            else [],
            devices=self._equipment.devices.lamps(),
            reports=self._reports(),
            deferred=self._rig.deferred(),
            last_event=self._telling.last_id,
            alarm=self._charge.alarm,
            errands=self._errands.reports(),
            stopped_until=self._stop.until if self._stop.on else None,
        )

    async def attach(
        self, after: int, tell: Callable[[News], None], streams: Collection[str] = ()
    ) -> Callable[[], None]:
        """See link.endpoint.Endpoint."""
        rig, now = self._equipment.rig, self._equipment.clock.utcnow()
        today = local_noon_before(now, rig.site.time_zone), now

        async def before() -> list[Event]:
            night = self._night.id if self._night is not None else ""
            return await self._ledger.told(rig.id, night, today, after)

        detach = await self._telling.attach(after, tell, streams, before)
        self._watched.set()
        return detach

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Every event from now on, in this process and at once; one that raises is switched off."""
        self._telling.listen(listener)

    async def answer(self, ask: Ask) -> Answer:
        """Carry out a command, or say why not."""
        if ask.protocol != PROTOCOL and ask.command not in ALLOWED_ON_MISMATCH:
            return Answer(
                id=ask.id,
                taken=False,
                reason=f"this keeper speaks protocol {PROTOCOL}, the client {ask.protocol}; "
                "only status, hold and end work: end the night, or use the same version",
            )
        try:
            if ask.command is Command.SCENARIO:
                return self._play(ask)
            return Answer(id=ask.id, taken=True, reason=await self._carry_out(ask))
        except (CantStart, NotAllowed, ErrandRefused, NoErrand) as problem:
            return Answer(id=ask.id, taken=False, reason=str(problem))

    async def _carry_out(self, ask: Ask) -> str:
        night, run = self._night, self._run_state
        if ask.command is Command.START:
            return await self._start(ask)
        if ask.command is Command.STOP:
            return await self._stop_everything()
        if ask.command is Command.RETIRE:
            if run in UNDER_WAY:
                raise NotAllowed("a night is under way: end it first")
            if (busy_with := [e.words for e in self._errands.under_way()]) and ask.values.get("if_free"):
                raise NotAllowed(f"{'; '.join(busy_with)} is under way: the keeper stays")
            if ask.values.get("if_free") and any(d.connected for d in self._equipment.devices.all()):
                raise NotAllowed("devices are connected: the keeper stays to look after them")
            self._retired.set()
            return "the keeper leaves"
        if ask.command in (Command.SPEED, Command.JUMP_AHEAD):
            return self._set_pace(ask)
        if ask.command is Command.DEVICE:
            return await self._by_hand(ask)
        if ask.command is Command.BEGIN:
            return await self._begin(ask)
        if ask.command is Command.STOP_ERRAND:
            return self._errands.find(str(ask.values.get("errand") or "")).stop("stopped by hand")
        if ask.command is Command.TELL_ERRAND:
            told = {name: value for name, value in ask.values.items() if name != "errand"}
            return self._errands.find(str(ask.values.get("errand") or "")).tell(told)
        if ask.command is Command.ANSWER:
            return self._answer_question(ask)
        if ask.command is Command.RIG:
            return self._rig.change(ask.values, self._night_under_way())
        if night is None or run not in UNDER_WAY:
            if ask.command is Command.RESUME and self._stop.release():
                return "devices may be moved again"
            raise NotAllowed("no night is under way")
        if run is RunState.CLOSING:
            if ask.command in (Command.RESUME, Command.END) and self._stop.release():
                return "the closing goes on"
            raise NotAllowed("the night is closing already")
        if ask.command is Command.HOLD:
            if run is RunState.HELD:
                raise NotAllowed(f"the night is held already: {night.state.hold}")
            now = bool(ask.values.get("now"))
            night.hold(str(ask.values.get("reason") or "held by hand"), now=now)
            return "holding now" if now else "holding after what is under way"
        if ask.command is Command.RESUME:
            stopped = self._stop.release()
            if run is not RunState.HELD and not stopped and not night.hold_promised:
                raise NotAllowed("the night runs: nothing is held")
            self._stop_loops()
            await night.resume()
            return "resumed"
        if ask.command is Command.PLAN:
            with contextlib.suppress(ValidationError):
                self._nights.need_allowed(NightPlan.model_validate(ask.values.get("plan")))
        if ask.command in WISHES:
            return await grant(ask, night, night.state, self._equipment.rig)
        self._stop.release()
        after_frame = bool(ask.values.get("after_frame"))
        when = night.from_when() if after_frame else "at once"
        night.end(str(ask.values.get("reason") or "ended by hand"), after_frame)
        return f"ending the night {when}: park, warm up, disconnect"

    async def _stop_everything(self) -> str:
        """A person's emergency stop wins over everything, shelter and closing too, and holds the night."""
        night, run = self._night, self._run_state
        self._errands.stop_all_but_nights("everything was stopped by hand")
        if night is not None and run in (RunState.RUNNING, RunState.HELD):
            night.hold("everything was stopped by hand")
        problems = await self._stop.stop()
        until = site_time(self._stop.until, self._equipment.rig) if self._stop.until else ""
        said = f"everything stands still until you go on; without a word the guards may shut at {until}"
        return "; ".join([said, *problems])

    def _play(self, ask: Ask) -> Answer:
        """Look at the scenario, or change it."""
        if self._scenery is None:
            raise NotAllowed("the rig is real: its sky is what it is")
        try:
            said = self._scenery.change(ask.values) if ask.values else ""
        except ValueError as problem:
            raise NotAllowed(str(problem)) from None
        return Answer(id=ask.id, taken=True, reason=said, values=self._scenery.told())

    def _set_pace(self, ask: Ask) -> str:
        """Speed, and jumping ahead: for nights whose every device is simulated."""
        if self._pace is None:
            raise NotAllowed("the rig is real, and so is its time")
        if self._clock_kind() == "virtual":
            raise NotAllowed("the night runs as fast as it can already")
        if ask.command is Command.JUMP_AHEAD:
            if self._night_under_way() is None:
                raise NotAllowed("no night is under way")
            self._pace.skip()
            return "jumping ahead to the next event"
        speed = ask.values.get("speed")
        if not isinstance(speed, int | float) or not SLOWEST <= speed <= FASTEST:
            raise NotAllowed(f"a speed of {speed!r} is not possible: {SLOWEST:g} to {FASTEST:g}")
        self._night_speed = float(speed)
        self._pace_by_errands()
        return f"simulated time runs {speed:g} times as fast"

    def _pace_by_errands(self) -> None:
        """What goes on by itself for hours hurries, but for when a person is asked something."""
        alone = any(errand.HURRIES and not errand.open_questions for errand in self._errands.under_way())
        self._hurry(self._night_under_way() is not None or alone)

    def _hurry(self, yes: bool) -> None:
        if self._pace is not None and self._clock_kind() != "virtual":
            self._pace.speed = self._night_speed if yes else 1.0

    # -- errands ----------------------------------------------------------------------------

    def _kit(self) -> Kit:
        """For whatever is no night."""
        equipment = self._equipment
        return Kit(
            equipment.rig,
            equipment.devices,
            equipment.clock,
            equipment.measurer,
            Progress(),
            no_step,
            nobody_asks(equipment.clock),
            eye=equipment.eye,
        )

    async def _by_hand(self, ask: Ask) -> str:
        values = dict(ask.values)
        device, action = str(values.pop("device", "")), str(values.pop("action", ""))
        busy = "a night runs" if self._run_state in (RunState.RUNNING, RunState.CLOSING) else None
        if action == "stop" and (device == ALL or busy):
            return await self._stop_everything()
        self._stop.release()
        recorder = await self._errands.recorder(BY_HAND)
        work = self._hand.ask(recorder, ask.id, device, action, values, busy)
        self._charge.by_hand(device, action)
        await self._errands.begin(work)
        return work.words

    async def _hand_finished(self, device: str, action: str, disturbed: tuple[str, ...], words: str) -> None:
        """In a night's hold what was done by hand belongs to the night's record."""
        night = self._night_under_way()
        if night is not None:
            await night.by_hand(device, action, disturbed, words)

    async def _begin(self, ask: Ask) -> str:
        """An errand of a kind that is asked for by its name."""
        values = dict(ask.values)
        name = str(values.pop("kind", ""))
        if name == BY_HAND:
            return await self._by_hand(ask.model_copy(update={"values": values}))
        kind = kinds().get(name)
        if kind is None:
            raise ErrandRefused(f"no errand is called {name!r}; there is {', '.join([BY_HAND, *kinds()])}")
        if kind.URGENCY < Urgency.NIGHT and self._run_state in (RunState.RUNNING, RunState.CLOSING):
            raise ErrandRefused(f"{name}: a night runs; hold it first")
        return await self._begin_kind(kind, name, ask.id, values)

    async def _begin_kind(
        self, kind: type[PlainErrand], name: str, asked: str, values: dict[str, Any]
    ) -> str:
        errand = kind.asked_for(self._place, await self._errands.recorder(name), asked, values)
        aside = self._aside.set_aside(kind.SETS_ASIDE, errand.words)
        await self._errands.begin(errand)
        self._aside.go_on_after(errand, aside)
        return errand.id

    async def _begin_again(self, name: str, values: dict[str, Any]) -> None:
        """What was set aside, unless a night has the devices meanwhile."""
        if self._run_state not in (RunState.RUNNING, RunState.CLOSING):
            await self._begin_kind(kinds()[name], name, "", values)

    def _answer_question(self, ask: Ask) -> str:
        """A person's word to the errand that asks; where several do it has to be named."""
        wanted, number = str(ask.values.get("errand") or ""), ask.values.get("question")
        asking = [e for e in self._errands.under_way() if e.open_questions]
        errand = self._errands.find(wanted) if wanted or len(asking) > 1 else next(iter(asking), None)
        if errand is None:
            raise NotAllowed("nothing is asked")
        return errand.questions.answer(str(ask.values.get("answer") or ""), number)

    def _stop_loops(self) -> None:
        """Before a night takes the devices over."""
        for errand in self._errands.under_way():
            if isinstance(errand, HandWork) and errand.action == LOOP:
                errand.stop("a night takes the devices over")

    async def _start(self, ask: Ask) -> str:
        async with self._starting:  # of two at once the second hears of the first
            if (running := self._night_under_way()) is not None:
                raise NotAllowed(f"a night is under way already: {running.id}")
            if self._retired.is_set():
                raise CantStart("this keeper leaves: ask again, and another one starts")
            plan, frames_folder = self._nights.looked_at(ask.values)
            self._stop_loops()
            name = await self._errands.name(NIGHT)
            self._begin_night(await self._nights.begun(name, plan, frames_folder))
            return name

    # -- telling ------------------------------------------------------------------------------------

    def _clock_kind(self) -> str:
        if self._pace is None:
            return "real"
        return "virtual" if math.isinf(self._pace.speed) else "scaled"

    def _tell(self, event: Event) -> None:
        if self._pace is not None:
            self._pace.event_happened()
        self._telling.event(event)
        # once what was told has become its state
        asyncio.get_running_loop().call_soon(self._pace_by_errands)

    async def _tell_live(self) -> None:
        """Progress once a second of real time; where time jumps nobody could read it."""
        while self._clock_kind() != "virtual":
            await self._equipment.clock.sleep(_LIVE_EVERY_S * (self._pace.speed if self._pace else 1.0))
            self._telling.live(self._errands.under_way())
