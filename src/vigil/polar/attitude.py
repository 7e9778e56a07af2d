"""How a camera stands in the ground's frame: vectors (east, north, up) of directions as the site sees them,
refraction included, since it is the tube that looks there."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site
from vigil.sky.tangent import deproject

Floats = NDArray[np.float64]
_STEP_DEG = 0.05


@dataclass(frozen=True, slots=True)
class Sighting:
    """A solved frame: when its middle was, where its centre lies (ICRS), the position angle of its rows
    (north through east), and how well each is known: arc-seconds of the centre on each axis, and of a turn
    about it."""

    at: datetime
    ra_deg: float
    dec_deg: float
    position_angle_deg: float
    sigma_arcsec: float = 0.5
    sigma_turn_arcsec: float = 20.0


def ground_vector(altitude_deg: float | Floats, azimuth_deg: float | Floats) -> Floats:
    """Shape (…, 3)."""
    h, a = np.radians(altitude_deg), np.radians(azimuth_deg)
    return np.stack(np.broadcast_arrays(np.cos(h) * np.sin(a), np.cos(h) * np.cos(a), np.sin(h)), axis=-1)


def angles_deg(direction: Floats) -> tuple[float, float]:
    """(altitude, azimuth 0…360) of a vector of any length."""
    east, north, up = direction
    return float(np.degrees(np.arctan2(up, np.hypot(east, north)))), float(
        np.degrees(np.arctan2(east, north)) % 360
    )


def attitude(sighting: Sighting, site: Site) -> Floats:
    """Rows: where the frame's centre looks, the way its rows rise, and to the right of that as the sky is
    seen from inside; shape (3, 3), orthonormal."""
    turn = np.radians(sighting.position_angle_deg)
    ra, dec = deproject(
        _STEP_DEG * float(np.sin(turn)), _STEP_DEG * float(np.cos(turn)), sighting.ra_deg, sighting.dec_deg
    )
    both = np.array([[sighting.ra_deg, float(ra)], [sighting.dec_deg, float(dec)]])
    seen = observe(both[0], both[1], from_datetimes(sighting.at), site)
    here, above = ground_vector(seen.altitude_deg, seen.azimuth_deg)
    up = above - (above @ here) * here
    up /= np.linalg.norm(up)
    return np.stack([here, up, np.cross(here, up)])
