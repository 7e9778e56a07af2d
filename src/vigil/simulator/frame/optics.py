"""The telescope in front of one of the two cameras."""

from dataclasses import dataclass

import numpy as np

from vigil.optics.train import airy_fwhm_arcsec, image_scale_arcsec_px


@dataclass(frozen=True, slots=True)
class Optics:
    """What light goes through on its way."""

    focal_length_mm: float
    aperture_mm: float
    pixel_um: float
    obstruction_mm: float = 0.0

    @property
    def focal_ratio(self) -> float:
        return self.focal_length_mm / self.aperture_mm

    @property
    def area_cm2(self) -> float:
        """That gathers light: the aperture less what stands in it."""
        return float(np.pi / 400 * (self.aperture_mm**2 - self.obstruction_mm**2))

    def scale_arcsec_px(self, binning: int) -> float:
        return image_scale_arcsec_px(self.focal_length_mm, self.pixel_um, binning)

    def core_px(self, air_fwhm_arcsec: float, binning: int) -> float:
        """FWHM of a star in focus: the air's adds in quadrature to the Airy pattern's."""
        return float(
            np.hypot(air_fwhm_arcsec, airy_fwhm_arcsec(self.aperture_mm)) / self.scale_arcsec_px(binning)
        )
