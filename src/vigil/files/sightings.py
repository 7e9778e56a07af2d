"""Frames from anywhere as sightings for the polar axis: when and where by their headers, what they show by
solving them."""

import contextlib
import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from vigil.files.fits import BadFrame
from vigil.files.hints import NoHint, header_position, header_scale
from vigil.files.pictures import read_picture
from vigil.files.solver import Search, solve_picture
from vigil.polar.attitude import Sighting
from vigil.sky.site import Site, standard_pressure_hpa
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import Solution
from vigil.solving.wcs import Wcs

_WITHIN_DEG, _BROADER = 12.0, 1.4
_SOLVED_ARCSEC, _AIR_ARCSEC = 0.15, 0.7
"""What a centre is off at least: by the catalogue, and by the air that moves all stars of a short exposure
alike, in a guide scope as much as this."""
_LEVER = 0.35
"""Of the field's shorter side: how far from the middle stars stand in the mean."""


@dataclass(frozen=True, slots=True)
class Sighted:
    """A frame that was solved; or `reason`, why it wasn't."""

    path: Path
    sighting: Sighting | None
    wcs: Wcs | None
    stars: int
    reason: str


def sighting_of(solution: Solution, wcs: Wcs, at: datetime) -> Sighting:
    """Of a frame whose middle was then: how well its centre and its turn are known follows from its stars."""
    rms = solution.rms_arcsec if math.isfinite(solution.rms_arcsec) else 1.0
    each = rms / math.sqrt(max(solution.stars_matched, 1))
    return Sighting(
        at,
        wcs.ra_deg,
        wcs.dec_deg,
        wcs.position_angle_deg,
        math.hypot(each, _SOLVED_ARCSEC, _AIR_ARCSEC),
        math.hypot(each, _SOLVED_ARCSEC) / math.radians(_LEVER * min(wcs.field_deg)),
    )


def site_of(header: dict[str, Any]) -> Site | None:
    """Where a frame was taken, with the standard air of that height; None where its header doesn't say.
    Raises ValueError for what can't be."""
    try:
        latitude, longitude = float(header["SITELAT"]), float(header["SITELONG"])
    except KeyError:
        return None
    height_m = float(header.get("SITEELEV", 0.0))
    return Site(latitude, longitude, height_m, standard_pressure_hpa(height_m))


def middle_of(header: dict[str, Any], path: Path) -> datetime:
    """Of the exposure, by DATE-OBS (UTC, its start) and EXPTIME. Raises BadFrame."""
    try:
        began = datetime.fromisoformat(str(header["DATE-OBS"]).rstrip("Z"))
        return began.replace(tzinfo=UTC) + timedelta(seconds=float(header["EXPTIME"]) / 2)
    except KeyError as missing:
        raise BadFrame(f"{path}: its header has no {missing.args[0]}") from None
    except ValueError as problem:
        raise BadFrame(f"{path}: DATE-OBS and EXPTIME can't be used ({problem})") from None


def sighted(path: Path, cache: Path | None = None, own: Path | None = None) -> Sighted:
    """Solved near the header's position, which close to a pole may be ten degrees off, then anywhere if the
    sky table is there; by the header's scale. Raises BadFrame for a file that can't be used."""
    picture = read_picture(path)
    at = middle_of(picture.header, path)
    rows, columns = picture.mono.shape
    try:
        low, high = header_scale(picture.header)
    except NoHint as problem:
        raise BadFrame(f"{path}: {problem}") from None
    side_deg = min(rows, columns) * math.sqrt(low * high) / 3600
    hint = None
    with contextlib.suppress(NoHint):
        hint = Hint(*header_position(picture.header), low, high, _WITHIN_DEG)
    blind = Breadth(side_deg / _BROADER, side_deg * _BROADER) if cache is not None else None
    if hint is None and blind is None:
        raise BadFrame(f"{path}: its header has no position, and the table for blind solving isn't made")
    found = solve_picture(picture.mono, Search(hint, blind, cache, own)).solution
    if found.wcs is None:
        return Sighted(path, None, None, found.stars_detected, found.reason)
    wcs = found.wcs
    sighting = sighting_of(found, wcs, at)
    return Sighted(path, sighting, wcs, found.stars_matched, "")
