"""The stars of an image as the solver takes them."""

from dataclasses import dataclass

import numpy as np

from vigil.sky.instants import Floats
from vigil.solving.plane import Complex


@dataclass(frozen=True, slots=True)
class ImageStars:
    """Detected stars, brightest first, as complex pixels from the centre of an image of `shape`."""

    spots: Complex
    shape: tuple[int, int]

    @property
    def short_px(self) -> int:
        """The image's shorter side."""
        return min(self.shape)

    @property
    def radius_px(self) -> float:
        """From the centre to a corner."""
        return float(np.hypot(*self.shape) / 2)


def image_stars(x_px: Floats, y_px: Floats, flux: Floats, shape: tuple[int, int]) -> ImageStars:
    """Detected stars at 0-based columns and rows, ranked by flux. Places that aren't finite are left out."""
    rows, columns = shape
    spots = x_px - (columns - 1) / 2 + 1j * (y_px - (rows - 1) / 2)
    order = np.argsort(np.nan_to_num(flux))[::-1]
    spots = spots[order]
    return ImageStars(spots[np.isfinite(spots)], shape)


def hands(spots: Complex) -> tuple[tuple[bool, Complex], ...]:
    """Both hands of an image, (mirrored, spots): the sky seen from inside is left-handed (east to the
    left), so a plain image is conjugated against it."""
    return (False, np.asarray(-spots.conj())), (True, spots)
