"""The closing: it always runs; its parts wait for one another only where physics says so."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from functools import partial

from vigil.devices.errors import DeviceError
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.events import Kind
from vigil.documents.plan import NightPlan
from vigil.documents.steps import ClosingStep, RunProgram
from vigil.engine.activities.heat import heated
from vigil.engine.activities.shelter import unsheltered
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Arbiter, Lease, Urgency
from vigil.engine.flats.atend import darks_at_end
from vigil.engine.recorder import NightRecorder
from vigil.engine.shutting import PARK_LIMIT_S, SHUTTER_LIMIT_S, close_cover, close_roof, park
from vigil.engine.steps import activity_of
from vigil.engine.warming import warm_up
from vigil.runtime.programs import ProgramFailed

log = logging.getLogger(__name__)
_ABORT_LIMIT_S = 20.0
_ABORT_SHORT_S = 6.0
_DISCONNECT_LIMIT_S = 30.0
_LONGEST_WAIT_S = 12 * 3600.0
_DARKS_MARGIN_S = 600.0
_TRIES = 4
_PAUSE_S = 5.0


@dataclass(frozen=True, slots=True)
class ClosingTask:
    """One thing to do at the end, within a time that counts from when its devices are free."""

    name: str
    limit_s: float
    do: Callable[[Kit], Awaitable[str]]
    claims: frozenset[str] = frozenset()


async def close(kit: Kit, plan: NightPlan, recorder: NightRecorder, arbiter: Arbiter) -> None:
    """Leave the gear parked and warm, as the plan's orders say. Never raises; each part says how it went.

    Whoever holds a device has to give way, work by hand too; only a person's emergency stop is waited for.
    What could not be shut stays connected, so that the guards go on trying."""
    closing = _Closing(kit, plan, recorder, arbiter)
    async with asyncio.TaskGroup() as group:
        group.create_task(closing.one("stop the camera", _ABORT_LIMIT_S, _stop_camera))
        group.create_task(closing.park_and_shut())
        if not plan.orders.darks_at_end_min:
            group.create_task(closing.warm())
    if plan.orders.darks_at_end_min:
        await closing.darks()
        await closing.warm()
    if kit.devices.heaters is not None:
        await closing.one("heaters off", _ABORT_LIMIT_S, _heaters_off, "heaters")
    for step in plan.closing:
        if not step.off:
            await closing.one(step.words, _limit_s(step), _of_step(step))
    # power and connections last: warming needs them
    await closing.one(
        "disconnect", _DISCONNECT_LIMIT_S, lambda kit: _disconnect(kit, plan.orders.park_at_end)
    )


class _Closing:
    """The parts of one closing."""

    def __init__(self, kit: Kit, plan: NightPlan, recorder: NightRecorder, arbiter: Arbiter) -> None:
        self._kit, self._orders, self._recorder, self._arbiter = kit, plan.orders, recorder, arbiter

    async def park_and_shut(self) -> None:
        """Cover and mount at once; the roof when the mount is parked, unless it clears the telescope."""
        devices, roof = self._kit.devices, self._kit.rig.roof
        async with asyncio.TaskGroup() as group:
            if devices.cover is not None:
                group.create_task(self.one("close the cover", SHUTTER_LIMIT_S, close_cover, "cover"))
            if devices.roof is not None and roof is not None and roof.clears_telescope:
                group.create_task(self.one("close the roof", SHUTTER_LIMIT_S, close_roof, "roof"))
            if self._orders.park_at_end:
                group.create_task(self.one("park", PARK_LIMIT_S, park, "mount"))
            else:
                said = "left out, as the plan says: the mount goes on tracking"
                await _tell(self._recorder, "park", "left out", said)
        if devices.roof is not None and roof is not None and not roof.clears_telescope:
            # a telescope that is not parked is in its way; the roof's own interlock has the last word
            await self.one("close the roof", SHUTTER_LIMIT_S, close_roof, "roof", "mount")

    async def darks(self) -> None:
        """Shut, and still cold."""
        library, minutes = self._kit.tools.library, self._orders.darks_at_end_min
        if library is None:
            await _tell(self._recorder, "darks", "left out", "left out: a rehearsal takes none")
            return
        limit_s = 60 * minutes + _DARKS_MARGIN_S
        take = partial(darks_at_end, library=library, minutes=minutes)
        await self.one("darks", limit_s, take, "camera", "cooler")

    async def warm(self) -> None:
        camera = self._kit.rig.camera
        cooler = camera.cooler if camera is not None else None
        if cooler is None:
            return
        if self._orders.warm_at_end:
            await self.one("warm up", 60 * cooler.warm_minutes_limit, warm_up, "cooler")
        else:
            said = "left out, as the plan says: the camera stays cold"
            await _tell(self._recorder, "warm up", "left out", said)

    async def one(self, name: str, limit_s: float, do: Callable[[Kit], Awaitable[str]], *claims: str) -> None:
        """Carry a part out, again if it had to give way."""
        part = ClosingTask(name, limit_s, do, frozenset(claims))
        while True:
            lease: Lease | None = None
            try:
                async with self._arbiter.claim(part.claims, name, Urgency.SHELTER) as lease:
                    await _carry_out(part, self._kit, self._recorder)
                return
            except asyncio.CancelledError:
                task = asyncio.current_task()
                if lease is None or not lease.gave_way or task is None or task.uncancel() > 0:
                    raise


def _limit_s(step: ClosingStep) -> float:
    return step.time_out_s + _ABORT_LIMIT_S if isinstance(step, RunProgram) else _LONGEST_WAIT_S


def _of_step(step: ClosingStep) -> Callable[[Kit], Awaitable[str]]:
    async def do(kit: Kit) -> str:
        told = await activity_of(step).run(kit)
        if failed := told.get("failed"):  # nothing waits for it, but it was not done
            raise ProgramFailed(str(failed))
        return str(told.get("summary", "done"))

    return do


async def _carry_out(part: ClosingTask, kit: Kit, recorder: NightRecorder) -> None:
    try:
        async with asyncio.timeout(part.limit_s):
            said = await _with_patience(part, kit)
        outcome = "done"
    except TimeoutError:
        outcome, said = "failed", f"not done within {part.limit_s / 60:.0f} min"
    except Exception as problem:  # whatever goes wrong in one part, the others must go on
        outcome, said = "failed", str(problem) or type(problem).__name__
    await _tell(recorder, part.name, outcome, said)


async def _with_patience(part: ClosingTask, kit: Kit) -> str:
    """A device that fails once in a while must not be left open or cold for that."""
    for _ in range(_TRIES - 1):
        try:
            return await part.do(kit)
        except (DeviceError, ActivityFailed) as problem:
            log.warning("%s: %s; again", part.name, problem)
            await kit.clock.sleep(_PAUSE_S)
    return await part.do(kit)


async def _tell(recorder: NightRecorder, part: str, outcome: str, said: str) -> None:
    values = {"part": part, "outcome": outcome}
    await recorder.record_if_possible(Kind.CLOSING_PART, values, f"{part}: {said}")


async def _stop_camera(kit: Kit) -> str:
    camera = kit.devices.camera
    if camera is None or not camera.connected:
        return "not connected"
    await camera.do("abort", _ABORT_SHORT_S, lambda c: c.abort())
    return "idle"


async def _heaters_off(kit: Kit) -> str:
    heaters = kit.devices.heaters
    if heaters is None or not heaters.connected or heaters.state is None:
        return "not connected"
    for name in heaters.state.levels_percent:
        await heaters.do(f"{name} off", 5.0, heated(name, 0.0))
    return "off"


async def _disconnect(kit: Kit, all_is_shut: bool) -> str:
    states = {device.name: device.state for device in kit.devices.all() if device.state is not None}
    opened = unsheltered(kit.rig, states) if all_is_shut else []
    problems = []
    for device in kit.devices.all():
        if device.connected and not (opened and DEVICE_KINDS[device.name].guarded):
            try:
                await device.disconnect()
            except DeviceError as problem:
                problems.append(str(problem))
    if opened:
        problems.append(f"{', '.join(opened)}: what is needed to shut it stays connected")
    if problems:
        raise ActivityFailed("; ".join(problems))
    return "all devices"
