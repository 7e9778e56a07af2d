"""The mount's limits while it tracks: the end of a flip window on either side of the pier, altitudes, and the
horizon."""

import math
from dataclasses import dataclass
from datetime import datetime

from vigil.documents.rig import Rig
from vigil.planning.flip import SIDEREAL_RATE, rule_of
from vigil.planning.sides import beyond_min, window_on
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

_STOPS_BEFORE_MIN = 0.1
"""A tube is stopped so much before the end of its window, in minutes of hour angle."""
_SKY_DEG_MIN = 0.25
"""An altitude changes by no more than this in a minute."""
_LOW_LOOK_MIN = 0.15
"""Among the trees the line may rise at any moment."""


@dataclass(frozen=True, slots=True)
class LimitLook:
    """`words` say which limit a tracking tube has come to, None: none; `spare_min` is for how many minutes it
    can't come to one."""

    words: str | None
    spare_min: float


def look(rig: Rig, ra_deg: float, dec_deg: float, side: str, at: datetime) -> LimitLook:
    """Of a tube that tracks an ICRS direction on a side of the pier ("" where nobody knows)."""
    mount = rig.mount
    if mount is None:
        return LimitLook(None, math.inf)
    instant, site = from_datetimes(at), rig.site.place()
    seen = observe(ra_deg, dec_deg, instant, site)
    spare = [60.0]
    window = window_on(rig, side)
    if window is not None:
        limit = rule_of(window).limit_min
        here = beyond_min(side, 4 * float(seen.hour_angle_deg))
        left = limit - _STOPS_BEFORE_MIN - here
        if left <= 0 and here < 360:
            return LimitLook(_past_window(side, here, limit), 0.0)
        spare.append(left / SIDEREAL_RATE if left > 0 else 60.0)
    altitude, azimuth = float(seen.altitude_deg), float(seen.azimuth_deg)
    sinks = float(seen.hour_angle_deg) > 0  # it has passed the meridian; under the pole it rises again later
    if mount.highest_altitude_deg < 90:
        if altitude >= mount.highest_altitude_deg and not sinks:
            return LimitLook(
                f"tracking stopped at the mount's limit: {altitude:.1f}° high, "
                f"limit {mount.highest_altitude_deg:g}°",
                0.0,
            )
        spare.append(abs(mount.highest_altitude_deg - altitude) / _SKY_DEG_MIN)
    if altitude <= mount.lowest_altitude_deg and sinks:
        return LimitLook(
            f"tracking stopped at the mount's limit: {altitude:.1f}° high, limit "
            f"{mount.lowest_altitude_deg:g}°",
            0.0,
        )
    line = float(rig.site.sky_line_alone().altitude_deg(azimuth))
    if rig.site.horizon and altitude <= line and sinks:
        return LimitLook(
            f"tracking stopped at the horizon: {altitude:.1f}° high where the sky begins at {line:.1f}°", 0.0
        )
    floor = max(mount.lowest_altitude_deg, rig.site.sky_line_alone().highest_deg)
    spare.append((altitude - floor) / _SKY_DEG_MIN if altitude > floor else _LOW_LOOK_MIN)
    return LimitLook(None, max(0.0, min(spare)))


def _past_window(side: str, here_min: float, limit_min: float) -> str:
    meridian = "the meridian" if side == "west" else "the lower meridian"
    return (
        f"tracking stopped at the mount's limit: {here_min:.1f} min after {meridian}, still {side} of the "
        f"pier, limit {limit_min:g} min"
    )
