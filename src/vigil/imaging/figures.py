"""What measuring a frame comes to."""

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
