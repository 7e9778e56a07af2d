"""`vigil solve`: what piece of sky frames show."""

import argparse
import json
import math
import sys
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.engine.measuring import SolvedImage, solve_image
from vigil.files.fits import BadFrame, read_frame, write_wcs
from vigil.optics.train import image_scale_arcsec_px
from vigil.sky.angles import format_dec, format_ra, parse_dec_deg, parse_position_deg, parse_ra_deg
from vigil.solving.near import Hint

_HEADER_SCALE_TOLERANCE = 0.12


class NoHint(ValueError):
    """Neither the call nor the header says where to look or how large the image is."""


def run(args: argparse.Namespace) -> int:
    """0 all solved, 3 some not, 2 some can't be read or the call is wrong."""
    near = _near(args.near)
    scale = _scale(args.scale)
    if not 0 < args.within <= 30:
        raise BadInput(f"--within {args.within:g}: above 0 and at most 30 degrees")
    status = OK
    for name in args.files:
        path = Path(name)
        try:
            frame = read_frame(path)
            values = _solve(frame.image, frame.header, near, scale, args, path)
        except BadFrame as problem:
            print(f"vigil: {problem}", file=sys.stderr)
            status = BAD_INPUT
            continue
        except OSError as problem:
            print(f"vigil: {path}: the solution can't be written ({problem.strerror})", file=sys.stderr)
            status = BAD_INPUT
            continue
        print(json.dumps(values) if args.json else _in_words(values), flush=True)
        if not values["solved"] and status == OK:
            status = NOT_ALL
    return status


def _near(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        return parse_position_deg(text)
    except ValueError as problem:
        raise BadInput(f"--near: {problem}") from None


def _scale(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        low, high = (float(part) for part in text.split(".."))
    except ValueError:
        raise BadInput(f"--scale {text!r}: write MIN..MAX in arc-seconds a pixel, as 1.4..1.8") from None
    if not 0 < low <= high:
        raise BadInput(f"--scale {text!r}: both above 0, the smaller one first")
    return low, high


def _solve(
    image: Any,
    header: dict[str, Any],
    near: tuple[float, float] | None,
    scale: tuple[float, float] | None,
    args: argparse.Namespace,
    path: Path,
) -> dict[str, Any]:
    try:
        position = near or header_position(header)
        low, high = scale or header_scale(header)
    except NoHint as problem:
        return _values(path, None, str(problem))
    solved = solve_image(image, Hint(*position, low, high, args.within))
    if args.write and solved.solution.wcs is not None:
        write_wcs(path, solved.solution.wcs)
    return _values(path, solved, solved.solution.reason)


def header_position(header: dict[str, Any]) -> tuple[float, float]:
    """ICRS degrees from RA and DEC, numbers in degrees or sexagesimal text. Raises NoHint."""
    try:
        ra, dec = header["RA"], header["DEC"]
        if isinstance(ra, str) or isinstance(dec, str):
            return parse_ra_deg(str(ra)), parse_dec_deg(str(dec))
        if not (0 <= ra <= 360 and -90 <= dec <= 90):
            raise ValueError(f"RA {ra}, DEC {dec} are not degrees on the sky")
        return float(ra), float(dec)
    except KeyError as missing:
        raise NoHint(f'the header has no {missing.args[0]}: say where to look with --near "RA DEC"') from None
    except ValueError as problem:
        raise NoHint(f'{problem}: say where to look with --near "RA DEC"') from None


def header_scale(header: dict[str, Any]) -> tuple[float, float]:
    """Scale limits from FOCALLEN, XPIXSZ (unbinned) and XBINNING. Raises NoHint."""
    try:
        focal_length_mm, pixel_um = float(header["FOCALLEN"]), float(header["XPIXSZ"])
        binning = int(header.get("XBINNING", 1))
        if not (focal_length_mm > 0 and pixel_um > 0 and binning > 0):
            raise ValueError("FOCALLEN, XPIXSZ and XBINNING must be above 0")
    except KeyError as missing:
        raise NoHint(f"the header has no {missing.args[0]}: give the scale with --scale MIN..MAX") from None
    except (ValueError, TypeError) as problem:
        raise NoHint(f"the header's scale can't be used ({problem}): give --scale MIN..MAX") from None
    scale = image_scale_arcsec_px(focal_length_mm, pixel_um, binning)
    return scale * (1 - _HEADER_SCALE_TOLERANCE), scale * (1 + _HEADER_SCALE_TOLERANCE)


def _values(path: Path, solved: SolvedImage | None, reason: str) -> dict[str, Any]:
    solution = solved.solution if solved else None
    wcs = solution.wcs if solution else None
    rms = solution.rms_arcsec if solution else math.nan
    return {
        "file": str(path),
        "solved": wcs is not None,
        "ra_deg": wcs.ra_deg if wcs else None,
        "dec_deg": wcs.dec_deg if wcs else None,
        "scale_arcsec_px": wcs.scale_arcsec_px if wcs else None,
        "position_angle_deg": wcs.position_angle_deg if wcs else None,
        "mirrored": wcs.mirrored if wcs else None,
        "stars_detected": solution.stars_detected if solution else 0,
        "stars_matched": solution.stars_matched if solution else 0,
        "rms_arcsec": None if math.isnan(rms) else rms,
        "chance_log10": solution.chance_log10 if solution else None,
        "reason": reason,
        "detect_s": round(solved.detect_s, 4) if solved else 0.0,
        "match_s": round(solved.match_s, 4) if solved else 0.0,
    }


def _in_words(values: dict[str, Any]) -> str:
    if not values["solved"]:
        return f"{values['file']}: not solved: {values['reason']}"
    mirrored = ", mirrored" if values["mirrored"] else ""
    return (
        f"{values['file']}: {format_ra(values['ra_deg'], 1)} {format_dec(values['dec_deg'])} (ICRS), "
        f"{values['scale_arcsec_px']:.4f}″/px, position angle {values['position_angle_deg']:.2f}°{mirrored}; "
        f"{values['reason']}"
    )
