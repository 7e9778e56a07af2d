"""The closing: it always runs; its parts wait for one another only where physics says so."""

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass

from vigil.devices.errors import DeviceError
from vigil.documents.events import Kind
from vigil.documents.steps import ClosingStep, RunProgram
from vigil.engine.activity import Kit
from vigil.engine.recorder import Recorder
from vigil.engine.shutting import PARK_LIMIT_S, SHUTTER_LIMIT_S, close_cover, close_roof, park
from vigil.engine.steps import activity_of
from vigil.engine.warming import warm_up

_ABORT_LIMIT_S = 20.0
_ABORT_SHORT_S = 6.0
_DISCONNECT_LIMIT_S = 30.0
_LONGEST_WAIT_S = 12 * 3600.0
_TRIES = 4
_PAUSE_S = 5.0


@dataclass(frozen=True, slots=True)
class Part:
    """One thing to do at the end, within a time."""

    name: str
    limit_s: float
    do: Callable[[Kit], Awaitable[str]]


async def close(kit: Kit, recorder: Recorder) -> None:
    """Leave the gear parked and warm, as the plan's orders say. Never raises; each part says how it went."""
    orders = kit.plan.orders
    together = [Part("stop the camera", _ABORT_LIMIT_S, _stop_camera)]
    if orders.park_at_end:
        together.append(Part("park", PARK_LIMIT_S, park))
    else:
        await _tell(recorder, "park", "left out", "left out, as the plan says: the mount goes on tracking")
    cooler = kit.rig.camera.cooler if kit.rig.camera else None
    if cooler is not None and orders.warm_at_end:
        together.append(Part("warm up", 60 * cooler.warm_minutes_limit, warm_up))
    elif cooler is not None:
        await _tell(recorder, "warm up", "left out", "left out, as the plan says: the camera stays cold")
    if kit.devices.roof is not None and kit.rig.roof is not None and kit.rig.roof.clears_telescope:
        together.append(Part("close the roof", SHUTTER_LIMIT_S, close_roof))
    if kit.devices.cover is not None:
        together.append(Part("close the cover", SHUTTER_LIMIT_S, close_cover))
    async with asyncio.TaskGroup() as group:
        for part in together:
            group.create_task(_carry_out(part, kit, recorder))
    if kit.devices.roof is not None and kit.rig.roof is not None and not kit.rig.roof.clears_telescope:
        # a telescope that is not parked is in its way; the roof's own interlock has the last word
        await _carry_out(Part("close the roof", SHUTTER_LIMIT_S, close_roof), kit, recorder)
    if kit.devices.heaters is not None:
        await _carry_out(Part("heaters off", _ABORT_LIMIT_S, _heaters_off), kit, recorder)
    for step in kit.plan.closing:
        if not step.off:
            await _carry_out(Part(step.words, _limit_s(step), _of_step(step)), kit, recorder)
    # power and connections last: warming needs them
    await _carry_out(Part("disconnect", _DISCONNECT_LIMIT_S, _disconnect), kit, recorder)


def _limit_s(step: ClosingStep) -> float:
    return step.time_out_s + _ABORT_LIMIT_S if isinstance(step, RunProgram) else _LONGEST_WAIT_S


def _of_step(step: ClosingStep) -> Callable[[Kit], Awaitable[str]]:
    async def do(kit: Kit) -> str:
        told = await activity_of(step).run(kit)
        return str(told.get("summary", "done"))

    return do


async def _carry_out(part: Part, kit: Kit, recorder: Recorder) -> None:
    try:
        async with asyncio.timeout(part.limit_s):
            said = await _with_patience(part, kit)
        outcome = "done"
    except TimeoutError:
        outcome, said = "failed", f"not done within {part.limit_s / 60:.0f} min"
    except Exception as problem:  # whatever goes wrong in one part, the others must go on
        outcome, said = "failed", str(problem) or type(problem).__name__
    await _tell(recorder, part.name, outcome, said)


async def _with_patience(part: Part, kit: Kit) -> str:
    """A device that fails once in a while must not be left open or cold for that."""
    for _ in range(_TRIES - 1):
        try:
            return await part.do(kit)
        except DeviceError:
            await kit.clock.sleep(_PAUSE_S)
    return await part.do(kit)


async def _tell(recorder: Recorder, part: str, outcome: str, said: str) -> None:
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
        await heaters.do(f"{name} off", 5.0, lambda h, name=name: h.set_level(name, 0.0))
    return "off"


async def _disconnect(kit: Kit) -> str:
    problems = []
    for device in kit.devices.all():
        if device.connected:
            try:
                await device.disconnect()
            except DeviceError as problem:
                problems.append(str(problem))
    if problems:
        raise DeviceError("; ".join(problems))
    return "all devices"
