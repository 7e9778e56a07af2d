"""What a sensor covers of the sky: its outline on the sphere, and how outlines overlap."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.tangent import deproject, project

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Footprint:
    """A sensor on the sky. `position_angle_deg` is that of its rows' rising (north through east); `width_deg`
    (columns) and `height_deg` (rows) are the angles that its sides subtend from the optical axis: twice the
    arctangent of half a side over the focal length."""

    ra_deg: float
    dec_deg: float
    position_angle_deg: float
    width_deg: float
    height_deg: float

    def __post_init__(self) -> None:
        if not (0 < self.width_deg < 120 and 0 < self.height_deg < 120):
            raise ValueError(
                f"a field of {self.width_deg:g}° × {self.height_deg:g}° can't be drawn: above 0, under 120"
            )

    @property
    def half_plane(self) -> tuple[float, float]:
        """Half width and half height on the tangent plane, as multiples of the focal length."""
        return float(np.tan(np.radians(self.width_deg / 2))), float(np.tan(np.radians(self.height_deg / 2)))

    def to_sensor(self, ra_deg: float | Floats, dec_deg: float | Floats) -> tuple[Floats, Floats]:
        """Where directions fall: −1…1 across the columns and the rows is on the sensor; NaN 90° away."""
        xi, eta = project(ra_deg, dec_deg, self.ra_deg, self.dec_deg)
        angle = np.radians(self.position_angle_deg)
        across = -xi * np.cos(angle) + eta * np.sin(angle)
        along = xi * np.sin(angle) + eta * np.cos(angle)
        half_x, half_y = self.half_plane
        return np.radians(across) / half_x, np.radians(along) / half_y

    def to_sky(self, across: float | Floats, along: float | Floats) -> tuple[Floats, Floats]:
        """ICRS degrees of places on the sensor: the inverse of `to_sensor`."""
        half_x, half_y = self.half_plane
        x, y = np.degrees(np.multiply(across, half_x)), np.degrees(np.multiply(along, half_y))
        angle = np.radians(self.position_angle_deg)
        xi = -x * np.cos(angle) + y * np.sin(angle)
        eta = x * np.sin(angle) + y * np.cos(angle)
        return deproject(xi, eta, self.ra_deg, self.dec_deg)

    def corners(self) -> list[tuple[float, float]]:
        """(ra_deg, dec_deg) of the four corners: first column and row, then round."""
        ra, dec = self.to_sky(np.array([-1.0, 1, 1, -1]), np.array([-1.0, -1, 1, 1]))
        return list(zip(ra.tolist(), dec.tolist(), strict=True))

    def holds(self, ra_deg: float | Floats, dec_deg: float | Floats) -> NDArray[np.bool_]:
        """Which directions fall on the sensor."""
        across, along = self.to_sensor(ra_deg, dec_deg)
        return np.asarray((np.abs(across) <= 1) & (np.abs(along) <= 1))

    def beside(self, across: float, along: float, width_deg: float, height_deg: float) -> "Footprint":
        """Another sensor whose middle is at a place of this one's plane (−1…1 is on it), its rows
        parallel."""
        ra, dec = self.to_sky(across, along)
        ahead = self.to_sky(across, along + 1e-4)
        xi, eta = project(*ahead, float(ra), float(dec))
        angle = float(np.degrees(np.arctan2(xi, eta)) % 360)
        return Footprint(float(ra), float(dec), angle, width_deg, height_deg)


def common_area(one: Footprint, other: Footprint, steps: int = 400) -> float:
    """Share of `one` that `other` covers too, 0…1, on a grid of `steps` × `steps` places."""
    place = (np.arange(steps) + 0.5) / steps * 2 - 1
    x, y = np.meshgrid(place, place)
    return float(np.mean(other.holds(*one.to_sky(x.ravel(), y.ravel()))))


def subtended_deg(scale_arcsec_px: float, pixels: int) -> float:
    """The angle of a sensor's side from the optical axis: on the tangent plane, not pixels times scale."""
    return float(2 * np.degrees(np.arctan(np.radians(scale_arcsec_px * pixels / 3600) / 2)))
