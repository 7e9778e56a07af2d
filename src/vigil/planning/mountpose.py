"""How a german mount stands: where tube, counterweight and limits are in space, and what comes when."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from vigil.documents.rig import Rig
from vigil.planning.flip import SIDEREAL_RATE, hour_angle_min, rule_for

Vector = NDArray[np.float64]
_MINUTES_PER_RADIAN = 720 / math.pi


@dataclass(frozen=True, slots=True)
class Frame:
    """Directions at a site, as (east, north, up): the pole that is up, and where the meridian crosses the
    celestial equator. West is never anything but (−1, 0, 0)."""

    pole: Vector
    meridian: Vector

    @classmethod
    def at(cls, latitude_deg: float) -> "Frame":
        phi = math.radians(latitude_deg)
        return cls(
            np.array([0.0, math.cos(phi), math.sin(phi)]), np.array([0.0, -math.sin(phi), math.cos(phi)])
        )

    def towards(self, hour_angle_min: float, dec_deg: float) -> Vector:
        """The direction of a point of the sky."""
        hour, dec = hour_angle_min / _MINUTES_PER_RADIAN, math.radians(dec_deg)
        west = np.array([-1.0, 0.0, 0.0])
        flat = math.cos(hour) * self.meridian + math.sin(hour) * west
        return math.cos(dec) * flat + math.sin(dec) * self.pole


@dataclass(frozen=True, slots=True)
class Pose:
    """`tube` is where it looks, `saddle` which way along the declination axis it sits from the polar axis;
    the counterweight is at the other end. `side` is the side of the pier that the tube is on."""

    tube: Vector
    saddle: Vector
    side: str
    hour_angle_min: float
    dec_deg: float

    @property
    def counterweight_up(self) -> bool:
        """Whether it stands higher than the tube's side: past the meridian, unflipped."""
        return bool(self.saddle[2] < -1e-6)


def saddle_of(frame: Frame, hour_angle_min: float, side: str) -> Vector:
    """Which way the tube sits: a tube west of the pier, looking at the meridian, is due west."""
    hour = hour_angle_min / _MINUTES_PER_RADIAN
    west = np.array([-1.0, 0.0, 0.0])
    found = math.cos(hour) * west - math.sin(hour) * frame.meridian
    return np.asarray(found if side == "west" else -found)


def pose_at(rig: Rig, ra_deg: float, dec_deg: float, side: str, at: datetime) -> Pose:
    """Of a mount that looks at an ICRS direction with its tube on a side of the pier; one that doesn't tell
    is taken to have its counterweight down."""
    here = hour_angle_min(ra_deg, dec_deg, rig, at)
    frame = Frame.at(rig.site.latitude_deg)
    side = side if side in ("west", "east") else ("west" if here < 0 else "east")
    return Pose(frame.towards(here, dec_deg), saddle_of(frame, here, side), side, here, dec_deg)


def side_words(pose: Pose) -> tuple[str, str]:
    """Both things that people call the side of the pier: where the tube is, and where it looks."""
    where = f"tube {pose.side} of the pier"
    looks = "east" if pose.hour_angle_min < 0 else "west"
    usual = "west" if pose.hour_angle_min < 0 else "east"
    turned = "" if pose.side == usual else ", counterweight up"
    return where, f"looking {looks} of the meridian{turned}"


@dataclass(frozen=True, slots=True)
class Countdowns:
    """Moments of the tracking mount; None where they don't come: it has flipped, or nothing limits it."""

    meridian: datetime | None
    may_flip: datetime | None
    limit: datetime | None


def countdowns(rig: Rig, pose: Pose, at: datetime) -> Countdowns:
    """When a mount that tracks on from `at` passes the meridian, may flip, and must have flipped."""
    rule = rule_for(rig)

    def moment(minutes: float) -> datetime | None:
        left = minutes - pose.hour_angle_min
        return at + timedelta(minutes=left / SIDEREAL_RATE) if 0 <= left < 720 else None

    meridian = moment(0.0)
    if rule is None or pose.side == "east":
        return Countdowns(meridian, None, None)
    limit = None if math.isinf(rule.limit_min) else moment(rule.limit_min)
    return Countdowns(meridian, moment(rule.wanted_min), limit)


def place_before_flip(rig: Rig, ra_deg: float, minutes: float, hour_angle_now_min: float) -> float:
    """The right ascension to slew to so that the flip is due in so many minutes, declination kept; where the
    mount looks at `ra_deg` now. Raises ValueError for a rig that never flips."""
    rule = rule_for(rig)
    if rule is None:
        raise ValueError(f"{rig.name} has no flip window: there is nothing to try")
    wanted = rule.wanted_min - minutes * SIDEREAL_RATE
    return (ra_deg + (hour_angle_now_min - wanted) / 4.0) % 360.0


@dataclass(frozen=True, slots=True)
class Camera:
    """From where a picture is taken: it looks along an azimuth and an altitude."""

    azimuth_deg: float
    altitude_deg: float

    def seen(self, points: Sequence[Vector] | Vector) -> NDArray[np.float64]:
        """Points (east, north, up) as (right, up, towards the onlooker), shape [n, 3]."""
        azimuth, altitude = math.radians(self.azimuth_deg), math.radians(self.altitude_deg)
        right = np.array([math.cos(azimuth), -math.sin(azimuth), 0.0])
        ahead = np.array(
            [
                math.sin(azimuth) * math.cos(altitude),
                math.cos(azimuth) * math.cos(altitude),
                math.sin(altitude),
            ]
        )
        up = np.cross(right, ahead)
        return np.asarray(np.atleast_2d(points) @ np.stack([right, up, -ahead]).T)

    def turned(self, right_deg: float, up_deg: float) -> "Camera":
        return Camera((self.azimuth_deg + right_deg) % 360, min(89.0, max(-89.0, self.altitude_deg + up_deg)))


def along_pole(latitude_deg: float) -> Camera:
    """Behind the mount, looking up its polar axis: west at the left where the pole is north."""
    return Camera(0.0 if latitude_deg >= 0 else 180.0, abs(latitude_deg))


FROM_EAST = Camera(270.0, 0.0)
