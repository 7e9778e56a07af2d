"""A frame from its file, made ready for the screen: for a worker thread."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vigil.imaging.mosaic import luminance
from vigil.imaging.pyramid import Pyramid
from vigil.imaging.stretch import Stretch, auto_stretch

_SHOWN_PX = 1600


@dataclass(frozen=True, slots=True)
class Loaded:
    """A frame and how it is stretched at first."""

    path: Path
    pyramid: Pyramid
    stretch: Stretch


def load_for_view(path: Path) -> Loaded:
    """Raises files.fits.BadFrame."""
    # imported here: FITS support takes longer to import than the window to open
    from vigil.files.fits import read_frame

    frame = read_frame(path)
    image = luminance(frame.image) if "BAYERPAT" in frame.header else frame.image
    if image.dtype != np.uint16:
        image = np.clip(np.nan_to_num(image), 0, 65535).astype(np.uint16)
    pyramid = Pyramid(image)
    # what the fitted view needs is made here, not while it is painted
    pyramid.level(pyramid.halvings_for(min(1.0, _SHOWN_PX / max(image.shape))))
    return Loaded(path, pyramid, auto_stretch(image))
