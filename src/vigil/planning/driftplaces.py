"""Where a star's drift shows an axis best: azimuth near the meridian and the equator, altitude low in the
east or west."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from vigil.documents.rig import Rig
from vigil.planning.polarturns import pole_sign
from vigil.polar.adjusters import AdjusterName
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

_AHEAD_DEG = 1.2
"""Of the moment when an axis alone shows: half of what the sky turns by in a usual measurement."""
_LOWEST_DEG, _OVER_HORIZON_DEG = 18.0, 4.0
"""Lower, refraction and its changes are no longer known well."""
_HOURS_DEG = (90.0, 80.0, 70.0, 60.0, 50.0, 40.0)
_DECS_DEG = tuple(float(dec) for dec in range(0, 71, 5))


@dataclass(frozen=True, slots=True)
class DriftPlace:
    """An ICRS direction, how it stands, and in words where that is."""

    ra_deg: float
    dec_deg: float
    hour_angle_deg: float
    altitude_deg: float
    words: str


def drift_places(rig: Rig, axis: AdjusterName, at: datetime) -> list[DriftPlace]:
    """The clear ones, the better first; none where trees stand all round. On the meridian altitude doesn't
    show at all, six hours from it azimuth doesn't, whatever the declination."""
    if axis == "azimuth":
        found = [_place(rig, hour, 0.0, at) for hour in (-_AHEAD_DEG, 10.0, -10.0)]
        return [place for place in found if _clear(rig, place, at)]
    sides = []
    for sign in (-1.0, 1.0):
        lowest = next(_clear_low(rig, sign, at), None)
        if lowest is not None:
            sides.append(lowest)
    return sorted(sides, key=lambda place: (-round(abs(place.hour_angle_deg), -1), place.altitude_deg))


def _clear_low(rig: Rig, sign: float, at: datetime) -> Iterator[DriftPlace]:
    """On one side of the meridian, the farthest from it first, then the lowest."""
    for hour in _HOURS_DEG:
        for dec in _DECS_DEG:
            place = _place(rig, sign * hour - _AHEAD_DEG, dec * pole_sign(rig), at)
            if _clear(rig, place, at):
                yield place


def _place(rig: Rig, hour_deg: float, dec_deg: float, at: datetime) -> DriftPlace:
    site, instant = rig.site.place(), from_datetimes(at)
    ra, dec = unobserve(hour_deg, dec_deg, instant, site)
    seen = observe(float(ra), float(dec), instant, site)
    side = "west" if hour_deg > 0 else "east"
    altitude = float(seen.altitude_deg)
    if abs(hour_deg) <= _AHEAD_DEG:
        where = "at the meridian, near the equator"
    elif abs(hour_deg) < 30:
        where = f"beside the meridian, {side} of it, near the equator"
    else:
        where = f"low in the {side}"
    return DriftPlace(float(ra) % 360, float(dec), hour_deg, altitude, f"{where}, {altitude:.0f}° high")


def _clear(rig: Rig, place: DriftPlace, at: datetime) -> bool:
    seen = observe(place.ra_deg, place.dec_deg, from_datetimes(at), rig.site.place())
    line = float(rig.site.sky_line_alone().altitude_deg(float(seen.azimuth_deg))) if rig.site.horizon else 0.0
    lowest = rig.mount.lowest_altitude_deg if rig.mount else 0.0
    return place.altitude_deg >= max(_LOWEST_DEG, lowest + 1.0, line + _OVER_HORIZON_DEG)
