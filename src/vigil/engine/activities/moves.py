"""Movements that several activities make: each stops its device when cancelled."""

import asyncio

from vigil.devices.protocols import Exposure, RawFrame
from vigil.devices.sun import SUN_CLEARANCE_DEG, sun_in_path
from vigil.engine.activity import ActivityFailed, Kit
from vigil.sky.angles import separation_deg

_SLEW_MARGIN_S = 60.0
_FOCUSER_TIMEOUT_S = 300.0
_WHEEL_TIMEOUT_S = 60.0
_DOWNLOAD_MARGIN_S = 60.0


async def slew_to(kit: Kit, ra_deg: float, dec_deg: float) -> None:
    """Send the mount to an ICRS direction, never by way of the sun."""
    mount = kit.devices.mount
    if mount.state is None:
        raise ActivityFailed("the mount's position is unknown")
    here = mount.state.ra_deg, mount.state.dec_deg
    near = sun_in_path(here, (ra_deg, dec_deg), kit.clock.utcnow(), kit.rig.site.place())
    if near is not None:
        raise ActivityFailed(
            f"the slew would pass {near:.0f}° from the sun, {SUN_CLEARANCE_DEG:.0f}° is the least allowed"
        )
    away = float(separation_deg(*here, ra_deg, dec_deg))
    limit_s = 2 * away / kit.rig.mount.slew_deg_s + kit.rig.mount.settle_s + _SLEW_MARGIN_S
    try:
        await mount.do("slew", limit_s, lambda m: m.slew(ra_deg, dec_deg))
    except asyncio.CancelledError:
        await asyncio.shield(mount.do("stop", 10.0, lambda m: m.stop()))
        raise


async def focuser_to(kit: Kit, position: int) -> None:
    """Arrive at a focuser position from the rig's side of approach, going past it first where needed."""
    focuser, limits = kit.devices.focuser, kit.rig.focuser
    if focuser.state is None:
        raise ActivityFailed("the focuser's position is unknown")
    upward = limits.approach == "upward"
    stops = [position]
    wrong_way = position < focuser.state.position if upward else position > focuser.state.position
    if wrong_way and limits.overshoot_steps:
        beyond = position - limits.overshoot_steps if upward else position + limits.overshoot_steps
        stops.insert(0, max(limits.lowest, min(limits.highest, beyond)))
    try:
        for stop in stops:
            await focuser.do(f"move to {stop}", _FOCUSER_TIMEOUT_S, lambda f, to=stop: f.move_to(to))
    except asyncio.CancelledError:
        await asyncio.shield(focuser.do("stop", 10.0, lambda f: f.stop()))
        raise


async def filter_to(kit: Kit, name: str) -> None:
    """Turn the wheel to a filter."""
    slot = kit.rig.wheel.filter(name).slot
    wheel = kit.devices.wheel
    if wheel.state is None or wheel.state.slot != slot:
        await wheel.do(f"turn to {name}", _WHEEL_TIMEOUT_S, lambda w: w.move_to(slot))


async def take(kit: Kit, exposure: Exposure) -> RawFrame:
    """Take a frame; the camera is idle again when cancelled."""
    camera = kit.devices.camera
    limit_s = exposure.exposure_s + kit.rig.camera.download_s + _DOWNLOAD_MARGIN_S
    try:
        return await camera.do(f"expose {exposure.exposure_s:g} s", limit_s, lambda c: c.expose(exposure))
    except asyncio.CancelledError:
        await asyncio.shield(camera.do("abort", 10.0, lambda c: c.abort()))
        raise
