"""No slew may end at the sun or pass it."""

from datetime import datetime

import numpy as np

from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.bodies import observe_sun
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site

SUN_CLEARANCE_DEG = 20.0


def sun_in_path(
    from_deg: tuple[float, float], to_deg: tuple[float, float], at: datetime, site: Site
) -> float | None:
    """The least angle to the sun on a slew between ICRS directions, if under the clearance; else None.

    Both axes are taken to move evenly, the shorter way round in hour angle.
    With the sun more than a degree below the horizon nothing is in the way.
    """
    now = from_datetimes(at)
    bare = site.airless()
    sun = observe_sun(now, bare)
    if float(sun.altitude_deg) < -1.0:
        return None
    start = observe(from_deg[0], from_deg[1], now, bare)
    end = observe(to_deg[0], to_deg[1], now, bare)
    turn = float(wrap_180(end.hour_angle_deg - start.hour_angle_deg))
    share = np.linspace(0, 1, 181)
    dec = start.dec_deg + share * (end.dec_deg - start.dec_deg)
    hour_angle = start.hour_angle_deg + share * turn
    least = float(np.min(separation_deg(hour_angle, dec, sun.hour_angle_deg, sun.dec_deg)))
    return least if least < SUN_CLEARANCE_DEG else None
