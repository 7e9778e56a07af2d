"""Sides of the pier: where a slew would leave the tube, and what counts as past the meridian on each.

A tube west of the pier looks east, and comes to its limit at the upper meridian; one east of it looks west,
and comes to its limit at the lower meridian, twelve hours later.
"""

from datetime import datetime

from vigil.documents.rig import Rig
from vigil.documents.rig.mount import FlipWindow
from vigil.planning.flip import hour_angle_min

WEST, EAST = "west", "east"
_DAY_MIN = 1440.0
_UNSURE_BEFORE_MIN, _UNSURE_AFTER_MIN = 2.0, 0.5
"""So near the meridian a mount may decide by its own clock and axes, which differ from ours."""


def flips(rig: Rig) -> bool:
    """Whether its mount has sides at all."""
    return rig.mount is not None and rig.mount.kind == "german"


def window_on(rig: Rig, side: str) -> FlipWindow | None:
    """The window in which a tube on that side has to leave it; None where nothing says so."""
    mount = rig.mount
    if mount is None or mount.kind != "german" or side not in (WEST, EAST):
        return None
    return mount.flip if side == WEST else mount.flip_other_side or mount.flip


def beyond_min(side: str, hour_angle_min: float) -> float:
    """Minutes after the meridian at which a tube on that side comes to its limit, −720…720."""
    shifted = hour_angle_min if side != EAST else hour_angle_min - _DAY_MIN / 2
    return (shifted + _DAY_MIN / 2) % _DAY_MIN - _DAY_MIN / 2


def other(side: str) -> str:
    """The other side of the pier."""
    return {WEST: EAST, EAST: WEST}.get(side, "")


def side_after_slew(rig: Rig, ra_deg: float, dec_deg: float, at: datetime) -> str:
    """Where a slew leaves the tube, its counterweight being kept down."""
    return WEST if hour_angle_min(ra_deg, dec_deg, rig, at) < 0 else EAST


def may_change_side(rig: Rig, side: str, ra_deg: float, dec_deg: float, at: datetime) -> bool:
    """Whether a slew to an ICRS direction might take the tube to the other side: past its meridian it does,
    and near it only the mount knows."""
    if not flips(rig) or side not in (WEST, EAST):
        return False
    past = beyond_min(side, hour_angle_min(ra_deg, dec_deg, rig, at))
    return not _UNSURE_AFTER_MIN - _DAY_MIN / 2 <= past <= -_UNSURE_BEFORE_MIN
