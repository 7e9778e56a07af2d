"""The night: one loop that chooses, checks, brings about, exposes, and at the end closes."""

import asyncio
import contextlib
import logging
from collections import Counter
from collections.abc import Coroutine, Mapping
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.devices.protocols import RawFrame
from vigil.documents.errands import NIGHT, Question
from vigil.documents.events import Event, Kind
from vigil.documents.night import UNDER_WAY, NightState, NotAllowed, RunState
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import dump
from vigil.engine.activities.connect import Connect
from vigil.engine.activities.stand_down import StandDown
from vigil.engine.activity import Activity, StepTools
from vigil.engine.activityrunner import ActivityRunner
from vigil.engine.arbiter import Arbiter, Urgency
from vigil.engine.check import Condition
from vigil.engine.closing import close
from vigil.engine.conditions.disk import Disk
from vigil.engine.conditions.safe import Safe
from vigil.engine.ending import to_the_end
from vigil.engine.equipment import Equipment
from vigil.engine.errand import Errand
from vigil.engine.exposurewatch import Exposing, ExposureWatch
from vigil.engine.flats.atend import Library
from vigil.engine.guiding.nightguider import NightGuider
from vigil.engine.hand.frames import write_trial
from vigil.engine.holding import GoOn, Holding, Rest
from vigil.engine.lights import Lights
from vigil.engine.outlook import Outlook
from vigil.engine.polar.shelf import last_polar
from vigil.engine.policy import MOST_REPEATS_WITHOUT_EXPOSURE, POLICIES, AfterTries
from vigil.engine.recorder import NightRecorder
from vigil.engine.remedy import Do, GiveUp, Hold, NotBefore, Remedy
from vigil.engine.saving import Saver
from vigil.engine.wishes import Wishes
from vigil.planning.choice import Candidate, Finished, Wait
from vigil.planning.spans import site_time
from vigil.runtime.clock import Clock
from vigil.runtime.programs import run_program

log = logging.getLogger(__name__)

_SLOW_LOOK = timedelta(seconds=5)
_EXPOSURE = "exposure"
_UNWANTED = timedelta(minutes=10)
_GAVE_WAY = "cancelled"
"""In place of what went wrong, when it was for somebody else's wish."""


