"""While the adjusters are turned: where a star has to go on the frame, and what is left by where it
stands."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from vigil.polar.error import PolarError

Floats = NDArray[np.float64]


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


def left_of(
    frame: Frame,
    star_px: tuple[float, float],
    error: PolarError,
    latitude_deg: float,
    now_px: tuple[float, float],
) -> PolarError:
    """What is left of an error once the star, that stood at `star_px` with all of it, stands at `now_px`; the
    frame is that of the beginning, and the mount has tracked since."""
    south, star = latitude_deg < 0, frame.direction(*star_px)
    altitude, azimuth = _radians(error, latitude_deg)

    def off(turned: Floats) -> Floats:
        stands = frame.raised(-float(turned[0]), azimuth, south).swung(-float(turned[1]), south)
        return np.asarray(stands.pixels(star) - np.array(now_px))

    step = np.radians(1 / 60)
    found = least_squares(off, np.zeros(2), x_scale=np.full(2, step))
    across = np.cos(np.radians(latitude_deg))
    left_alt, left_az = altitude - found.x[0], azimuth - found.x[1]
    return PolarError(
        float(np.degrees(left_alt) * 60),
        float(np.degrees(left_az) * 60 * across),
        error.sigma_altitude_arcmin,
        error.sigma_azimuth_arcmin,
    )


def _radians(error: PolarError, latitude_deg: float) -> tuple[float, float]:
    """What the adjusters themselves turn: the azimuth's more than the sky shows."""
    across = np.cos(np.radians(latitude_deg))
    return float(np.radians(error.altitude_arcmin / 60)), float(
        np.radians(error.azimuth_arcmin / 60) / across
    )


def _pair(values: Floats) -> tuple[float, float]:
    return float(values[0]), float(values[1])
