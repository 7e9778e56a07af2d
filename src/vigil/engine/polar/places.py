"""The mount sent to where one axis shows best in drift."""

from collections.abc import Awaitable, Callable
from typing import Any

from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.planning.driftplaces import drift_places
from vigil.polar.adjusters import AdjusterName

_CALL_S = 15.0


async def go_to_drift_place(
    kit: Kit, axis: AdjusterName, tell: Callable[[dict[str, Any], str], Awaitable[None]]
) -> str:
    """Returns in words where that is. Raises ActivityFailed and what devices raise."""
    places = drift_places(kit.rig, axis, kit.clock.utcnow())
    if not places:
        raise ActivityFailed(f"nowhere that shows {axis} is the sky clear")
    mount = kit.devices.mount
    if mount is not None and mount.state is not None and mount.state.parked:
        await mount.do("unpark", _CALL_S, lambda m: m.unpark())
        await tell({}, "the mount was parked: it is unparked")
    await tell({}, f"going {places[0].words}")
    await slew_to(kit, places[0].ra_deg, places[0].dec_deg)
    return places[0].words
