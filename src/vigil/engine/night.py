"""The night: one loop that chooses, checks, brings about, exposes, and at the end closes."""

import asyncio
import contextlib
import logging
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.devices.protocols import Devices, RawFrame
from vigil.devices.supervised import POLL_S, Rigged
from vigil.documents.events import Kind
from vigil.documents.night import NotAllowed, RunState
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import dump
from vigil.engine.activity import Activity, Tools
from vigil.engine.arbiter import Arbiter
from vigil.engine.carrying import Carrier
from vigil.engine.check import Condition
from vigil.engine.closing import close
from vigil.engine.conditions.safe import Safe
from vigil.engine.ending import to_the_end
from vigil.engine.hand.frames import write_trial
from vigil.engine.holding import GoOn, Holding, Rest
from vigil.engine.lights import Lights
from vigil.engine.measuring import Measurer
from vigil.engine.outlook import STARS_BELOW_SUN_DEG, Outlook
from vigil.engine.policy import MOST_ACTIVITIES_WITHOUT_EXPOSURE, POLICIES, GiveUp
from vigil.engine.recorder import Recorder
from vigil.engine.saving import Saver, Write
from vigil.engine.watch import Exposing, Watch
from vigil.planning.choice import Candidate, Finished, Wait
from vigil.planning.spans import site_time
from vigil.runtime.clock import Clock
from vigil.runtime.programs import run_program
from vigil.runtime.workshop import Workshop

log = logging.getLogger(__name__)

_SLOW_LOOK = timedelta(seconds=5)
_EXPOSURE = "exposure"


@dataclass(frozen=True, slots=True)
class Equipment:
    """What a night is given: nothing in it is made by the engine itself."""

    rig: Rig
    devices: Rigged
    clock: Clock
    workshop: Workshop
    measurer: Measurer
    frames_folder: Path
    rescue_folder: Path
    arbiter: Arbiter | None = None
    """Shared with work by hand; a night without one makes its own."""
    bare_devices: Callable[[Rig], Devices] | None = None
    """The devices of a changed rig."""
    disk_trouble: Callable[[], OSError | None] = lambda: None
    """What the frames' disk suffers from, by the simulator's word; real disks speak for themselves."""
    write: Write | None = None
    """How a frame is put on disk; None is the usual way."""
    look_every_s: float = POLL_S
    """How often the watch looks at what could do harm."""
    rehearses: bool = False
    """Nothing is written or run outside: programs of the plan are left out."""
    hand_folder: Path | None = None
    """For frames taken by hand; else beside the others."""


