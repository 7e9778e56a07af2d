"""A frame's figures, measured on its pixels: for nights, the command line and frames from elsewhere."""

import numpy as np
from numpy.typing import NDArray

from vigil.imaging.figures import FrameFigures
from vigil.imaging.mosaic import SMOOTHING_PX2, luminance
from vigil.imaging.pixelnoise import pixel_noise
from vigil.imaging.stars import Stars, measure_field
from vigil.imaging.trails import trail_sigma

# a pixel this close to full scale has lost light
SATURATED_SHARE = 0.98
# median over stars of one frame: seeing differs between short exposures by about this much
_SEEING_SHARE = 0.03


def measure_image(image: NDArray[np.generic], full_scale_adu: float, mosaic: bool = False) -> FrameFigures:
    """Figures of an image [row, column]; a `mosaic` of colour filters is smoothed to its luminance first.
    Raises ValueError for one that can't be measured."""
    return measured(image, full_scale_adu, mosaic)[0]


def measured(
    image: NDArray[np.generic], full_scale_adu: float, mosaic: bool = False
) -> tuple[FrameFigures, Stars]:
    """The same with the stars that it was measured by. Raises ValueError."""
    field = measure_field(
        flat_of(image, mosaic),
        SATURATED_SHARE * full_scale_adu,
        smoothing_px2=SMOOTHING_PX2 if mosaic else 0.0,
    )
    sizes = field.stars.hfr_px
    scatter = 1.4826 * np.median(np.abs(sizes - np.median(sizes))) if sizes.size else np.nan
    # 1.25: the standard error of a median against that of a mean
    error = np.hypot(1.25 * scatter / np.sqrt(max(sizes.size, 1)), _SEEING_SHARE * field.hfr_px)
    figures = FrameFigures(
        stars=len(field.stars),
        hfr_px=field.hfr_px,
        hfr_sigma_px=float(error),
        fwhm_px=field.fwhm_px,
        elongation=field.elongation,
        background_adu=field.background_adu,
        noise_adu=field.noise_adu,
        saturated=field.saturated,
        bright_flux_adu=field.bright_flux_adu,
        pixel_noise_adu=pixel_noise(image, mosaic),
        trail_sigma=round(trail_sigma(image), 2),
    )
    return figures, field.stars


def flat_of(image: NDArray[np.generic], mosaic: bool) -> NDArray[np.generic]:
    """An image without its colour filters' pattern."""
    return luminance(image) if mosaic else image
