"""Shut and put away: what the closing and a shelter do alike. Each says in words how it went."""

from vigil.devices.protocols import Shutter, ShutterState
from vigil.devices.supervised import Supervised
from vigil.engine.activity import ActivityFailed, Kit

_ONE_PARK_LIMIT_S = 120.0
SHUTTER_LIMIT_S = 240.0
PARK_LIMIT_S = 400.0


async def park(kit: Kit) -> str:
    """Raises DeviceError, ActivityFailed."""
    mount = kit.devices.mount
    if mount is None:
        return "there is no mount"
    if not mount.connected:
        await mount.connect()
    await mount.do("park", _ONE_PARK_LIMIT_S, lambda m: m.park(), before_again=lambda m: m.stop())
    if mount.state is not None and not mount.state.parked:
        raise ActivityFailed("mount: it says that it is not parked")
    return "parked"


async def close_roof(kit: Kit) -> str:
    """Raises DeviceError, ActivityFailed; a roof that the telescope is in the way of refuses by itself."""
    return await _shut(kit.devices.roof, kit.rig.roof.moves_in_s if kit.rig.roof else 30.0)


async def close_cover(kit: Kit) -> str:
    """Raises DeviceError, ActivityFailed."""
    return await _shut(kit.devices.cover, kit.rig.cover.moves_in_s if kit.rig.cover else 30.0)


async def _shut(shutter: Supervised[Shutter, ShutterState] | None, moves_in_s: float) -> str:
    if shutter is None:
        return "there is none"
    if not shutter.connected:
        await shutter.connect()
    await shutter.do("close", 2 * moves_in_s + 10.0, lambda s: s.close())
    if shutter.state is not None and shutter.state.shutter != "closed":
        raise ActivityFailed(f"{shutter.name}: {shutter.state.shutter}, not closed")
    return "closed"