class Night:
    """Runs a plan to its end. Made over a recorder whose state says what was done before."""

    def __init__(self, plan: NightPlan, equipment: Equipment, recorder: Recorder) -> None:
        rig, devices, clock = equipment.rig, equipment.devices, equipment.clock
        self.plan = plan
        self._devices = devices
        self._clock = clock
        self._recorder = recorder
        self._carrier = Carrier(
            rig,
            plan,
            devices,
            clock,
            equipment.measurer,
            recorder,
            equipment.arbiter or Arbiter(),
            self._tools(equipment),
        )
        self._wake = asyncio.Event()
        self._rig = rig
        self._rig_wanted: tuple[Rig, str] | None = None
        self._plan_wanted: tuple[NightPlan, str] | None = None
        self.doing = self._carrier.doing
        self.progress = self._carrier.progress
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
            self._carrier, recorder, self._saver, equipment.frames_folder, self._frame_in_trouble
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
        )
        self._watch = Watch(
            rig,
            devices,
            clock,
            recorder,
            self.progress,
            self.outlook,
            self._lights,
            self._hold_at_limit,
            self._sky_unsafe,
            self._wake,
            equipment.look_every_s,
        )
        self._failures: dict[str, int] = {}
        self._background: dict[str, asyncio.Task[None]] = {}
        self._since_exposure: list[str] = []
        self._foreground: asyncio.Task[str | None] | None = None
        self._hold_wanted: str | None = None
        self._end_wanted: str | None = None
        self._hold_condition = ""
        self._holding = Holding(self.outlook, recorder)

    def _tools(self, equipment: Equipment) -> Tools:
        folder = equipment.frames_folder / "beside"

        def tube_c() -> float | None:
            return self.outlook.tube_c()

        if equipment.rehearses:
            return Tools(folder, tube_c=tube_c)

        async def keep(frame: RawFrame, path: Path) -> None:
            await write_trial(equipment.workshop, self._rig, path, frame)

        return Tools(folder, run_program, tube_c, keep)

    # -- what people may ask for ------------------------------------------------------------------

    def hold(self, reason: str, now: bool = False) -> None:
        """Wait after the activity or exposure under way; with `now`, abandon it."""
        self._hold_wanted, self._hold_condition = reason, ""
        self._wake.set()
        if now:
            self._cancel_foreground()

    def _hold_at_limit(self, reason: str) -> None:
        if self._recorder.state.run is RunState.RUNNING:
            self.hold(reason, now=True)

    def _frame_in_trouble(self, reason: str) -> None:
        """A frame could not go where it belongs: a person is asked, or room waited for."""
        if not self._recorder.state.held_by and not self._hold_condition:
            self.hold(reason)

    def _sky_unsafe(self) -> None:
        """What is under way stops, but for an exposure: the watch ends that and keeps what there is."""
        if self.outlook.unsheltered() and self._recorder.state.exposing is None:
            self._cancel_foreground()
        self._wake.set()

    async def resume(self) -> None:
        """Go on after a hold. Raises NotAllowed when nothing is held."""
        if self._hold_wanted is not None and self._recorder.state.run is RunState.RUNNING:
            self._hold_wanted, self._hold_condition = None, ""
            return
        self._hold_wanted = None
        await self._go_on("resumed by hand")
        self._wake.set()

    async def _go_on(self, why: str) -> None:
        self._failures.clear()
        self._since_exposure.clear()
        await self._recorder.record(Kind.RESUMED, {}, why)

    def change_rig(self, rig: Rig, words: str) -> None:
        """Another rig, from the next decision on; only values that are safe to change may differ."""
        self._rig_wanted = rig, words
        self._wake.set()

    def change_plan(self, plan: NightPlan, words: str) -> None:
        """An edited plan, from the next decision on. Whether what has begun may change so is the asker's to
        look at (planning.revision)."""
        self._plan_wanted = plan, words
        self._wake.set()

    async def ask(self, what: str, words: str, block: str = "", now: bool = False) -> None:
        """A wish of a person's (documents.night folds it): in force from the next decision on; with `now`
        what is under way is abandoned for it."""
        await self._recorder.record(Kind.ASKED, {"what": what, **({"block": block} if block else {})}, words)
        if now:
            self._cancel_foreground()
        self._wake.set()

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
            return "at once" if self._foreground is None else f"after {self.doing.words}"
        ends = datetime.fromisoformat(exposing.values["ends"])
        return f"after the frame under way, at {site_time(ends, self._rig)}"

    def accept(self) -> None:
        """To what an activity asks of a person: it is good enough as it is. Raises NotAllowed."""
        if not any(a["kind"] in ("turn by hand", "ask") for a in self._recorder.state.activities.values()):
            raise NotAllowed("nothing is asked")
        self._carrier.kit().answers.accept()

    def end(self, reason: str, after_frame: bool = False) -> None:
        """Close the night; what is under way is abandoned, unless it may be finished first."""
        self._end_wanted = reason
        if not after_frame:
            self._cancel_foreground()
        self._wake.set()

    # -- the run ----------------------------------------------------------------------------------

    async def run(self) -> None:
        """Until the night is over. Cancelled or failing, it still closes before it returns."""
        try:
            await self._watch_over(self._loop())
        except asyncio.CancelledError:
            self._end_wanted = self._end_wanted or "the night was cancelled"
            await to_the_end(self._watch_over(self._finish()))
            raise
        except Exception as problem:
            log.exception("the night's loop failed")
            self._end_wanted = f"an error in Vigil: {_innermost(problem)}"
        await to_the_end(self._watch_over(self._finish()))

    async def _watch_over(self, work: Coroutine[Any, Any, None]) -> None:
        """Do `work` under the guards; ends the tasks it started."""
        async with asyncio.TaskGroup() as group:
            self._group = group
            for device in self._devices.all():
                device.recovered = self._recovered
            guard = group.create_task(self._watch.keep_on())
            try:
                await work
                await self._lights.settle()
            finally:
                guard.cancel()
                for task in self._background.values():
                    task.cancel()
                self._cancel_foreground()

    async def _loop(self) -> None:
        while self._end_wanted is None and self._recorder.state.run in (RunState.RUNNING, RunState.HELD):
            self._wake.clear()
            await self._turn()

    async def _finish(self) -> None:
        if self._recorder.state.run is RunState.OVER:
            return
        reason = self._end_wanted or self._recorder.state.end_reason or "the plan is finished"
        self.doing.now("closing", reason)
        await self._recorder.record_if_possible(Kind.CLOSING_STARTED, {}, reason)
        await close(self._carrier.kit(), self._recorder)
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
            self._end_wanted = choice.because
        elif state.run is RunState.HELD:
            self.doing.now("holding", state.hold or "")
            await self._hold_on(choice, now)
        elif self._hold_wanted is not None:
            reason, cause = self._hold_wanted, self._hold_condition
            self._hold_wanted, self._hold_condition = None, ""
            self._holding.began(now)
            await self._recorder.record(Kind.HELD, {"condition": cause} if cause else {}, reason)
        elif (unsafe := self._must_shelter(now)) is not None:
            self._hold_wanted, self._hold_condition = unsafe, Safe.name
        elif isinstance(choice, Wait):
            await self._wait(choice.until, choice.because)
        else:
            await self._towards(choice, now)

    def _must_shelter(self, now: datetime) -> str | None:
        """Why everything is to be shut before anything else, lost sensors looked for included; else None."""
        if self.plan.orders.when_unsafe != "shelter" or not self.outlook.unsheltered():
            return None
        return self.outlook.unsafe(now)

    async def _hold_on(self, choice: Candidate | Wait, now: datetime) -> None:
        """One step of a hold."""
        following = self._holding.next(choice, self.plan.orders, now)
        if isinstance(following, GoOn):
            await self._go_on(following.why)
        elif isinstance(following, Rest):
            await self._rest(following.until)
        else:
            activity, urgent = following.activity, following.urgent
            work = self._carrier.carry_out(activity, following.condition, following.why, quietly=not urgent)
            problem = await self._under_way(work)
            if problem is not None and urgent and self._end_wanted is None:
                _, pause_s = self._count_failure(following.condition, activity.KIND)
                again = self._clock.utcnow() + timedelta(seconds=pause_s)
                await self._wait(again, problem, lost_to=activity.KIND)

    async def _take_changes(self) -> None:
        """A changed rig or plan comes into force between two decisions: nothing under way sees half of it."""
        if self._rig_wanted is not None:
            (self._rig, words), self._rig_wanted = self._rig_wanted, None
            for part in (self._carrier, self.outlook, self._saver, self._watch):
                part.take_rig(self._rig)
            await self._recorder.record(Kind.RIG_CHANGED, {"rig": dump(self._rig)}, words)
        if self._plan_wanted is not None:
            (self.plan, words), self._plan_wanted = self._plan_wanted, None
            self._carrier.take_plan(self.plan)
            self.outlook.take_plan(self.plan)
            values = {"plan": dump(self.plan), "wanted": self.plan.wanted}
            await self._recorder.record(Kind.PLAN_CHANGED, values, words)

    async def _towards(self, candidate: Candidate, now: datetime) -> None:
        """Look at the candidate's conditions in order; bring about the first that isn't met, else expose."""
        view = self.outlook.view(candidate, now)
        start, end = self.outlook.exposure_times(candidate, now)
        beside: list[str] = []
        for condition in self.outlook.conditions(candidate.block):
            check = condition.check(view, start, end)
            if check.met or self._waived(condition, now):
                continue
            activity = condition.activity(view)
            if activity is None:
                if condition.may_return:
                    self._hold_wanted, self._hold_condition = check.words, condition.name
                else:
                    await self._give_up(candidate, check.words)
                return
            if condition.slow:
                self._start_beside(condition, activity, check.words)
                beside.append(activity.words)
                continue
            await self._bring_about(condition, activity, check.words, candidate, now)
            return
        if beside:
            await self._wait(now + _SLOW_LOOK, f"still {', '.join(beside)}", looking=True)
        elif now < candidate.opens:
            await self._wait(candidate.opens, f"all is ready; {candidate.block.target.name} opens then")
        else:
            await self._expose(candidate)

    # -- activities -------------------------------------------------------------------------------

    async def _bring_about(
        self, condition: Condition, activity: Activity, why: str, candidate: Candidate, now: datetime
    ) -> None:
        """Run an activity for a condition, if it makes sense now; when it fails, follow its policy."""
        dark = self.outlook.stars_from(now) if condition.needs_stars else None
        if dark is not None:
            await self._wait(dark, f"{activity.words} needs stars: the sun at {STARS_BELOW_SUN_DEG:.0f}°")
            return
        left_s = (candidate.closes - now).total_seconds()
        if condition.skippable and activity.expected_s + candidate.line.exposure_s > left_s:
            await self._waive(condition, candidate.closes, "no time is left for it and a frame after it")
            return
        if len(self._since_exposure) >= MOST_ACTIVITIES_WITHOUT_EXPOSURE:
            last = " and ".join(dict.fromkeys(self._since_exposure[-2:]))
            self._hold_wanted = (
                f"{len(self._since_exposure)} activities without an exposure: {last} undo each other"
            )
            self._since_exposure.clear()
            return
        self._since_exposure.append(condition.name)
        problem = await self._under_way(self._carrier.carry_out(activity, condition.name, why, quietly=False))
        if problem is None:
            self._failures.pop(condition.name, None)
        elif not self._interrupted():
            await self._after_failure(condition, activity, problem, candidate)

    async def _after_failure(
        self, condition: Condition, activity: Activity, problem: str, candidate: Candidate
    ) -> None:
        policy, now = activity.policy or POLICIES[activity.KIND], self._clock.utcnow()
        failures, pause_s = self._count_failure(condition.name, activity.KIND)
        again = now + timedelta(seconds=pause_s)
        if failures < policy.tries:
            said = f"{problem}; try {failures + 1} of {policy.tries} follows"
            await self._wait(again, said, lost_to=activity.KIND)
        elif policy.then is GiveUp.WAIVE:
            await self._waive(condition, again, problem)
        elif policy.then is GiveUp.SKIP_BLOCK:
            await self._give_up(candidate, problem)
        elif policy.then is GiveUp.HOLD:
            self._hold_wanted = problem
        elif policy.then is GiveUp.CLOSE:
            self._end_wanted = problem
        else:
            self._since_exposure.clear()
            said = f"{problem}; tried {failures} times, again then"
            await self._wait(again, said, lost_to=activity.KIND)

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
        problem = await self._carrier.carry_out(activity, condition.name, why, quietly=True)
        if problem is not None:
            _, pause_s = self._count_failure(condition.name, activity.KIND)
            await self._recorder.record(Kind.WAITING, {}, f"{problem}; again in {pause_s:.0f} s")
            await self._clock.sleep(pause_s)

    async def _expose(self, candidate: Candidate) -> None:
        ends, then = self.outlook.after(candidate, self._clock.utcnow())
        follows = {"ends": ends.isoformat(), "then": then}
        self._watch.exposing = Exposing(candidate, self._clock.utcnow(), ends)
        try:
            problem = await self._under_way(self._lights.take(candidate, follows, self._group.create_task))
        finally:
            self._watch.exposing = None
        if problem is None:
            self._failures.pop(_EXPOSURE, None)
            self._since_exposure.clear()
        elif not self._interrupted():
            _, pause_s = self._count_failure(_EXPOSURE, "expose")
            again = self._clock.utcnow() + timedelta(seconds=pause_s)
            await self._wait(again, f"{problem}; again then", lost_to=_EXPOSURE)

    async def _under_way(self, work: Coroutine[Any, Any, str | None]) -> str | None:
        """Run the one thing in the foreground; `hold` and `end` may cancel it. Returns what went wrong."""
        task = self._foreground = self._group.create_task(work)
        try:
            await asyncio.wait({task})
        finally:
            self._foreground = None
        return "cancelled" if task.cancelled() else task.result()

    def _cancel_foreground(self) -> None:
        if self._foreground is not None:
            self._foreground.cancel()

    def _interrupted(self) -> bool:
        return self._end_wanted is not None or self._hold_wanted is not None

    # -- waiting, waiving, giving up ----------------------------------------------------------------

    async def _wait(self, until: datetime, because: str, looking: bool = False, lost_to: str = "") -> None:
        """Until a moment, which is told; or only `looking` again then at something that takes its time.
        `lost_to` names what failed, where this is time lost."""
        waiting = self._recorder.state.waiting
        if waiting is None or waiting.reason != because:
            self.doing.now("waiting", because)
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

    async def _waive(self, condition: Condition, until: datetime, why: str) -> None:
        values = {"condition": condition.name, "until": until.isoformat()}
        await self._recorder.record(Kind.WAIVED, values, f"{condition.name} set aside: {why}")

    def _waived(self, condition: Condition, now: datetime) -> bool:
        waivers = self._recorder.state.waivers
        return not condition.hard and any(w.condition == condition.name and now < w.until for w in waivers)

    async def _give_up(self, candidate: Candidate, why: str) -> None:
        block = candidate.block
        reason = f"{block.target.name} given up: {why}"
        await self._recorder.record(Kind.BLOCK_GIVEN_UP, {"block": block.id}, reason)

    def _recovered(self, words: str) -> None:
        """A device needed a second try: a nuisance, told and gone."""
        self._group.create_task(self._recorder.record_if_possible(Kind.DEVICE_RECOVERED, {}, words))


def _begun(recorder: Recorder, clock: Clock) -> datetime:
    """When the night began: one taken up again the next day is still the night before, and closes."""
    started = recorder.state.started
    return started.at if started is not None else clock.utcnow()


def _innermost(problem: BaseException) -> str:
    while isinstance(problem, BaseExceptionGroup):
        problem = problem.exceptions[0]
    return f"{type(problem).__name__}: {problem}"
