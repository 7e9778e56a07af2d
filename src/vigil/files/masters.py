"""Masters made of frames on disk, in bands of rows so that memory stays flat, and kept with their recipe."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from astropy.io import fits
from numpy.typing import NDArray

from vigil.calibration.masters import CLIP_SIGMAS, combined, middle_of
from vigil.files.claims import look_at_fits
from vigil.files.fits import BadFrame, Header, read_frame, read_header, write_frame
from vigil.files.madeframes import made_of
from vigil.levels.matching import Made

Floats = NDArray[np.float32]
_BAND_BYTES = 48e6
_SAME = ("kind", "filter", "gain", "offset", "binning", "camera")


@dataclass(frozen=True, slots=True)
class Master:
    """A flat's is 1 in its middle, others are in ADU. `left_out` is the share of pixels that were."""

    image: Floats
    made: Made
    sources: tuple[str, ...]
    left_out: float
    subtracted: str = ""


class _Rows:
    """A frame's rows, read as they are wanted."""

    def __init__(self, path: Path) -> None:
        claimed = look_at_fits(path)
        with claimed.stream as stream:
            packed = claimed.packed
            if not packed:
                with fits.open(stream, memmap=False, do_not_scale_image_data=True) as units:
                    header = units[0].header
                    plain = header.get("NAXIS") == 2 and header["BITPIX"] in (16, -32)
                    offset = units[0].fileinfo()["datLoc"] if plain else 0
        if packed or not plain:
            self._image: NDArray[Any] = read_frame(path).image
            self._scale, self._zero = 1.0, 0.0
        else:
            kind = ">i2" if header["BITPIX"] == 16 else ">f4"
            shape = header["NAXIS2"], header["NAXIS1"]
            self._image = np.memmap(path, dtype=kind, mode="r", offset=offset, shape=shape)
            self._scale, self._zero = header.get("BSCALE", 1.0), header.get("BZERO", 0.0)
        self.shape: tuple[int, int] = self._image.shape  # type: ignore[assignment]

    def __getitem__(self, part: Any) -> Floats:
        return self._image[part].astype(np.float32) * np.float32(self._scale) + np.float32(self._zero)


def make_master(
    paths: Sequence[Path],
    dark: Floats | float = 0.0,
    dark_name: str = "",
    tell: Callable[[float], None] = lambda share: None,
) -> Master:
    """Of flats each less `dark` and at the same level, of others as they are. `tell` hears how far it is.

    Raises BadFrame for files that aren't frames, or don't belong together, with the first that doesn't.
    """
    if not paths:
        raise BadFrame("no frame to make a master of")
    made = [_made(path) for path in paths]
    rows = [_opened(path) for path in paths]
    for path, one, its in zip(paths, made, rows, strict=True):
        other = next((n for n in _SAME if getattr(one, n) != getattr(made[0], n)), "")
        if other or its.shape != rows[0].shape:
            what = (
                f"{other} {getattr(one, other)!r}, {getattr(made[0], other)!r}" if other else "another size"
            )
            raise BadFrame(f"{path}: does not belong with {paths[0].name}: {what}")
    height, width = rows[0].shape
    if isinstance(dark, np.ndarray) and dark.shape != (height, width):
        raise BadFrame(
            f"{dark_name}: {dark.shape[0]} × {dark.shape[1]} pixels, the frames have {height} × {width}"
        )
    flats = made[0].kind == "flat"
    levels = [_level(its, dark) if flats else 1.0 for its in rows]
    if min(levels) <= 0:
        raise BadFrame(f"{paths[int(np.argmin(levels))]}: there is no light in it")
    image, left_out = np.empty((height, width), np.float32), 0
    band = max(1, int(_BAND_BYTES / (4 * width * len(rows))))
    for begins in range(0, height, band):
        part = slice(begins, min(begins + band, height))
        below = dark[part] if isinstance(dark, np.ndarray) else dark
        stack = np.stack([(its[part] - below) / level for its, level in zip(rows, levels, strict=True)])
        done = combined(stack.astype(np.float32))
        image[part] = done.image
        left_out += done.left_out
        tell(part.stop / height)
    if flats:
        image /= image[middle_of(image.shape)].mean(dtype=np.float64)
    names = tuple(path.name for path in paths)
    return Master(image, made[0], names, left_out / (len(rows) * height * width), dark_name)


def write_master(path: Path, master: Master) -> None:
    """As FITS, floating point, with what it was made of. Raises OSError."""
    one = master.made
    header: Header = {
        "IMAGETYP": (f"MASTER {one.kind.upper()}", "kind of frame"),
        "NCOMBINE": (len(master.sources), "frames it was made of"),
        "COMBINE": ("mean", "of each pixel"),
        "CLIPSIG": (CLIP_SIGMAS, "pixels farther from their median are left out"),
        "LEFTOUT": (round(master.left_out, 6), "share of pixels that were left out"),
        "INSTRUME": (one.camera, "camera"),
        "XBINNING": (one.binning, "binning"),
        "YBINNING": (one.binning, "binning"),
    }
    if master.subtracted:
        header["SUBTRACT"] = (master.subtracted, "taken off each frame first")
    for keyword, value in (("FILTER", one.filter or None), ("EXPTIME", one.exposure_s), ("GAIN", one.gain),
                           ("OFFSET", one.offset), ("SET-TEMP", one.temperature_c),
                           ("ROTATANG", one.rotator_deg)):  # fmt: skip
        if value is not None:
            header[keyword] = (value, "of the first frame")
    for number, name in enumerate(master.sources[:9999], start=1):
        header[f"SRC{number:05d}"] = (name, "")
    write_frame(path, master.image, header)


def _made(path: Path) -> Made:
    header = read_header(path)
    if not header:
        raise BadFrame(f"{path}: can't be read, or is no FITS file")
    made = made_of(header)
    if made is None:
        raise BadFrame(f"{path}: its header doesn't say what kind of frame it is (IMAGETYP)")
    return made


def _opened(path: Path) -> _Rows:
    try:
        return _Rows(path)
    except BadFrame:
        raise
    except Exception as problem:  # whatever the library throws: it is the file's fault
        raise BadFrame(f"{path}: damaged, or not a FITS file ({problem})") from None


def _level(rows: _Rows, dark: Floats | float) -> float:
    part = middle_of(rows.shape)
    below = dark[part] if isinstance(dark, np.ndarray) else dark
    return float((rows[part] - below).mean(dtype=np.float64))
