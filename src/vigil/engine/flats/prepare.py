"""Before flats and darks: what is needed connected, the telescope put away, the camera cold."""

import logging

from vigil.devices.errors import DeviceError
from vigil.documents.figures import signed
from vigil.documents.rig import Rig
from vigil.engine.activities.cool import Cool
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.shutting import close_cover, park

log = logging.getLogger(__name__)
_WITHIN_C = 0.5


SENSORS = frozenset({"safety sensor", "weather station"})
"""Read before anything opens, and claimed by nobody."""


def needed(rig: Rig, panel: bool, moves: bool, opens: bool = False) -> frozenset[str]:
    """The devices of the rig that such a job claims, and no others."""
    names = {"camera", "cooler", "filter wheel", "focuser", "rotator"}
    names |= (
        {"flat panel"} if panel and rig.panel is not None and rig.panel.dimmed_by == "computer" else set()
    )
    names |= {"cover", "mount"} if moves else set()
    names |= {"roof"} if moves and opens else set()
    return frozenset(names) & (frozenset(rig.device_names) | {"cooler"})


async def connected(kit: Kit, names: frozenset[str]) -> None:
    """Raises DeviceError."""
    for device in kit.devices.all():
        if device.name in names and not device.connected:
            await device.connect()


async def put_away(kit: Kit, cover: bool = True) -> None:
    """The mount parked, the cover closed where that is wanted. Raises DeviceError, ActivityFailed."""
    if kit.devices.mount is not None:
        await park(kit)
    if cover and kit.devices.cover is not None:
        await close_cover(kit)


async def cold(kit: Kit, set_point_c: float | None = None) -> float | None:
    """The sensor at a set-point (None: the lights'), or as near as the cooler gets; returns the set-point,
    None without a cooler. Says so where it stays warmer."""
    cooler = kit.rig.camera.cooler if kit.rig.camera else None
    if cooler is None:
        return None
    goal = cooler.set_point_c if set_point_c is None else set_point_c
    try:
        await Cool(goal, _WITHIN_C, cooler.minutes_to_cool).run(kit)
    except (ActivityFailed, DeviceError) as problem:
        state = kit.devices.camera.state if kit.devices.camera else None
        there = "" if state is None else f" at {signed(state.temperature_c, 1)} °C"
        await kit.step({"warm": True}, f"goes on{there}: {problem}")
    return goal
