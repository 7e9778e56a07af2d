"""Frames as FITS files."""

import re
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from astropy.io import fits
from astropy.io.fits.verify import VerifyWarning

from vigil.files.apart import fits_apart
from vigil.files.atomic import write_atomically
from vigil.files.claims import BadClaim, look_at_fits
from vigil.files.names import plain_ascii
from vigil.files.trouble import why
from vigil.sky.tangent import project
from vigil.solving.wcs import Sip, Wcs

# what says where an image points, in any of the forms that there are
_OLD_WCS = re.compile(
    r"WCSAXES|CTYPE[12]|CUNIT[12]|CRPIX[12]|CRVAL[12]|CD[12]_[12]|PC[12]_[12]|CDELT[12]|CROTA[12]"
    r"|LONPOLE|LATPOLE|[AB]P?_ORDER|[AB]P?_\d_\d|[AB]_DMAX"
)

_LONGEST_TEXT = 68
"""Of a card's text (FITS 4.0, 4.2.1): letters that FITS has none for are spelt out, and the rest cut."""

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
    frame = read_fits(path)
    if frame.image.ndim != 2:
        raise BadFrame(f"{path}: the image has {frame.image.ndim} axes where a frame has 2")
    return frame


def read_fits(path: Path) -> Frame:
    """The same, also of three colours: [colour, row, column], as the file has it: see `top_down`. Raises
    BadFrame."""
    try:
        claimed = look_at_fits(path)
        with claimed.stream as stream:
            data, header = fits_apart(path) if claimed.packed else first_image(stream)
    except BadClaim as problem:
        said = str(problem)
        known = said.startswith(("not a FITS", "there is", "it is no", "holds"))
        raise BadFrame(f"{path}: {said if known else f'damaged, or not a FITS file ({said})'}") from None
    except Exception as problem:  # whatever the library throws: it is the file's fault
        of_disk = isinstance(problem, OSError) and problem.errno
        said = why(problem) if of_disk else "damaged, or not a FITS file"
        raise BadFrame(f"{path}: {said}") from None
    if data.ndim == 3 and data.shape[0] == 1:
        data = data[0]
    if not (data.ndim == 2 or (data.ndim == 3 and data.shape[0] == 3)):
        raise BadFrame(f"{path}: the image has axes of {data.shape} where a frame has rows and columns")
    return Frame(data.astype(data.dtype.newbyteorder("=")), header)


def first_image(stream: BinaryIO) -> tuple[np.ndarray, dict[str, Any]]:
    """The first image of an open FITS file, as it is in it, and its header; raises what the library does. Its
    claims have been looked at."""
    with warnings.catch_warnings():
        # a cut-off file is only warned about, and its missing rows read as zero
        warnings.simplefilter("error")
        warnings.simplefilter("ignore", VerifyWarning)
        with fits.open(stream, memmap=False, cache=False) as units:
            image = next((u for u in units if u.data is not None and u.is_image), None)
            if image is None:
                raise ValueError("holds no image")
            return np.asarray(image.data), dict(image.header)


def write_frame(path: Path, image: np.ndarray, header: Header) -> None:
    """Write an image, unsigned 16 bit or of a master floating point, whole or not at all. Raises ValueError
    for another type."""
    if image.dtype not in (np.uint16, np.float32) or image.ndim != 2:
        raise ValueError(f"a frame is a plane of uint16 or float32, not {image.dtype} with {image.ndim} axes")
    unit = fits.PrimaryHDU(image)
    for keyword, (value, comment) in header.items():
        unit.header[keyword] = (
            plain_ascii(value)[:_LONGEST_TEXT] if isinstance(value, str) else value,
            comment,
        )
    write_atomically(path, lambda stream: unit.writeto(stream, output_verify="exception"))


def read_header(path: Path) -> dict[str, Any]:
    """The first image's header alone, quickly; empty for a file that isn't FITS or can't be read."""
    try:
        with look_at_fits(path).stream as stream, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            header = dict(fits.getheader(stream))
            stream.seek(0)
            return header if header.get("NAXIS", 0) >= 2 else dict(fits.getheader(stream, 1))
    except Exception:
        return {}


def plane_shape(header: dict[str, Any]) -> tuple[int, int]:
    """(rows, columns) of the image that a header belongs to; zeros when it doesn't say."""
    return int(header.get("NAXIS2", 0)), int(header.get("NAXIS1", 0))


