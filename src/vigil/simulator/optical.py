"""How large a star is on the sensor."""

import numpy as np

from vigil.documents.rig import Rig
from vigil.optics.train import airy_fwhm_arcsec, defocus_disc_um


def blur(
    rig: Rig, defocus_steps: float, seeing_arcsec: float, air_mass: float, binning: int
) -> tuple[float, float]:
    """(core FWHM, defocus disc) in binned pixels.

    Seeing grows as air mass to the power 0.6 (Kolmogorov turbulence) and adds in quadrature to the Airy
    pattern.
    """
    scale = rig.scale_arcsec_px(binning)
    core = np.hypot(seeing_arcsec * air_mass**0.6, airy_fwhm_arcsec(rig.telescope.aperture_mm))
    disc_um = defocus_disc_um(defocus_steps * rig.focuser.um_per_step, rig.telescope.focal_ratio)
    return float(core / scale), disc_um / (rig.camera.pixel_um * binning)
