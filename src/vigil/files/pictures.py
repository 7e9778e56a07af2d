"""Pictures of any common kind, as planes to measure and as scenes to show: FITS, TIFF, PNG, JPEG."""

import logging
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image

from vigil.files.apart import tiff_apart
from vigil.files.claims import MOST_IMAGE_BYTES, MOST_PIXELS
from vigil.files.fits import BadFrame, read_fits, top_down

FITS_ENDINGS = frozenset({".fits", ".fit", ".fts"})
TIFF_ENDINGS = frozenset({".tif", ".tiff"})
PICTURE_ENDINGS = FITS_ENDINGS | TIFF_ENDINGS | {".png", ".jpg", ".jpeg"}
Image.MAX_IMAGE_PIXELS = MOST_PIXELS
logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what it finds wrong we say ourselves


@dataclass(frozen=True, slots=True)
class Picture:
    """`planes` is [row, column] or [row, column, colour], row 0 at the bottom; `header` what a FITS file
    says, else nothing. `fits` tells whether a solution can be written into it."""

    planes: np.ndarray
    header: dict[str, Any]
    fits: bool

    @property
    def mono(self) -> np.ndarray:
        """One plane [row, column]: the mean of the colours."""
        if self.planes.ndim == 2:
            return self.planes
        return np.asarray(self.planes.mean(axis=2, dtype=np.float32))


def read_picture(path: Path) -> Picture:
    """Read a picture by its ending. Raises BadFrame that names the file and says what was wrong."""
    ending = path.suffix.lower()
    if ending in FITS_ENDINGS or path.name.lower().endswith(".fits.gz"):
        frame = read_fits(path)
        planes = frame.image if frame.image.ndim == 2 else np.moveaxis(frame.image, 0, 2)
        return Picture(planes[::-1] if top_down(frame.header) else planes, frame.header, fits=True)
    if ending not in PICTURE_ENDINGS:
        known = ", ".join(sorted(PICTURE_ENDINGS))
        raise BadFrame(f"{path}: pictures end in one of {known}")
    if not path.is_file():
        raise BadFrame(f"{path}: there is no such file")
    try:
        planes = _read_tiff(path) if ending in TIFF_ENDINGS else _read_plain(path)
    except BadFrame:
        raise
    except Exception as problem:  # whatever the libraries throw: it is the file's fault
        said = (str(problem).strip().splitlines() or [type(problem).__name__])[0]
        raise BadFrame(f"{path}: damaged, or no picture ({said})") from None
    if planes.ndim not in (2, 3) or planes.size == 0:
        raise BadFrame(f"{path}: the picture has {planes.ndim} axes where 2 or 3 (colours) can be used")
    # other programs' files begin at the top
    return Picture(planes[::-1], {}, fits=False)


def _read_tiff(path: Path) -> np.ndarray:
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        shape, bits, packed = page.shape, int(page.bitspersample or 8), int(page.compression) != 1
    pixels = math.prod(shape)
    if pixels > 3 * MOST_PIXELS or pixels * max(bits, 8) // 8 > MOST_IMAGE_BYTES:
        raise BadFrame(f"{path}: {pixels / 1e6:.0f} million values: nothing so large is read")
    return tiff_apart(path) if packed else unpack_tiff(path)


def unpack_tiff(path: Path) -> np.ndarray:
    """The first picture of a TIFF whose claims have been looked at; raises what the libraries do."""
    try:
        planes = np.asarray(tifffile.imread(path, key=0))
    except (tifffile.TiffFileError, IndexError, KeyError, ImportError, RuntimeError, ValueError):
        # some compressions only the other library knows
        return _read_plain(path)
    if planes.ndim == 3 and planes.shape[0] in (3, 4) and planes.shape[2] not in (3, 4):
        planes = np.moveaxis(planes, 0, 2)
    return planes[:, :, :3] if planes.ndim == 3 else planes


def _read_plain(path: Path) -> np.ndarray:
    with Image.open(path) as picture:
        if math.prod(picture.size) > MOST_PIXELS:
            raise ValueError(f"{math.prod(picture.size) / 1e6:.0f} million pixels: nothing so large is read")
        if picture.mode in ("I", "F", "L", "I;16", "I;16B", "I;16L"):
            return np.asarray(picture)
        return np.asarray(picture.convert("RGB"))
