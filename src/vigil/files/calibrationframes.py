"""Which calibration frames there are, by their headers."""

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

_KINDS = {"dark": "dark", "flat": "flat", "bias": "bias", "dark flat": "dark flat", "darkflat": "dark flat"}


@dataclass(frozen=True, slots=True)
class CalibrationFrame:
    """One of them: `kind` is "dark", "flat", "bias" or "dark flat"; what its header doesn't say is None."""

    kind: str
    filter: str
    exposure_s: float | None
    gain: int | None
    offset: int | None
    binning: int | None
    temperature_c: float | None


def calibration_frames(folder: Path) -> tuple[CalibrationFrame, ...]:
    """Those in a folder and the folders in it; files that can't be read are passed over."""
    paths = sorted(folder.rglob("*.fits"))
    if not paths:
        return ()
    # imported here: what reads FITS takes its time to import, and the window's first picture needs none
    from vigil.files.fits import BadFrame, read_header

    found = []
    for path in paths:
        try:
            frame = _from_header(read_header(path))
        except (BadFrame, OSError):
            continue
        found += [frame] if frame is not None else []
    return tuple(found)


def _from_header(header: dict[str, Any]) -> CalibrationFrame | None:
    kind = _KINDS.get(str(header.get("IMAGETYP", "")).strip().casefold().removesuffix(" frame"))
    if kind is None:
        return None
    return CalibrationFrame(
        kind,
        str(header.get("FILTER", "")).strip(),
        _number(header, ("EXPTIME", "EXPOSURE")),
        _whole(header, "GAIN"),
        _whole(header, "OFFSET"),
        _whole(header, "XBINNING"),
        _number(header, ("CCD-TEMP", "SET-TEMP")),
    )


def _number(header: dict[str, Any], names: Iterable[str]) -> float | None:
    values = (header.get(name) for name in names)
    return next((float(v) for v in values if isinstance(v, int | float) and not isinstance(v, bool)), None)


def _whole(header: dict[str, Any], name: str) -> int | None:
    value = _number(header, (name,))
    return None if value is None else round(value)
