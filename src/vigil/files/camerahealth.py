"""Cameras' health through the years, out of the darks and bias frames in folders."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from vigil.calibration.health import health_of
from vigil.files.fits import BadFrame, read_frame, read_header
from vigil.files.madeframes import made_files
from vigil.levels.matching import Made

_LEAST_S = 30.0
_MOST = 60
_LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class DarkDay:
    """What a day's darks of one temperature and gain tell."""

    at: datetime
    camera: str
    temperature_c: float | None
    gain: int | None
    dark_e_s: float
    hot_share: float


def camera_health(folders: Iterable[Path], electrons_per_adu: float) -> list[DarkDay]:
    """In order of time, the newest sixty. Of each day, temperature and gain its longest dark is looked at,
    against the nearest bias frames with its settings; those without a bias are left out. The header's `EGAIN`
    comes before `electrons_per_adu`."""
    every = [(path, made) for path, made in made_files(folders) if made.kind in ("dark", "bias")]
    biases = [(path, made) for path, made in every if made.kind == "bias"]
    longest: dict[tuple[object, ...], tuple[Path, Made]] = {}
    for path, made in every:
        if made.kind != "dark" or made.at is None or (made.exposure_s or 0.0) < _LEAST_S:
            continue
        cold = None if made.temperature_c is None else round(made.temperature_c)
        key = made.at.date(), made.camera, cold, made.gain, made.binning
        if key not in longest or (longest[key][1].exposure_s or 0.0) < (made.exposure_s or 0.0):
            longest[key] = path, made
    found = []
    for path, made in sorted(longest.values(), key=lambda pair: _when(pair[1]))[-_MOST:]:
        zero = _zero_adu(made, biases)
        if zero is None:
            continue
        try:
            frame = read_frame(path)
        except BadFrame:
            continue
        gain = read_header(path).get("EGAIN")
        each = float(gain) if isinstance(gain, int | float) and gain > 0 else electrons_per_adu
        health = health_of(frame.image, zero, each, made.exposure_s or 1.0)
        found.append(
            DarkDay(
                _when(made), made.camera, made.temperature_c, made.gain, health.dark_e_s, health.hot_share
            )
        )
    return found


def _zero_adu(dark: Made, biases: list[tuple[Path, Made]]) -> float | None:
    """The mean level of the bias frame nearest in time with a dark's camera and settings."""
    alike = [
        (path, made)
        for path, made in biases
        if (made.camera, made.gain, made.offset, made.binning)
        == (dark.camera, dark.gain, dark.offset, dark.binning)
    ]
    for path, _ in sorted(alike, key=lambda pair: abs(_when(pair[1]) - _when(dark))):
        try:
            image = read_frame(path).image
        except BadFrame:
            continue
        return float(np.mean(image[image < np.percentile(image, 99.9)]))
    return None


def _when(made: Made) -> datetime:
    if made.at is None:
        return _LONG_AGO
    return made.at if made.at.tzinfo else made.at.replace(tzinfo=UTC)
