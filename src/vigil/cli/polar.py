"""`vigil polar`: where a mount's axis points, out of frames or out of drift."""

import argparse
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.files.fits import BadFrame
from vigil.files.guidecsv import read_guide_record
from vigil.files.pictures import read_picture
from vigil.files.sightings import Sighted, sighted, site_of
from vigil.files.skytable import has_table
from vigil.guiding.record import BadRecord
from vigil.polar.axis import Axis, NoAxis, axis_of
from vigil.polar.drift import NoDrift, drift_of
from vigil.polar.error import PolarError, refracted_pole_deg, told_error, true_pole_deg
from vigil.runtime.folders import cache_folder, own_catalogue_folder
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site, standard_pressure_hpa

_SEA_LEVEL_HPA, _WITHIN_ARCMIN = 1010.0, 0.5
_WAYS = {"azimuth": ("west", "east"), "altitude": ("too low", "too high")}


def run(args: argparse.Namespace) -> int:
    """0: the axis is told; 3: it can't be, with the reason; 2: bad input."""
    if args.action in ("measure", "watch", "place", "back", "log"):
        if args.files:
            raise BadInput(f"{args.action}: {args.files[0]!r} is one word too many")
        from vigil.cli.polarbench import on_the_polar_bench

        return on_the_polar_bench(args)
    if not args.files:
        raise BadInput(f"{args.action}: which files?")
    return _drift(args) if args.action == "drift" else _solve(args)


def _solve(args: argparse.Namespace) -> int:
    paths = [Path(name) for name in args.files]
    if not 2 <= len(paths) <= 3:
        raise BadInput(f"{len(paths)} frames: the axis takes two, better three")
    table = cache_folder() if has_table(cache_folder()) else None
    try:
        site = _site(args, paths[0])
        found = [sighted(path, table, own_catalogue_folder()) for path in paths]
    except (BadFrame, ValueError) as problem:
        raise BadInput(str(problem)) from None
    sightings = [one.sighting for one in found if one.sighting is not None]
    reasons = [f"{one.path}: not solved: {one.reason}" for one in found if one.sighting is None]
    axis: Axis | None = None
    if not reasons:
        try:
            axis = axis_of(sightings, site)
        except NoAxis as problem:
            reasons.append(str(problem))
    told = _values(found, axis, site, "; ".join(reasons))
    print(json.dumps(told) if args.json else _in_words(told, axis, site))
    return OK if axis is not None else NOT_ALL


def _drift(args: argparse.Namespace) -> int:
    """Of one record."""
    if len(args.files) != 1:
        raise BadInput(f"{len(args.files)} records: drift takes one")
    for option in ("axis", "latitude", "declination", "hour_angle"):
        if getattr(args, option) is None:
            raise BadInput(f"drift needs --{option.replace('_', '-')}")
    try:
        record = read_guide_record(Path(args.files[0]))
        found = drift_of(
            record.dec.at_s,
            record.dec.uncorrected_arcsec(),
            args.axis,
            args.latitude,
            args.hour_angle,
            args.declination,
            _SEA_LEVEL_HPA if args.pressure is None else args.pressure,
            args.within or _WITHIN_ARCMIN,
        )
    except (BadRecord, NoDrift) as problem:
        raise BadInput(f"{args.files[0]}: {problem}") from None
    low, high = found.interval_95
    told = {
        "error_arcmin": round(found.error_arcmin, 3),
        "interval_95": [round(low, 3), round(high, 3)],
        "rate_arcsec_min": round(found.rate_arcsec_min, 4),
        "enough": found.enough,
        "seconds_more": round(found.seconds_more, 1),
    }
    way = _WAYS[args.axis][found.error_arcmin > 0]
    more = "" if found.enough else f"; enough in about {found.seconds_more:.0f} s"
    said = f"{args.axis} {abs(found.error_arcmin):.1f}′ ± {(high - low) / 2:.1f}′ {way}{more}"
    print(json.dumps(told) if args.json else said)
    return OK


def _site(args: argparse.Namespace, first: Path) -> Site:
    """As it was asked for, else by the first frame's header."""
    if args.site:
        try:
            latitude, longitude, *height = (float(part) for part in args.site.replace(",", " ").split())
        except ValueError:
            raise BadInput(
                f'--site {args.site!r}: write "LAT LON [HEIGHT_M]" in degrees, + north, + east'
            ) from None
        height_m = height[0] if height else 0.0
        site = Site(latitude, longitude, height_m, standard_pressure_hpa(height_m))
    else:
        known = site_of(read_picture(first).header)
        if known is None:
            raise BadInput(f'{first}: its header says no site (SITELAT, SITELONG): give --site "LAT LON"')
        site = known
    if args.pressure is not None:
        site = replace(site, pressure_hpa=args.pressure)
    return replace(site, temperature_c=args.temperature) if args.temperature is not None else site


def _values(found: list[Sighted], axis: Axis | None, site: Site, reason: str) -> dict[str, Any]:
    told: dict[str, Any] = {
        "solved": axis is not None,
        "reason": reason,
        "frames": [
            {
                "file": str(one.path),
                "at": one.sighting.at.isoformat() if one.sighting else None,
                "ra_deg": one.wcs.ra_deg if one.wcs else None,
                "dec_deg": one.wcs.dec_deg if one.wcs else None,
                "position_angle_deg": one.wcs.position_angle_deg if one.wcs else None,
                "stars": one.stars,
            }
            for one in found
        ],
    }
    if axis is None:
        return told
    at = next(one.sighting.at for one in found if one.sighting is not None)
    against_true = told_error(axis, true_pole_deg(site), site)
    against_seen = told_error(axis, refracted_pole_deg(site, from_datetimes(at)), site)
    return {
        **told,
        **_error(against_true),
        "refracted": _error(against_seen),
        "turns_deg": [round(turn, 4) for turn in axis.turns_deg],
        "agrees": axis.fits,
    }


def _error(error: PolarError) -> dict[str, Any]:
    return {
        "altitude_error_arcmin": round(error.altitude_arcmin, 3),
        "azimuth_error_arcmin": round(error.azimuth_arcmin, 3),
        "total_arcmin": round(error.total_arcmin, 3),
        "sigma_arcmin": {
            "altitude": round(error.sigma_altitude_arcmin, 3),
            "azimuth": round(error.sigma_azimuth_arcmin, 3),
        },
    }


def _in_words(told: dict[str, Any], axis: Axis | None, site: Site) -> str:
    if axis is None:
        return f"no axis: {told['reason']}"
    error = told_error(axis, true_pole_deg(site), site)
    high = "too high" if error.altitude_arcmin > 0 else "too low"
    side = "east" if error.azimuth_arcmin > 0 else "west"
    lines = [
        f"the axis is {abs(error.altitude_arcmin):.1f}′ ± {error.sigma_altitude_arcmin:.1f}′ {high} and "
        f"{abs(error.azimuth_arcmin):.1f}′ ± {error.sigma_azimuth_arcmin:.1f}′ {side} of the pole, "
        f"{error.total_arcmin:.1f}′ in all",
        f"the mount turned by {', '.join(f'{turn:.1f}°' for turn in axis.turns_deg)} between the frames",
    ]
    if not axis.fits:
        lines.append("the frames don't agree with one axis: was the mount touched, or did declination move?")
    return "\n".join(lines)
