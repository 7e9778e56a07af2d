"""Frames in folders, by their headers, as what calibration is matched by."""

import math
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vigil.files.fits import read_header
from vigil.levels.matching import Kind, Made

_KINDS: dict[str, Kind] = {
    "light": "light", "object": "light", "science": "light",
    "dark": "dark", "flat": "flat", "flatfield": "flat", "flat field": "flat", "skyflat": "flat",
    "bias": "bias", "zero": "bias",
    "dark flat": "dark flat", "darkflat": "dark flat", "flat dark": "dark flat", "flatdark": "dark flat",
}  # fmt: skip
_ENDINGS = {".fits", ".fit", ".fts"}


def made_frames(folders: Iterable[Path]) -> Iterator[Made]:
    """Those that say what they are; others are passed over, and so are files that can't be read."""
    return (frame for _, frame in made_files(folders))


def made_files(folders: Iterable[Path]) -> Iterator[tuple[Path, Made]]:
    """The same with where they lie."""
    for folder in folders:
        paths = [folder] if folder.is_file() else sorted(folder.rglob("*"))
        for path in paths:
            if path.suffix.lower() in _ENDINGS and (frame := made_of(read_header(path))) is not None:
                yield path, frame


def made_of(header: dict[str, Any]) -> Made | None:
    """None where the header doesn't say what it is."""
    words = str(header.get("IMAGETYP", header.get("FRAME", ""))).strip().casefold()
    kind = _KINDS.get(words.removesuffix("frame").strip().replace("_", " ").replace("-", " "))
    if kind is None:
        return None
    camera = _text(header, "INSTRUME")
    length = _number(header, "FOCALLEN")
    train = ", ".join(
        part for part in (_text(header, "TELESCOP"), f"{length:g} mm" if length else "", camera) if part
    )
    return Made(
        kind=kind,
        target=_text(header, "OBJECT"),
        filter=_text(header, "FILTER"),
        exposure_s=_number(header, "EXPTIME", "EXPOSURE"),
        gain=_whole(header, "GAIN"),
        offset=_whole(header, "OFFSET"),
        binning=_whole(header, "XBINNING") or 1,
        temperature_c=_number(header, "SET-TEMP", "CCD-TEMP"),
        rotator_deg=_number(header, "ROTATANG", "ROTATOR"),
        focus_position=_whole(header, "FOCUSPOS"),
        camera=camera,
        train=train if _text(header, "TELESCOP") else "",
        source=_text(header, "FLATSRC"),
        panel_level=_whole(header, "FLATLEV"),
        ambient_c=_number(header, "AMBTEMP", "FOCTEMP"),
        at=_moment(header),
    )


def _text(header: dict[str, Any], name: str) -> str:
    return str(header.get(name, "") or "").strip()


def _number(header: dict[str, Any], *names: str) -> float | None:
    for name in names:
        value = header.get(name)
        if isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value):
            return float(value)
    return None


def _whole(header: dict[str, Any], name: str) -> int | None:
    value = _number(header, name)
    return None if value is None else round(value)


def _moment(header: dict[str, Any]) -> datetime | None:
    try:
        return datetime.fromisoformat(str(header.get("DATE-OBS", "")).rstrip("Z")).replace(tzinfo=UTC)
    except ValueError:
        return None
