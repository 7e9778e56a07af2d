"""While the adjusters are turned: where a star has to go on the frame, and what is left of the error by how
the camera stands."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from vigil.polar.error import PolarError

Floats = NDArray[np.float64]
_SIDEREAL_DEG_S = 15.041067 / 3600


@dataclass(frozen=True, slots=True)
class Frame:
    """A camera's frame at one moment: its attitude (`attitude.attitude`), its scale, whether its columns run
    the other way."""

    attitude: Floats
    scale_arcsec_px: float
    mirrored: bool = False

    def pixels(self, direction: Floats) -> Floats:
        """(column, row) from the frame's middle of a direction (east, north, up)."""
        ahead, up, right = self.attitude @ direction
        column = right / ahead if not self.mirrored else -right / ahead
        return np.asarray(np.degrees([column, up / ahead]) * 3600 / self.scale_arcsec_px)

    def direction(self, column: float, row: float) -> Floats:
        """The other way; of unit length."""
        step = np.radians(self.scale_arcsec_px / 3600)
        right = step * (column if not self.mirrored else -column)
        there = self.attitude[0] + step * row * self.attitude[1] + right * self.attitude[2]
        return np.asarray(there / np.linalg.norm(there))

    def raised(self, by_rad: float, azimuth_rad: float, south: bool) -> "Frame":
        """As it stands once the mount, whose axis is so far east of the pole's azimuth, was raised: about the
        horizontal across its own axis."""
        swing = Rotation.from_rotvec([0.0, 0.0, azimuth_rad if south else -azimuth_rad])
        # north up is about east, south up the other way
        raising = Rotation.from_rotvec([-by_rad if south else by_rad, 0.0, 0.0])
        return self._after(swing * raising * swing.inv())

    def swung(self, by_rad: float, south: bool) -> "Frame":
        """Turned eastward about the vertical."""
        return self._after(Rotation.from_rotvec([0.0, 0.0, by_rad if south else -by_rad]))

    def _after(self, turn: Rotation) -> "Frame":
        return Frame(turn.apply(self.attitude), self.scale_arcsec_px, self.mirrored)


@dataclass(frozen=True, slots=True)
class Way:
    """Pixels from the frame's middle: the star now, after the altitude's adjuster alone, and its mark."""

    star: tuple[float, float]
    turn: tuple[float, float]
    mark: tuple[float, float]


def way_of(frame: Frame, star_px: tuple[float, float], error: PolarError, latitude_deg: float) -> Way:
    """Two legs, one for each adjuster, until the axis is at the pole."""
    altitude, azimuth = _radians(error, latitude_deg)
    south = latitude_deg < 0
    star = frame.direction(*star_px)
    raised = frame.raised(-altitude, azimuth, south)
    there = raised.swung(-azimuth, south)
    return Way(star_px, _pair(raised.pixels(star)), _pair(there.pixels(star)))


def tracked(stood: Floats, axis: Floats, seconds: float, latitude_deg: float) -> Floats:
    """An attitude so much later, the mount having tracked about its own axis and nothing else."""
    west = -1.0 if latitude_deg >= 0 else 1.0
    turn = Rotation.from_rotvec(west * math.radians(_SIDEREAL_DEG_S * seconds) * axis)
    return np.asarray(turn.apply(stood))


@dataclass(frozen=True, slots=True)
class Turned:
    """What is left of an error once the adjusters were turned, and by how much the mount turned in right
    ascension beside its tracking (degrees, + as the sky turns): a clutch that slipped, a motor that stood."""

    left: PolarError
    slipped_deg: float


def left_of(stood: Floats, now: Floats, error: PolarError, axis: Floats, latitude_deg: float) -> Turned:
    """By how an attitude is against how it would be without a hand at the adjusters: two turns of theirs and
    one about the axis are all that a mount can do whose declination is still, so they follow exactly. Which
    star is looked at, and how far it has jumped, doesn't come into it."""
    altitude, azimuth = _radians(error, latitude_deg)
    upward = np.array([0.0, 0.0, 1.0])
    across_axis = np.cross(upward, axis)
    across_axis /= np.linalg.norm(across_axis)
    between, _ = Rotation.align_vectors(now, stood)
    # about the vertical, the horizontal across the axis, and the axis itself: each square to the next one
    swung, raised, slipped = between.as_davenport([upward, across_axis, axis], "intrinsic")
    side = -1.0 if latitude_deg >= 0 else 1.0
    turned = np.array([-raised, side * swung, side * slipped])
    across = np.cos(np.radians(latitude_deg))
    left = PolarError(
        float(np.degrees(altitude + turned[0]) * 60),
        float(np.degrees(azimuth + turned[1]) * 60 * across),
        error.sigma_altitude_arcmin,
        error.sigma_azimuth_arcmin,
    )
    return Turned(left, float(np.degrees(turned[2])))


def _radians(error: PolarError, latitude_deg: float) -> tuple[float, float]:
    """What the adjusters themselves turn: the azimuth's more than the sky shows."""
    across = np.cos(np.radians(latitude_deg))
    return float(np.radians(error.altitude_arcmin / 60)), float(
        np.radians(error.azimuth_arcmin / 60) / across
    )


def _pair(values: Floats) -> tuple[float, float]:
    return float(values[0]), float(values[1])
