"""What measuring a frame comes to."""

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class FrameFigures:
    """A frame's figures; sizes are NaN without stars. `hfr_sigma_px` is the standard error of `hfr_px`."""

    stars: int
    hfr_px: float
    hfr_sigma_px: float
    fwhm_px: float
    elongation: float
    background_adu: float
    noise_adu: float
    saturated: int
    bright_flux_adu: float = math.nan
    """The median flux of its bright stars."""
    pixel_noise_adu: float = math.nan
    """From pixel to pixel, without what stars and gradients add to `noise_adu`."""
    trail_sigma: float = 0.0
    """How far a straight trail across it stands out from the noise: 0 where it wasn't looked for."""
