"""Movements that several activities make: each stops its device when cancelled."""

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any, Literal

from vigil.devices.errors import DeviceFault
from vigil.devices.protocols import (
    Camera,
    CameraState,
    Exposure,
    FilterWheel,
    Focuser,
    PierSide,
    RawFrame,
)
from vigil.devices.supervised import CALL_TRIES, Supervised
from vigil.documents.rig import Rig
from vigil.documents.rig.filters import WheelPart
from vigil.engine.activity import ActivityFailed, Kit
from vigil.planning.sides import may_change_side, side_after_slew
from vigil.sky.angles import separation_deg
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

_SLEW_MARGIN_S, _QUICK_S = 60.0, 10.0
_FOCUSER_MARGIN_S = 15.0
_ROTATOR_MARGIN_S, _ROTATOR_DEG_S = 30.0, 0.5
_SLOWEST_STEPS_S = 20.0
_WHEEL_TIMEOUT_S = 60.0
_DOWNLOAD_MARGIN_S = 60.0


class WouldFlip(ActivityFailed):
    """A small move would take the tube to the other side of the pier: that is the flip's to do."""


async def slew_to(kit: Kit, ra_deg: float, dec_deg: float, keeps_side: bool = False) -> str:
    """Send the mount to an ICRS direction. Returns the side of the pier that the tube is on then: by its
    word, else by where it must be with the counterweight down. Raises WouldFlip where it `keeps_side`, and
    that can't be sure."""
    mount = kit.devices.mount
    if mount is None or mount.state is None or kit.rig.mount is None:
        raise ActivityFailed("the mount's position is unknown")
    here = mount.state.ra_deg, mount.state.dec_deg
    side = mount.state.pier_side.value
    if keeps_side and may_change_side(kit.rig, side, ra_deg, dec_deg, kit.clock.utcnow()):
        raise WouldFlip(f"the mount, {side} of the pier, would change sides")
    # a change of sides turns the axes by half a turn, however near the place is
    away = max(
        float(separation_deg(*here, ra_deg, dec_deg)), 180.0 if kit.rig.mount.kind == "german" else 0.0
    )
    limit_s = 2 * away / kit.rig.mount.slew_deg_s + kit.rig.mount.settle_s + _SLEW_MARGIN_S
    try:
        await mount.do("slew", limit_s, lambda m: m.slew(ra_deg, dec_deg), before_again=lambda m: m.stop())
    except asyncio.CancelledError:
        await asyncio.shield(mount.do("stop", 10.0, lambda m: m.stop()))
        raise
    told = mount.state.pier_side if mount.state else PierSide.UNKNOWN
    if told is not PierSide.UNKNOWN or kit.rig.mount.kind != "german":
        return told.value
    return side_after_slew(kit.rig, ra_deg, dec_deg, kit.clock.utcnow())


async def to_stored(kit: Kit, name: str) -> None:
    """The mount at a stored position, standing still. Raises KeyError for one that the rig hasn't."""
    if kit.rig.mount is None:
        raise ActivityFailed("there is no mount")
    stored, site = kit.rig.mount.position(name), kit.rig.site.place()
    at = from_datetimes(kit.clock.utcnow())
    ra_deg, dec_deg = unobserve(stored.hour_angle_deg, stored.dec_deg, at, site)
    await slew_to(kit, float(ra_deg) % 360, float(dec_deg))
    await kit.devices.named("mount").do("stop tracking", _QUICK_S, lambda m: m.track(False))


async def rotator_to(kit: Kit, angle_deg: float) -> None:
    """The camera's rotator at a mechanical angle, or half a turn from it where that is nearer or in its
    range. It stands still again when cancelled."""
    rotator, part = kit.devices.rotator, kit.rig.rotator
    if rotator is None or rotator.state is None or part is None:
        raise ActivityFailed("the rotator's angle is unknown")
    here = rotator.state.angle_deg
    reached = [a for n in range(-4, 5) if part.lowest_deg <= (a := angle_deg + 180 * n) <= part.highest_deg]
    if not reached:
        raise ActivityFailed(f"the rotator's range does not reach {angle_deg % 180:.1f}°")
    goal = min(reached, key=lambda a: abs(a - here))
    await take_back(
        rotator,
        f"turn to {goal:.1f}°",
        _ROTATOR_MARGIN_S + abs(goal - here) / _ROTATOR_DEG_S,
        lambda r: r.move_to(goal),
    )
    if part.settle_s:
        await kit.clock.sleep(part.settle_s)


async def take_back(
    device: Supervised[Any, Any], what: str, limit_s: float, move: Callable[[Any], Any]
) -> None:
    """A move of a device with a `stop`; it stands still again when cancelled."""
    try:
        await device.do(what, limit_s, move, before_again=lambda d: d.stop())
    except asyncio.CancelledError:
        await asyncio.shield(device.do("stop", 10.0, lambda d: d.stop()))
        raise