def top_down(header: dict[str, Any]) -> bool:
    """Whether a file says that its first row is the picture's top one; else it is the bottom one."""
    return str(header.get("ROWORDER", "")).strip().upper() == "TOP-DOWN"


def write_wcs(path: Path, wcs: Wcs) -> None:
    """Add a solution to a file's header: the whole file is written anew and renamed over the old one.

    `wcs` counts rows from the picture's bottom; a file that begins at the top gets it turned.
    """
    try:
        look_at_fits(path).stream.close()
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            warnings.simplefilter("ignore", VerifyWarning)
            with fits.open(path, memmap=False, do_not_scale_image_data=True) as units:
                image = next(u for u in units if u.header.get("NAXIS", 0) >= 2)
                for keyword in [k for k in image.header if _OLD_WCS.fullmatch(k)]:
                    image.header.remove(keyword, ignore_missing=True)
                solution = wcs.upside_down() if top_down(dict(image.header)) else wcs
                for keyword, (value, comment) in wcs_header(solution).items():
                    image.header[keyword] = (value, comment)
                write_atomically(path, lambda stream: units.writeto(stream))
    except OSError:
        raise
    except Exception:
        raise BadFrame(f"{path}: damaged, or not a FITS file") from None


def wcs_header(wcs: Wcs) -> Header:
    """The keywords of a tangent-plane WCS (Calabretta & Greisen 2002)."""
    rows, columns = wcs.shape
    (a, b), (c, d) = wcs.cd_deg_px
    bent = "-SIP" if wcs.sip else ""
    words = "tangent plane with distortion" if wcs.sip else "tangent plane"
    return {
        "WCSAXES": (2, "axes of the coordinate system"),
        "CTYPE1": (f"RA---TAN{bent}", words),
        "CTYPE2": (f"DEC--TAN{bent}", words),
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
        **(_sip_header(wcs.sip) if wcs.sip else {}),
    }


def _sip_header(sip: Sip) -> Header:
    """Shupe et al. 2005: what is added to the pixel coordinates."""
    header: Header = {
        "A_ORDER": (sip.order, "distortion of the columns"),
        "B_ORDER": (sip.order, "of the rows"),
    }
    for (i, j), a, b in zip(sip.powers, sip.a, sip.b, strict=True):
        header[f"A_{i}_{j}"] = (a, "")
        header[f"B_{i}_{j}"] = (b, "")
    return header


def read_wcs(header: dict[str, Any], shape: tuple[int, int]) -> Wcs | None:
    """The solution that a file's header holds, for an image of `shape` (rows, columns) counted from the
    picture's bottom; None when there is none of a kind that Vigil reads (tangent plane, CD or PC matrix)."""
    if not str(header.get("CTYPE1", "")).startswith("RA---TAN") or not _has_scale(header):
        return None
    from astropy.wcs import WCS  # brings all of astropy's coordinates with it: not at the start

    rows, columns = shape
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            theirs = WCS(fits.Header(_wcs_cards(header)))
        centre = np.array([(columns - 1) / 2, (rows - 1) / 2])
        around = centre + np.array([[0, 0], [1, 0], [0, 1]])
        ra, dec = theirs.all_pix2world(around[:, 0], around[:, 1], 0)
        xi, eta = project(ra, dec, float(ra[0]), float(dec[0]))
    except Exception:  # a solution that can't be understood is none
        return None
    cd = ((float(xi[1]), float(xi[2])), (float(eta[1]), float(eta[2])))
    if not np.all(np.isfinite(cd)) or np.linalg.det(np.array(cd)) == 0:
        return None
    wcs = Wcs(float(ra[0]) % 360, float(dec[0]), cd, shape)
    return wcs.upside_down() if top_down(header) else wcs


def _has_scale(header: dict[str, Any]) -> bool:
    """Whether the keywords are there that astropy would otherwise fill in with defaults: a place, and a
    scale."""

    def number(key: str) -> float:
        value = header.get(key)
        return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else np.nan

    if not all(np.isfinite(number(key)) for key in ("CRVAL1", "CRVAL2", "CRPIX1", "CRPIX2")):
        return False
    matrix = [number(f"CD{i}_{j}") for i in (1, 2) for j in (1, 2)]
    steps = [number("CDELT1"), number("CDELT2")]
    return bool(np.any(np.nan_to_num(matrix)) or np.all(np.nan_to_num(steps)))


def _wcs_cards(header: dict[str, Any]) -> list[tuple[str, Any]]:
    return [(k, v) for k, v in header.items() if _OLD_WCS.fullmatch(k) or k in ("RADESYS", "EQUINOX")]
