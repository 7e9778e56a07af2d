"""How many electrons a second light from the sky makes in a camera."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.photometry import extinction_mag, photons_s_cm2_nm

Floats = NDArray[np.float64]
RAYLEIGH_S_CM2_ARCSEC2 = 1e6 / (4 * np.pi) / (180 / np.pi * 3600) ** 2
"""Photons of one rayleigh: 10⁶/4π a second, cm² and steradian."""
OPEN_BAND = ((550.0, 300.0),)
"""What a camera without a filter sees, 400–700 nm."""


@dataclass(frozen=True, slots=True)
class Light:
    """A telescope's light through one filter: `bands` are (centre, width) in nm."""

    area_cm2: float
    throughput: float
    bands: tuple[tuple[float, float], ...]
    extinction_v_mag: float
    height_m: float

    @property
    def zero_point_e_s(self) -> float:
        """Electrons a second of a magnitude 0 star above the air."""
        photons = sum(width * float(photons_s_cm2_nm(centre)) for centre, width in self.bands)
        return self.area_cm2 * self.throughput * photons

    def extinction_mag(self, air_mass: float | Floats) -> Floats:
        """Through this filter, at an air mass: the bands' light added up."""
        weights = np.array([width * float(photons_s_cm2_nm(centre)) for centre, width in self.bands])
        per_mass = np.array(
            [float(extinction_mag(centre, self.extinction_v_mag, self.height_m)) for centre, _ in self.bands]
        )
        left = 10 ** (-0.4 * np.multiply.outer(np.asarray(air_mass), per_mass))
        return np.asarray(-2.5 * np.log10(left @ weights / weights.sum()))

    def star_e_s(self, mag: float | Floats, air_mass: float | Floats) -> Floats:
        """Of stars on the ground."""
        return np.asarray(
            self.zero_point_e_s * 10 ** (-0.4 * (np.asarray(mag) + self.extinction_mag(air_mass)))
        )

    def sky_e_s_arcsec2(self, mag_arcsec2: float) -> float:
        """Of a sky as bright as that on the ground, its colour that of a star."""
        return float(self.zero_point_e_s * 10 ** (-0.4 * mag_arcsec2))

    def line_e_s_arcsec2(self, rayleigh: float, wavelength_nm: float) -> float:
        """Of an emission line, 0 where no passband holds it."""
        inside = any(abs(wavelength_nm - centre) <= width / 2 for centre, width in self.bands)
        return self.area_cm2 * self.throughput * rayleigh * RAYLEIGH_S_CM2_ARCSEC2 if inside else 0.0