class Night(Errand):
    """Runs a plan to its end. Made over a recorder whose state says what was done before. To the guards it is
    the charge (engine.guards.charge)."""

    KIND = NIGHT
    URGENCY = Urgency.NIGHT

    def __init__(self, plan: NightPlan, equipment: Equipment, recorder: NightRecorder) -> None:
        rig, devices, clock = equipment.rig, equipment.devices, equipment.clock
        self.plan = plan
        self._devices = devices
        self._clock = clock
        self._recorder = recorder
        self._runner = ActivityRunner(
            rig,
            devices,
            clock,
            equipment.measurer,
            recorder,
            equipment.arbiter or Arbiter(),
            self._tools(equipment),
            equipment.eye,
        )
        self._wake = asyncio.Event()
        self._rig = rig
        self._guider = self._night_guider(equipment)
        self._wishes = Wishes()
        self.doing = self._runner.doing
        self.progress = self._runner.progress
        self.questions = self._runner.questions
        self._saver = Saver(
            recorder,
            equipment.workshop,
            equipment.measurer,
            rig,
            equipment.rescue_folder,
            equipment.disk_trouble,
            equipment.write,
        )
        self._lights = Lights(
            self._runner,
            plan,
            recorder,
            self._saver,
            equipment.frames_folder,
            self._frame_in_trouble,
            self._guider,
        )
        self.outlook = Outlook(
            plan,
            rig,
            devices,
            recorder,
            equipment.frames_folder,
            self._lights.count,
            _begun(recorder, clock),
            equipment.disk_trouble,
            self._guider.now,
            lambda: last_polar(self._rig, equipment.kept_folder),
        )
        self._watch = ExposureWatch(clock, self.outlook, self._lights, equipment.look_every_s)
        self._failures: dict[str, int] = {}
        self._background: dict[str, asyncio.Task[None]] = {}
        self._repeats: Counter[str] = Counter()
        self._foreground: asyncio.Task[str | None] | None = None
        self._foreground_patient = False
        self._sheltering = False
        self._telling: set[asyncio.Task[Event | None]] = set()
        self._holding = Holding(self.outlook, recorder)

    def _night_guider(self, equipment: Equipment) -> NightGuider:
        guider = NightGuider(
            self._runner.kit,
            self._runner.arbiter,
            self._clock,
            equipment.guides,
            equipment.kept_folder,
            lambda values, words: self._told_beside(Kind.GUIDED, values, words),
            lambda stream, values: equipment.sample(self.id, stream, values),
            lambda work: self._group.create_task(work),
            lambda: self.state.side,
        )
        self._runner.take_guider(guider)
        return guider

    def _tools(self, equipment: Equipment) -> StepTools:
        folder = equipment.frames_folder / "beside"

        def tube_c() -> float | None:
            return self.outlook.tube_c()

        if equipment.rehearses:
            return StepTools(folder, tube_c=tube_c)

        async def keep(frame: RawFrame, path: Path) -> None:
            await write_trial(equipment.workshop, self._rig, path, frame)

        def sample(stream: str, values: dict[str, Any]) -> None:
            equipment.sample(self.id, stream, values)

        library = None
        if equipment.calibration is not None:
            looked_in = equipment.frames_folder, equipment.calibration, *equipment.libraries
            library = Library(equipment.workshop, equipment.calibration, looked_in)
        return StepTools(folder, run_program, tube_c, keep, equipment.kept_folder, sample, library)

    # -- what every errand tells -------------------------------------------------------------------

    @property
    def id(self) -> str:
        return self._recorder.errand

    @property
    def words(self) -> str:
        return self.doing.words or self.plan.name

    @property
    def because(self) -> str:
        return self.doing.because

    @property
    def claims(self) -> frozenset[str]:
        return frozenset()

    @property
    def began(self) -> datetime | None:
        started = self._recorder.state.started
        return started.at if started is not None else None

    @property
    def open_questions(self) -> Mapping[int, Question]:
        return self._recorder.state.questions

    @property
    def state(self) -> NightState:
        return self._recorder.state

    @property
    def under_way(self) -> bool:
        return self.state.run in UNDER_WAY

    @property
    def over(self) -> bool:
        return not self.under_way

    def stop(self, why: str) -> str:
        """As any errand's: parked, shut, warm."""
        self.end(why)
        return "ending the night at once: park, warm up, disconnect"

    # -- what people may ask for ------------------------------------------------------------------

    def hold(self, reason: str, now: bool = False) -> None:
        """Wait after the activity or exposure under way; with `now`, abandon it. What waits for a person or a
        moment is abandoned in any case."""
        self._wishes.want_hold(reason)
        self._interrupt(now)

    @property
    def hold_promised(self) -> bool:
        """Whether a hold comes after what is under way."""
        return self._wishes.hold is not None

    async def resume(self) -> None:
        """Go on after a hold; where none is held any more, nothing happens."""
        self._wishes.take_hold()
        if self._recorder.state.run is RunState.HELD:
            await self._go_on("resumed by hand")
        self._wake.set()

    async def _go_on(self, why: str) -> None:
        with contextlib.suppress(NotAllowed):  # somebody else was quicker
            await self._recorder.record(Kind.RESUMED, {}, why)
            self._failures.clear()
            self._repeats.clear()

    def change_rig(self, rig: Rig, words: str) -> None:
        """Another rig, from the next decision on; only values that are safe to change may differ."""
        self._wishes.rig = rig, words
        self._wake.set()

    def change_plan(self, plan: NightPlan, words: str) -> None:
        """An edited plan, from the next decision on. Whether what has begun may change so is the asker's to
        look at (planning.revision)."""
        self._wishes.plan = plan, words
        self._interrupt(now=False)

    async def ask(self, what: str, words: str, block: str = "", now: bool = False) -> None:
        """A wish of a person's (documents.night folds it): in force from the next decision on; with `now`
        what is under way is abandoned for it."""
        await self._recorder.record(Kind.ASKED, {"what": what, **({"block": block} if block else {})}, words)
        self._interrupt(now)

    async def judge(self, frame_id: str, verdict: str, words: str) -> None:
        """A person's verdict on a frame: a rejected one is taken again, a kept one counts."""
        await self._recorder.record(Kind.FRAME_JUDGED, {"frame_id": frame_id, "verdict": verdict}, words)
        self._wake.set()

    def candidate_now(self) -> Candidate | Wait | Finished:
        """What is being got ready or exposed."""
        return self.outlook.choice(self._clock.utcnow())

    def from_when(self) -> str:
        """In words, when the next decision will be made."""
        exposing = self._recorder.state.exposing
        if exposing is None:
            at_once = self._foreground is None or self._foreground_patient
            return "at once" if at_once else f"after {self.doing.words}"
        ends = datetime.fromisoformat(exposing.values["ends"])
        return f"after the frame under way, at {site_time(ends, self._rig)}"

    def end(self, reason: str, after_frame: bool = False) -> None:
        """Close the night; what is under way is abandoned, unless it may be finished first."""
        self._wishes.end = reason
        self._interrupt(now=not after_frame)

    def _interrupt(self, now: bool) -> None:
        self._wake.set()
        if self._foreground is not None and (now or self._foreground_patient):
            self._foreground.cancel()

    def _frame_in_trouble(self, reason: str) -> None:
        """A frame could not go where it belongs: held until the disk takes frames again."""
        self.outlook.disk_failed()
        self.disk(reason)

    # -- what guards ask and tell (engine.guards.charge) --------------------------------------------

    def side(self) -> str:
        return self._recorder.state.side

    def may_shelter(self) -> bool:
        return self.plan.orders.when_unsafe == "shelter"

    def wants_daylight(self, now: datetime) -> bool:
        return False

    def disk_trouble(self, now: datetime) -> str:
        return self.outlook.disk_words(now)

    def unsafe(self, words: str) -> None:
        """What moves gives way to the shelter by itself (engine.arbiter); the rest has no sense any more."""
        if self._lights.exposing:
            self._lights.cut_short(words)
        elif self._recorder.state.run is RunState.RUNNING and self._foreground is not None:
            self._foreground.cancel()
        self._wake.set()

    def stopped(self, words: str) -> None:
        """The mount stands still: what it was doing is over; the next decision flips, or goes elsewhere."""
        self._lights.cut_short(words)
        self._wake.set()

    def lost(self, device: str, words: str) -> None:
        self._told_beside(Kind.DEVICE_LOST, {"device": device}, words)
        self._wake.set()

    def disk(self, words: str) -> None:
        if self._recorder.state.run is RunState.RUNNING:
            self._wishes.want_hold(words, Disk.name)
            self._wake.set()

    async def carry(self, activity: Activity, condition: str, why: str) -> str | None:
        self._sheltering = True
        try:
            return await self._runner.carry_out(activity, condition, why, quietly=False, must=True)
        finally:
            self._sheltering = False
            self._wake.set()

    async def guarded(self, values: dict[str, Any], words: str) -> None:
        await self._recorder.record_if_possible(Kind.GUARDED, values, words)

    def recovered(self, words: str) -> None:
        """A device needed a second try: a nuisance, told and gone."""
        self._told_beside(Kind.DEVICE_RECOVERED, {}, words)

    async def by_hand(self, device: str, action: str, disturbed: tuple[str, ...], words: str) -> None:
        """What a person did with a device in a hold."""
        values = {"device": device, "action": action, "disturbed": list(disturbed)}
        await self._recorder.record_if_possible(Kind.BY_HAND, values, words)

    def _told_beside(self, kind: Kind, values: dict[str, Any], words: str) -> None:
        task = asyncio.ensure_future(self._recorder.record_if_possible(kind, values, words))
        self._telling.add(task)
        task.add_done_callback(self._telling.discard)

    # -- the run ----------------------------------------------------------------------------------

    async def run(self) -> None:
        """Until the night is over. Cancelled or failing, it still closes before it returns."""
        try:
            await self._with_helpers(self._loop())
        except asyncio.CancelledError:
            self._wishes.end = self._wishes.end or "the night was cancelled"
            await to_the_end(self._with_helpers(self._finish()))
            raise
        except Exception as problem:
            log.exception("the night's loop failed")
            self._wishes.end = f"an error in Vigil: {_innermost(problem)}"
        await to_the_end(self._with_helpers(self._finish()))

    async def _with_helpers(self, work: Coroutine[Any, Any, None]) -> None:
        """Do `work` beside the watch over exposures; ends the tasks it started."""
        async with asyncio.TaskGroup() as group:
            self._group = group
            watch = group.create_task(self._watch.keep_on(self._take_temperature))
            try:
                await work
                await self._lights.settle()
            finally:
                watch.cancel()
                self._guider.close("the night ends")
                for task in self._background.values():
                    task.cancel()
                if self._foreground is not None:
                    self._foreground.cancel()

    def _take_temperature(self) -> None:
        focuser = self._devices.focuser
        state = focuser.state if focuser is not None and focuser.connected else None
        if state is not None and state.temperature_c is not None:
            self.outlook.tube.add(self._clock.utcnow(), state.temperature_c)

    async def _loop(self) -> None:
        while self._wishes.end is None and self._recorder.state.run in (RunState.RUNNING, RunState.HELD):
            self._wake.clear()
            await self._turn()

    async def _finish(self) -> None:
        if self._recorder.state.run is RunState.OVER:
            return
        reason = self._wishes.end or self._recorder.state.end_reason or "the plan is finished"
        self.doing.now("closing", reason)
        await self._recorder.record_if_possible(Kind.CLOSING_STARTED, {}, reason)
        await close(self._runner.kit(), self.plan, self._recorder, self._runner.arbiter)
        state = self._recorder.state
        parts = {part["part"]: part["outcome"] for part in state.closing}
        values = {"frames": state.good, "wanted": self.plan.wanted, "closing": parts}
        await self._recorder.record_if_possible(Kind.NIGHT_OVER, values, reason)
        self.doing.now("over", reason)

    async def _turn(self) -> None:
        """One decision: an activity, an exposure, a wait, or the end."""
        await self._take_changes()
        now, state = self._clock.utcnow(), self._recorder.state
        choice = self.outlook.choice(now)
        if isinstance(choice, Finished):
            self._wishes.end = choice.because
        elif state.run is RunState.HELD:
            if not self._sheltering:
                self.doing.now("holding", state.hold or "")
            await self._hold_on(choice, now)
        elif (hold := self._wishes.take_hold()) is not None:
            self._holding.began(now)
            self._guider.let_go(f"the night is held: {hold.reason}")
            await self._recorder.record(
                Kind.HELD, {"condition": hold.cause} if hold.cause else {}, hold.reason
            )
        elif (unsafe := self._must_hold(choice, now)) is not None:
            self._wishes.want_hold(unsafe, Safe.name)
        elif isinstance(choice, Wait):
            await self._stand_by(choice, now)
        else:
            await self._towards(choice, now)

    def _must_hold(self, choice: Candidate | Wait, now: datetime) -> str | None:
        """Why nothing may be begun under this sky. Sensors that are only not connected yet are connected,
        while nothing stands open."""
        if not self._sheltering and (isinstance(choice, Wait) or self.outlook.lost_sensors()):
            return None
        return self.outlook.unsafe(now)

    async def _hold_on(self, choice: Candidate | Wait, now: datetime) -> None:
        """One step of a hold."""
        following = self._holding.next(choice, now, self._sheltering)
        if isinstance(following, GoOn):
            await self._go_on(following.why)
        elif isinstance(following, Rest):
            await self._rest(following.until)
        elif not following.urgent and self._runner.arbiter.taken(following.activity.claims):
            await self._rest(now + _SLOW_LOOK)  # a person works with it
        else:
            activity, urgent = following.activity, following.urgent
            work = self._runner.carry_out(activity, following.condition, following.why, quietly=not urgent)
            problem = await self._under_way(work, activity.PATIENT)
            if problem is not None and urgent and self._wishes.end is None:
                _, pause_s = self._count_failure(following.condition, activity.KIND)
                again = self._clock.utcnow() + timedelta(seconds=pause_s)
                await self._wait(again, problem, lost_to=activity.KIND)

    async def _take_changes(self) -> None:
        """A changed rig or plan comes into force between two decisions: nothing under way sees half of it."""
        if (changed := self._wishes.take_rig()) is not None:
            self._rig, words = changed
            for part in (self._runner, self.outlook, self._saver):
                part.take_rig(self._rig)
            await self._recorder.record(Kind.RIG_CHANGED, {"rig": dump(self._rig)}, words)
        if (edited := self._wishes.take_plan()) is not None:
            self.plan, words = edited
            self._lights.take_plan(self.plan)
            self.outlook.take_plan(self.plan)
            values = {"plan": dump(self.plan), "wanted": self.plan.wanted}
            await self._recorder.record(Kind.PLAN_CHANGED, values, words)

    async def _stand_by(self, wait: Wait, now: datetime) -> None:
        """Nothing to do for now: what the guards need is kept connected, and a mount that nobody wants for
        long doesn't track on."""
        if wait.until - now > _UNWANTED:
            self._guider.let_go(wait.because)
        lost = tuple(self.outlook.lost_guarded()) if self._recorder.state.was_connected else ()
        if lost and not self.state.waived(Connect.KIND, now):
            why = f"{', '.join(lost)} not connected"
            await self._on_the_side(Connect(lost), why, now)
            return
        mount, part = self._devices.mount, self._rig.mount
        tracks = mount is not None and mount.connected and mount.state is not None and mount.state.tracking
        if (
            part is not None
            and tracks
            and wait.until - now > _UNWANTED
            and not self.state.waived(StandDown.KIND, now)
        ):
            activity = StandDown(part.between_targets == "parks")
            minutes = (wait.until - now).total_seconds() / 60
            why = f"nobody wants the mount for {minutes:.0f} min: {wait.because}"
            await self._on_the_side(activity, why, now)
            return
        await self._wait(wait.until, wait.because, lost_to=wait.lost_to)

    async def _on_the_side(self, activity: Activity, why: str, now: datetime) -> None:
        """What no exposure asks for; failed, it is left alone for a while."""
        work = self._runner.carry_out(activity, activity.KIND, why, quietly=False)
        problem = await self._under_way(work, patient=False)
        if problem is not None and problem is not _GAVE_WAY:
            later = timedelta(seconds=POLICIES[activity.KIND].later_s)
            await self._waive(activity.KIND, now + later, problem)

    async def _towards(self, candidate: Candidate, now: datetime) -> None:
        """Look at the candidate's conditions in order; bring about the first that isn't met, else expose."""
        view = self.outlook.view(candidate, now)
        start, end = self.outlook.exposure_times(candidate, now)
        beside: list[str] = []
        for condition in self.outlook.conditions(candidate.block):
            check = condition.check(view, start, end)
            if check.met or (not condition.hard and view.night.waived(condition.name, now)):
                continue
            remedy = condition.remedy(view)
            if condition.slow and isinstance(remedy, Do):
                self._start_beside(condition, remedy.activity, check.words)
                beside.append(remedy.activity.words)
                continue
            await self._follow(remedy, condition, check.words, candidate, now)
            return
        if beside:
            await self._wait(now + _SLOW_LOOK, f"still {', '.join(beside)}", looking=True)
        elif now < candidate.opens:
            await self._wait(candidate.opens, f"all is ready; {candidate.block.target.name} opens then")
        else:
            await self._expose(candidate)

    async def _follow(
        self, remedy: Remedy, condition: Condition, why: str, candidate: Candidate, now: datetime
    ) -> None:
        match remedy:
            case Do(activity, skippable):
                await self._bring_about(condition, activity, skippable, why, candidate, now)
            case NotBefore(moment, because):
                until = min(moment, candidate.closes)
                words = because if moment < candidate.closes else f"not tonight: {because}"
                await self._put_off(candidate, until, words)
            case Hold(because):
                self._wishes.want_hold(because, condition.name)
            case GiveUp(because):
                await self._give_up(candidate, because)

    # -- activities -------------------------------------------------------------------------------

    async def _bring_about(
        self,
        condition: Condition,
        activity: Activity,
        skippable: bool,
        why: str,
        candidate: Candidate,
        now: datetime,
    ) -> None:
        """Run an activity for a condition, if there is time for it; when it fails, follow its policy."""
        left_s = (candidate.closes - now).total_seconds()
        if skippable and activity.expected_s + candidate.line.exposure_s > left_s:
            await self._waive(condition.name, candidate.closes, "no time is left for it and a frame after it")
            return
        if self._repeats[condition.name] >= MOST_REPEATS_WITHOUT_EXPOSURE:
            others = [name for name, n in self._repeats.most_common(2)]
            self._repeats.clear()
            words = f"{' and '.join(others)} undo each other: brought about again and again without a frame"
            await self._put_off_for_failure(candidate, activity.KIND, words)
            return
        self._repeats[condition.name] += 1
        work = self._runner.carry_out(activity, condition.name, why, quietly=False)
        problem = await self._under_way(work, activity.PATIENT)
        if problem is None:
            self._failures.pop(condition.name, None)
        elif problem is not _GAVE_WAY and not self._wishes.stops:
            await self._after_failure(condition, activity, problem, candidate)

    async def _after_failure(
        self, condition: Condition, activity: Activity, problem: str, candidate: Candidate
    ) -> None:
        policy, now = activity.policy or POLICIES[activity.KIND], self._clock.utcnow()
        failures, pause_s = self._count_failure(condition.name, activity.KIND)
        if failures < policy.tries:
            again = now + timedelta(seconds=pause_s)
            said = f"{problem}; try {failures + 1} of {policy.tries} at {site_time(again, self._rig)}"
            await self._wait(again, said, lost_to=activity.KIND)
        elif policy.then is AfterTries.WAIVE and not condition.hard:
            await self._waive(condition.name, now + timedelta(seconds=policy.later_s), problem)
        elif policy.then is AfterTries.LEAVE_OUT:
            await self._give_up(candidate, problem)
        elif policy.then is AfterTries.HOLD:
            self._wishes.want_hold(problem)
        elif policy.then is AfterTries.CLOSE:
            self._wishes.end = problem
        else:
            self._repeats.clear()
            await self._put_off_for_failure(candidate, activity.KIND, f"{problem}; tried {failures} times")

    def _count_failure(self, name: str, kind: str) -> tuple[int, float]:
        """(failures in a row with this one, pause that follows); the last try starts a new row."""
        policy = POLICIES[kind]
        failures = self._failures.pop(name, 0) + 1
        if failures >= policy.tries:
            return failures, policy.later_s
        self._failures[name] = failures
        return failures, policy.pause_s(failures)

    def _start_beside(self, condition: Condition, activity: Activity, why: str) -> None:
        """Bring a slow condition about while others go on, unless that is under way."""
        task = self._background.get(condition.name)
        if task is None or task.done():
            work = self._beside(condition, activity, why)
            self._background[condition.name] = self._group.create_task(work)

    async def _beside(self, condition: Condition, activity: Activity, why: str) -> None:
        problem = await self._runner.carry_out(activity, condition.name, why, quietly=True)
        if problem is not None:
            _, pause_s = self._count_failure(condition.name, activity.KIND)
            await self._recorder.record(Kind.WAITING, {}, f"{problem}; next try in {pause_s:.0f} s")
            await self._clock.sleep(pause_s)

    async def _expose(self, candidate: Candidate) -> None:
        ends, then = self.outlook.after(candidate, self._clock.utcnow())
        follows = {"ends": ends.isoformat(), "then": then}
        self._watch.exposing = Exposing(candidate, self._clock.utcnow(), ends)
        try:
            work = self._lights.take(candidate, follows, self._group.create_task)
            problem = await self._under_way(work, patient=False)
        finally:
            self._watch.exposing = None
        if problem is None:
            self._failures.pop(_EXPOSURE, None)
            self._repeats.clear()
        elif problem is not _GAVE_WAY and not self._wishes.stops:
            failures, pause_s = self._count_failure(_EXPOSURE, "expose")
            if failures < POLICIES["expose"].tries:
                again = self._clock.utcnow() + timedelta(seconds=pause_s)
                said = f"{problem}; next try {site_time(again, self._rig)}"
                await self._wait(again, said, lost_to=_EXPOSURE)
            else:
                await self._put_off_for_failure(candidate, "expose", problem)

    async def _under_way(self, work: Coroutine[Any, Any, str | None], patient: bool) -> str | None:
        """Run the one thing in the foreground; wishes and those more urgent may cancel it. Returns what went
        wrong."""
        task = self._foreground = self._group.create_task(work)
        self._foreground_patient = patient
        try:
            await asyncio.wait({task})
        finally:
            self._foreground, self._foreground_patient = None, False
        return _GAVE_WAY if task.cancelled() else task.result()

    # -- waiting, waiving, putting off, giving up -----------------------------------------------------

    async def _wait(self, until: datetime, because: str, looking: bool = False, lost_to: str = "") -> None:
        """Until a moment, which is told; or only `looking` again then at something that takes its time.
        `lost_to` names what failed, where this is time lost."""
        waiting = self._recorder.state.waiting
        if not self._sheltering:
            self.doing.now("waiting", because)
        if waiting is None or waiting.reason != because:
            values = {} if looking else {"until": until.isoformat()}
            lost = {"lost_to": lost_to} if lost_to else {}
            await self._recorder.record(Kind.WAITING, {**values, **lost}, because)
        await self._rest(until)

    async def _rest(self, until: datetime) -> None:
        """Until a moment, or until something that matters happens."""
        seconds = max(0.0, (until - self._clock.utcnow()).total_seconds())
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(seconds):
                await self._wake.wait()

    async def _waive(self, name: str, until: datetime, why: str) -> None:
        values = {"condition": name, "until": until.isoformat()}
        await self._recorder.record(
            Kind.WAIVED, values, f"going on without {name} until {site_time(until, self._rig)}: {why}"
        )

    async def _put_off(self, candidate: Candidate, until: datetime, why: str, lost_to: str = "") -> None:
        """Leave the block alone until a moment: what is open elsewhere goes on meanwhile."""
        values = {"block": candidate.block.id, "until": until.isoformat()}
        if lost_to:
            values["lost_to"] = lost_to
        await self._recorder.record(Kind.PUT_OFF, values, why)

    async def _put_off_for_failure(self, candidate: Candidate, kind: str, why: str) -> None:
        before = self._recorder.state.failed_in_row.get(candidate.block.id, 0)
        until = self._clock.utcnow() + timedelta(seconds=POLICIES[kind].put_off_s(before))
        said = f"{why}; next try {site_time(until, self._rig)}"
        await self._put_off(candidate, until, said, lost_to=kind)

    async def _give_up(self, candidate: Candidate, why: str) -> None:
        block = candidate.block
        reason = f"{block.target.name} skipped for tonight: {why}"
        await self._recorder.record(Kind.BLOCK_GIVEN_UP, {"block": block.id}, reason)


def _begun(recorder: NightRecorder, clock: Clock) -> datetime:
    """When the night began: one taken up again the next day is still the night before, and closes."""
    started = recorder.state.started
    return started.at if started is not None else clock.utcnow()


def _innermost(problem: BaseException) -> str:
    while isinstance(problem, BaseExceptionGroup):
        problem = problem.exceptions[0]
    return f"{type(problem).__name__}: {problem}"
