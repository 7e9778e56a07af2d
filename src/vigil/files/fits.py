"""Frames as FITS files."""

import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from astropy.io import fits
from astropy.io.fits.verify import VerifyWarning

from vigil.files.atomic import write_atomically
from vigil.solving.wcs import LinearWcs

Header = dict[str, tuple[Any, str]]
"""Keyword to (value, comment)."""


class BadFrame(ValueError):
    """A file that is no frame of ours; the message names it and says what was wrong."""


@dataclass(frozen=True, slots=True)
class Frame:
    """An image [row, column] with its header's values. Row 0 is FITS axis 2's first pixel."""

    image: np.ndarray
    header: dict[str, Any]


def read_frame(path: Path) -> Frame:
    """Read the first image of a FITS file.

    Raises BadFrame for anything that isn't a whole two-dimensional image.
    """
    try:
        with warnings.catch_warnings():
            # a cut-off file is only warned about, and its missing rows read as zero
            warnings.simplefilter("error")
            warnings.simplefilter("ignore", VerifyWarning)
            with fits.open(path, memmap=False) as units:
                image = next((u for u in units if u.data is not None and u.is_image), None)
                if image is None:
                    raise BadFrame(f"{path}: holds no image")
                data, header = np.asarray(image.data), dict(image.header)
    except FileNotFoundError:
        raise BadFrame(f"{path}: there is no such file") from None
    except BadFrame:
        raise
    except (OSError, ValueError, TypeError, UserWarning, KeyError, IndexError) as problem:
        raise BadFrame(f"{path}: damaged, or not a FITS file ({_first_line(problem)})") from None
    if data.ndim != 2:
        raise BadFrame(f"{path}: the image has {data.ndim} axes where a frame has 2")
    return Frame(data.astype(data.dtype.newbyteorder("=")), header)


def write_frame(path: Path, image: np.ndarray, header: Header) -> None:
    """Write an unsigned 16-bit image, whole or not at all. Raises ValueError for another type."""
    if image.dtype != np.uint16 or image.ndim != 2:
        raise ValueError(f"a frame is a plane of uint16, not {image.dtype} with {image.ndim} axes")
    unit = fits.PrimaryHDU(image)
    for keyword, (value, comment) in header.items():
        unit.header[keyword] = (value, comment)
    write_atomically(path, lambda stream: unit.writeto(stream, output_verify="exception"))


def write_wcs(path: Path, wcs: LinearWcs) -> None:
    """Add a solution to a file's header: the whole file is written anew and renamed over the old one."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            warnings.simplefilter("ignore", VerifyWarning)
            with fits.open(path, memmap=False, do_not_scale_image_data=True) as units:
                image = next(u for u in units if u.header.get("NAXIS", 0) >= 2)
                for keyword in ("CDELT1", "CDELT2", "CROTA1", "CROTA2", "PC1_1", "PC1_2", "PC2_1", "PC2_2"):
                    image.header.remove(keyword, ignore_missing=True)
                for keyword, (value, comment) in wcs_header(wcs).items():
                    image.header[keyword] = (value, comment)
                write_atomically(path, lambda stream: units.writeto(stream))
    except (ValueError, TypeError, UserWarning, StopIteration) as problem:
        raise BadFrame(f"{path}: damaged, or not a FITS file ({_first_line(problem)})") from None


def wcs_header(wcs: LinearWcs) -> Header:
    """The keywords of a tangent-plane WCS (Calabretta & Greisen 2002)."""
    rows, columns = wcs.shape
    (a, b), (c, d) = wcs.cd_deg_px
    return {
        "WCSAXES": (2, "axes of the coordinate system"),
        "CTYPE1": ("RA---TAN", "tangent plane"),
        "CTYPE2": ("DEC--TAN", "tangent plane"),
        "CUNIT1": ("deg", ""),
        "CUNIT2": ("deg", ""),
        "RADESYS": ("ICRS", ""),
        "CRPIX1": ((columns + 1) / 2, "image centre"),
        "CRPIX2": ((rows + 1) / 2, "image centre"),
        "CRVAL1": (wcs.ra_deg, "[deg] right ascension there"),
        "CRVAL2": (wcs.dec_deg, "[deg] declination there"),
        "CD1_1": (a, "[deg/px]"),
        "CD1_2": (b, "[deg/px]"),
        "CD2_1": (c, "[deg/px]"),
        "CD2_2": (d, "[deg/px]"),
    }


def _first_line(problem: Exception) -> str:
    return (str(problem).strip().splitlines() or [type(problem).__name__])[0]
