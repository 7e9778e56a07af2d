"""How star sizes go with focus, from telescope and camera."""

import math

from vigil.optics.train import ARCSEC_PER_RADIAN

USUAL_SEEING_ARCSEC = 2.7
_HFR_PER_FWHM = 0.55
"""Of a Moffat profile with the wings that turbulent air gives (β about 4)."""
_LEAST_HFR_PX = 0.7
"""A star inside one pixel."""


def hfr_slope_px_um(focal_ratio: float, pixel_um: float, obstruction: float = 0.0) -> float:
    """By how much the half-flux radius grows for each µm, far out of focus: of an evenly lit ring with the
    outer radius r = d / 2F and the inner one ε r, half of the light lies within r √((1 + ε²) / 2)."""
    return math.sqrt((1 + obstruction**2) / 2) / (2 * focal_ratio * pixel_um)


def usual_hfr_px(
    focal_length_mm: float, pixel_um: float, seeing_arcsec: float = USUAL_SEEING_ARCSEC
) -> float:
    """The half-flux radius of stars in focus under a seeing."""
    fwhm_px = seeing_arcsec * focal_length_mm * 1000.0 / (ARCSEC_PER_RADIAN * pixel_um)
    return max(_HFR_PER_FWHM * fwhm_px, _LEAST_HFR_PX)
