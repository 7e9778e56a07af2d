"""How large a star is on the sensor."""

from dataclasses import dataclass

import numpy as np

from vigil.optics.train import airy_fwhm_arcsec, defocus_disc_um, image_scale_arcsec_px


@dataclass(frozen=True, slots=True)
class Optics:
    """What light goes through on its way to one of the two cameras."""

    focal_length_mm: float
    aperture_mm: float
    pixel_um: float

    def scale_arcsec_px(self, binning: int) -> float:
        return image_scale_arcsec_px(self.focal_length_mm, self.pixel_um, binning)


def blur(
    optics: Optics, defocus_um: float, seeing_arcsec: float, air_mass: float, binning: int
) -> tuple[float, float]:
    """(core FWHM, defocus disc) in binned pixels.

    Seeing grows as air mass to the power 0.6 (Kolmogorov turbulence) and adds in quadrature to the Airy
    pattern.
    """
    scale = optics.scale_arcsec_px(binning)
    core = np.hypot(seeing_arcsec * air_mass**0.6, airy_fwhm_arcsec(optics.aperture_mm))
    disc_um = defocus_disc_um(defocus_um, optics.focal_length_mm / optics.aperture_mm)
    return float(core / scale), disc_um / (optics.pixel_um * binning)
