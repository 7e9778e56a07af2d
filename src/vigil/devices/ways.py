"""Ways of the mount: none may lead past the sun, under the lowest altitude or over the highest."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from vigil.devices.errors import Refused
from vigil.documents.rig import Rig
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.bodies import observe_sun
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site

SUN_CLEARANCE_DEG = 20.0
_SUN_UP_DEG = -1.0
"""Deeper than this the sun is in nobody's way."""
_SAMPLES = 121
_SLACK_DEG = 0.5
"""A way that leads out of where it must not be may bend so far into it first."""

Place = tuple[float, float]
"""Hour angle (west positive) and declination of date, degrees."""
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Keep:
    """What a tube has to keep to at a moment; `sun` is None while it is down."""

    latitude_deg: float
    lowest_deg: float
    highest_deg: float
    sun: Place | None

    def altitude_deg(self, hour_angle_deg: Floats | float, dec_deg: Floats | float) -> Floats:
        """Of directions, without refraction (spherical astronomy's first formula)."""
        phi, dec, hour = np.radians(self.latitude_deg), np.radians(dec_deg), np.radians(hour_angle_deg)
        sine = np.sin(phi) * np.sin(dec) + np.cos(phi) * np.cos(dec) * np.cos(hour)
        return np.asarray(np.degrees(np.arcsin(np.clip(sine, -1, 1))))

    def past_altitude_deg(self, hour_angle_deg: Floats | float, dec_deg: Floats | float) -> Floats:
        """How far outside the altitudes, degrees; negative inside."""
        altitude = self.altitude_deg(hour_angle_deg, dec_deg)
        return np.asarray(np.maximum(self.lowest_deg - altitude, altitude - self.highest_deg))

    def near_sun_deg(self, hour_angle_deg: Floats | float, dec_deg: Floats | float) -> Floats:
        """How far inside the sun's clearance, degrees; negative outside."""
        if self.sun is None:
            return np.full(np.shape(hour_angle_deg), -180.0)
        return np.asarray(SUN_CLEARANCE_DEG - separation_deg(hour_angle_deg, dec_deg, *self.sun))


def keep_at(rig: Rig, at: datetime) -> Keep:
    """What the rig's tube has to keep to."""
    mount, site = rig.mount, rig.site.place().airless()
    lowest, highest = (mount.lowest_altitude_deg, mount.highest_altitude_deg) if mount else (-90.0, 90.0)
    return Keep(site.latitude_deg, lowest, highest if highest < 90 else 91.0, sun_at(site, at))


def sun_at(site: Site, at: datetime) -> Place | None:
    """Where the sun stands, None while it is down."""
    sun = observe_sun(from_datetimes(at), site.airless())
    if float(sun.altitude_deg) < _SUN_UP_DEG:
        return None
    return float(sun.hour_angle_deg), float(sun.dec_deg)


def way(keep: Keep, start: Place, end: Place, parks: bool = False) -> list[Place]:
    """The places to go to one after another, the end last: straight, or round what is in the way.

    Both axes are taken to move evenly, the shorter way round in hour angle. What begins where it must not be
    may lead out of it, by a way that gets no nearer; one that `parks` may end where it has to. Raises Refused
    with the number that stands against it.
    """
    if not parks:
        _need_end(keep, end)
    if _fault(keep, (start, end), parks) is None:
        return [end]
    found = [vias for vias in _vias(keep, start, end) if _fault(keep, (start, *vias, end), parks) is None]
    if not found:
        raise Refused(f"mount: {_fault(keep, (start, end), parks)}, and no way round it was found")
    best = min(found, key=lambda vias: _turn_deg((start, *vias, end)))
    return [*best, end]


def worse(keep: Keep, start: Place, end: Place) -> str | None:
    """Why a motion in progress from one place to another must not go on; None: it may."""
    return _fault(keep, (start, end), parks=False)


def _need_end(keep: Keep, end: Place) -> None:
    altitude = float(keep.altitude_deg(*end))
    if altitude < keep.lowest_deg:
        raise Refused(f"mount: the place to slew to stands {altitude:.0f}° high, limit {keep.lowest_deg:g}°")
    if altitude > keep.highest_deg:
        raise Refused(
            f"mount: the place to slew to stands {altitude:.0f}° high, over its limit {keep.highest_deg:g}°"
        )
    near = float(keep.near_sun_deg(*end))
    if near > 0:
        raise Refused(
            f"mount: the place to slew to is {SUN_CLEARANCE_DEG - near:.0f}° from the sun, "
            f"{SUN_CLEARANCE_DEG:.0f}° is the least allowed"
        )


def _fault(keep: Keep, places: Sequence[Place], parks: bool) -> str | None:
    hour, dec = _sampled(places)
    near = keep.near_sun_deg(hour, dec)
    allowed = max(0.0, near[0], near[-1] if parks else 0.0) + (_SLACK_DEG if near[0] > 0 else 0.0)
    if near.max() > allowed:
        least = SUN_CLEARANCE_DEG - near.max()
        return (
            f"the way there would pass {least:.0f}° from the sun, {SUN_CLEARANCE_DEG:.0f}° is the least "
            "allowed"
        )
    past = keep.past_altitude_deg(hour, dec)
    if past.max() > max(0.0, past[0], past[-1] if parks else 0.0) + _SLACK_DEG:
        worst = float(keep.altitude_deg(hour, dec)[int(past.argmax())])
        limit = keep.lowest_deg if worst < keep.lowest_deg else keep.highest_deg
        return f"the way there would lead to {worst:.0f}° of altitude, limit {limit:g}°"
    return None


def _sampled(places: Sequence[Place]) -> tuple[Floats, Floats]:
    share = np.linspace(0, 1, _SAMPLES)
    hours, decs = [], []
    for (ha0, dec0), (ha1, dec1) in pairwise(places):
        hours.append(ha0 + share * float(wrap_180(ha1 - ha0)))
        decs.append(dec0 + share * (dec1 - dec0))
    return np.concatenate(hours), np.concatenate(decs)


def _vias(keep: Keep, start: Place, end: Place) -> list[list[Place]]:
    """Ways round: by the pole that is up, or by one place of a coarse net."""
    pole = 85.0 if keep.latitude_deg >= 0 else -85.0
    away = -1.0 if keep.latitude_deg >= 0 else 1.0
    net = [[(float(ha), pole + away * step)] for ha in range(-90, 91, 30) for step in range(0, 121, 20)]
    by_pole: list[list[Place]] = [[(start[0], pole)], [(end[0], pole)], [(start[0], pole), (end[0], pole)]]
    return by_pole + net


def _turn_deg(places: Sequence[Place]) -> float:
    return sum(max(abs(float(wrap_180(b[0] - a[0]))), abs(b[1] - a[1])) for a, b in pairwise(places))
