"""The brightest pixels of a light's stars, as rates."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from vigil.files.fits import BadFrame, read_frame
from vigil.imaging.stars import find_stars


def peaks_of(path: Path, electrons_per_adu: float, exposure_s: float) -> NDArray[np.float64]:
    """Electrons a second over the background, of each star that is found; empty where there is no such
    file."""
    if not path.exists():
        return np.empty(0)
    try:
        stars = find_stars(read_frame(path).image)[0]
    except (BadFrame, ValueError):
        return np.empty(0)
    return np.asarray(stars.peak_adu, dtype=np.float64) * electrons_per_adu / exposure_s