async def focuser_to(kit: Kit, position: int, directly: bool = False) -> None:
    """Arrive at a focuser position from the rig's side of approach, going past it first where needed;
    `directly` leaves that out."""
    focuser, limits = kit.devices.focuser, kit.rig.focuser
    if focuser is None or limits is None or focuser.state is None:
        raise ActivityFailed("the focuser's position is unknown")
    upward = limits.approach == "upward"
    stops = [position]
    wrong_way = position < focuser.state.position if upward else position > focuser.state.position
    if wrong_way and not directly and limits.overshoot_steps and limits.backlash_by == "Vigil":
        beyond = position - limits.overshoot_steps if upward else position + limits.overshoot_steps
        stops.insert(0, max(limits.lowest, min(limits.highest, beyond)))
    try:
        here = focuser.state.position
        for stop in stops:
            limit_s = _FOCUSER_MARGIN_S + abs(stop - here) / _SLOWEST_STEPS_S
            await focuser.do(f"move to {stop}", limit_s, _to(stop), before_again=lambda f: f.stop())
            here = stop
        if limits.settle_s:
            await kit.clock.sleep(limits.settle_s)
    except asyncio.CancelledError:
        await asyncio.shield(focuser.do("stop", 10.0, lambda f: f.stop()))
        raise


def _to(stop: int) -> Callable[[Focuser], Awaitable[None]]:
    return lambda focuser: focuser.move_to(stop)


async def filter_to(kit: Kit, name: str) -> None:
    """Turn the wheel to a filter, arriving from the slot below: it rests on one edge of its slot or on the
    other by where it came from, and dust on the filter moves by that."""
    wheel, holder = kit.devices.wheel, kit.rig.wheel
    if wheel is None or holder is None:
        return  # put in by hand
    slot = holder.filter(name).slot
    if slot is None:
        raise ActivityFailed(f"{name} stands in no slot of {holder.name}")
    here = wheel.state.slot if wheel.state is not None else None
    for stop in _slots_on_the_way(holder, here, slot):
        await wheel.do(f"turn to {name}", _WHEEL_TIMEOUT_S, _into(stop))


def _slots_on_the_way(holder: WheelPart, here: int | None, slot: int) -> list[int]:
    """The slots to turn to one after another, the wanted one last; none where it is there."""
    if here == slot:
        return []
    turns_both_ways = holder.kind == "wheel" and not holder.one_way
    if here is None or not turns_both_ways or (slot - here) % holder.slots <= holder.slots / 2:
        return [slot]
    return [slot - 1 if slot > 1 else holder.slots, slot]


def _into(slot: int) -> Callable[[FilterWheel], Awaitable[None]]:
    return lambda wheel: wheel.move_to(slot)


def frame_exposure(kit: Kit, exposure_s: float, use: Literal["framing", "focusing", "solving"]) -> Exposure:
    """An exposure with the rig's settings for such frames."""
    if kit.rig.camera is None:
        raise ActivityFailed("the rig has no camera")
    chosen = kit.rig.camera.settings_for(use)
    return Exposure(exposure_s, chosen.gain or 0, chosen.offset or 0, chosen.binning)


def is_mosaic(kit: Kit, frame: RawFrame) -> bool:
    """Whether the main camera's frame has its colour filters' pattern in it."""
    return kit.rig.camera is not None and kit.rig.camera.bayer is not None and frame.exposure.binning == 1


def _expected_shape(rig: Rig, exposure: Exposure, name: str) -> tuple[int, int] | None:
    """(rows, columns) of a frame; None where the rig doesn't say."""
    if exposure.region is not None:
        return exposure.region[3], exposure.region[2]
    if name == "camera":
        return rig.field_px(exposure.binning) if rig.camera else None
    guider = rig.guider
    return (guider.rows // exposure.binning, guider.columns // exposure.binning) if guider else None


async def _whole_frame(
    camera: Camera, exposure: Exposure, expected: tuple[int, int] | None, name: str
) -> RawFrame:
    """A frame that has all its rows. Raises DeviceFault when it was torn on its way."""
    frame = await camera.expose(exposure)
    shape = frame.image.shape
    if expected is not None and shape != expected:
        raise DeviceFault(
            f"{name}: the frame arrived torn, {shape[0]} rows of {shape[1]} pixels where {expected[0]} of "
            f"{expected[1]} were expected; it is not kept"
        )
    return frame


async def take(kit: Kit, exposure: Exposure, tries: int = CALL_TRIES, name: str = "camera") -> RawFrame:
    """Take a frame with one of the cameras; it is idle again when cancelled."""
    camera: Supervised[Camera, CameraState] = kit.devices.named(name)
    limit_s = exposure.exposure_s + kit.rig.readout_s(exposure.binning) + _DOWNLOAD_MARGIN_S
    expected = _expected_shape(kit.rig, exposure, name)
    try:
        return await camera.do(
            f"expose {exposure.exposure_s:g} s",
            limit_s,
            lambda c: _whole_frame(c, exposure, expected, name),
            before_again=lambda c: c.abort(),
            tries=tries,
        )
    except asyncio.CancelledError:
        await asyncio.shield(camera.do("abort", 10.0, lambda c: c.abort()))
        raise
