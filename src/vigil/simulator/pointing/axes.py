"""From the angles that the mount's encoders show to where its tube looks: a rigid mount with its errors.

Directions are unit vectors (cos δ cos H, cos δ sin H, sin δ) of hour angle H (west positive) and declination
δ, as the site sees them, shape (…, 3).
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_STEP_RAD = 1e-5


@dataclass(frozen=True, slots=True)
class AxisErrors:
    """What is wrong with a mount that stands still. `side` is +1 with the tube west of the pier, −1 east."""

    latitude_deg: float
    side: int
    polar_altitude_deg: float = 0.0
    polar_azimuth_deg: float = 0.0
    index_ha_deg: float = 0.0
    index_dec_deg: float = 0.0
    cone_deg: float = 0.0
    flexure_deg: float = 0.0


@dataclass(frozen=True, slots=True)
class Looks:
    """Directions as the site sees them, and the position angle there of the tube's own upward direction (that
    of a rising declination axis): arrays of one shape, degrees."""

    hour_angle_deg: Floats
    dec_deg: Floats
    up_deg: Floats

    def at(self, number: int) -> "Looks":
        """One of them."""
        one = slice(number, number + 1)
        return Looks(self.hour_angle_deg[one], self.dec_deg[one], self.up_deg[one])


def vector(hour_angle_deg: float | Floats, dec_deg: float | Floats) -> Floats:
    h, d = np.radians(hour_angle_deg), np.radians(dec_deg)
    flat = np.cos(d)
    return _along_last(flat * np.cos(h), flat * np.sin(h), np.sin(d))


def _along_last(x: Floats, y: Floats, z: Floats) -> Floats:
    """Vectors of their components, as `np.stack` makes them, which takes longer over a few than all else."""
    vectors = np.empty((*np.shape(x), 3))
    vectors[..., 0], vectors[..., 1], vectors[..., 2] = x, y, z
    return vectors


def angles_deg(direction: Floats) -> tuple[Floats, Floats]:
    """(hour angle, declination) of directions of any length."""
    x, y, z = (direction[..., k] for k in range(3))
    return np.degrees(np.arctan2(y, x)), np.degrees(np.arctan2(z, np.hypot(x, y)))


def _turn(axis: Floats, angle_rad: float) -> Floats:
    """Rodrigues's rotation about a unit axis."""
    x, y, z = axis
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + np.sin(angle_rad) * cross + (1 - np.cos(angle_rad)) * cross @ cross)


@lru_cache(maxsize=64)
def polar_tilt(latitude_deg: float, altitude_deg: float, azimuth_deg: float) -> Floats:
    """The rotation that a mount suffers whose axis is aimed too high and, about the zenith, too far east."""
    zenith = vector(0.0, latitude_deg)
    pole = np.array([0.0, 0.0, 1.0 if latitude_deg >= 0 else -1.0])
    sideways = np.cross(pole, zenith)
    length = np.linalg.norm(sideways)
    # at the Earth's poles the axis is vertical: "higher" means nothing there
    raised = _turn(sideways / length, np.radians(altitude_deg)) if length > 1e-9 else np.eye(3)
    east = np.array([0.0, -1.0, 0.0])
    sense = 1.0 if np.dot(np.cross(zenith, pole), east) > 0 else -1.0
    tilt = np.asarray(_turn(zenith, sense * np.radians(azimuth_deg)) @ raised)
    tilt.setflags(write=False)
    return tilt


def looks_at(hour_angle_deg: float | Floats, dec_deg: float | Floats, errors: AxisErrors) -> Looks:
    """Where the tube looks when the encoders show this."""
    h = np.asarray(hour_angle_deg, dtype=float) + errors.index_ha_deg
    d = np.asarray(dec_deg, dtype=float) + errors.side * errors.index_dec_deg
    dec_axis = vector(h - 90.0 * errors.side, 0.0)
    cone = np.radians(errors.cone_deg)
    tilt = polar_tilt(errors.latitude_deg, errors.polar_altitude_deg, errors.polar_azimuth_deg)
    zenith = vector(0.0, errors.latitude_deg)

    def seen(straight: Floats) -> Floats:
        tube = np.sin(cone) * dec_axis + np.cos(cone) * straight
        tube = tube @ tilt.T
        height = (tube @ zenith)[..., np.newaxis]
        return np.asarray(tube - np.radians(errors.flexure_deg) * (zenith - height * tube))

    straight = vector(h, d)
    # the tube's up is where the declination axis goes on turning: south with the tube on the east side
    upward = errors.side * vector(h, d + 90.0)
    here, above = seen(straight), seen(straight * np.cos(_STEP_RAD) + upward * np.sin(_STEP_RAD))
    ha_deg, declination_deg = angles_deg(here)
    return Looks(ha_deg, declination_deg, position_angle_deg(here, above))


def _north_and_east(hour_angle_deg: Floats, dec_deg: Floats) -> tuple[Floats, Floats]:
    """The unit tangents at a direction."""
    ha, dec = np.radians(hour_angle_deg), np.radians(dec_deg)
    sin_ha, cos_ha, sin_dec = np.sin(ha), np.cos(ha), np.sin(dec)
    return _along_last(-sin_dec * cos_ha, -sin_dec * sin_ha, np.cos(dec)), _along_last(sin_ha, -cos_ha, 0.0)


def position_angle_deg(here: Floats, there: Floats) -> Floats:
    """The position angle, north through east, of the way from one direction to a near one."""
    north, east = _north_and_east(*angles_deg(here))
    way = there / np.linalg.norm(there, axis=-1, keepdims=True) - here / np.linalg.norm(
        here, axis=-1, keepdims=True
    )
    return np.degrees(np.arctan2((way * east).sum(-1), (way * north).sum(-1))) % 360.0


def beside(looks: Looks, across_deg: float | Floats, along_deg: float | Floats) -> Looks:
    """Another direction fixed to the tube: so far along its up and across it, to the right as the sky is
    seen."""
    here = vector(looks.hour_angle_deg, looks.dec_deg)
    north, east = _north_and_east(looks.hour_angle_deg, looks.dec_deg)
    turn = np.radians(looks.up_deg)[..., np.newaxis]
    up, right = (np.cos(way) * north + np.sin(way) * east for way in (turn, turn - np.pi / 2))
    along, across = (np.tan(np.radians(np.asarray(way)))[..., np.newaxis] for way in (along_deg, across_deg))
    there = here + along * up + across * right
    above = there + _STEP_RAD * up
    ha_deg, dec_deg = angles_deg(there)
    return Looks(ha_deg, dec_deg, position_angle_deg(there, above))
