"""`vigil solve`: what piece of sky pictures show."""

import argparse
import json
import math
import os
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.files.fits import BadFrame, write_wcs
from vigil.files.hints import NoHint, header_position, header_scale
from vigil.files.pictures import read_picture
from vigil.files.skytable import has_table
from vigil.files.solver import Search, Solved, solve_picture
from vigil.runtime.folders import cache_folder, own_catalogue_folder
from vigil.sky.angles import format_dec, format_ra, parse_position_deg
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint


@dataclass(frozen=True, slots=True)
class _Order:
    """What was asked for, for all files."""

    near: tuple[float, float] | None
    scale: tuple[float, float] | None
    within_deg: float
    blind: bool
    breadth: Breadth
    write: bool
    residuals: bool


def run(args: argparse.Namespace) -> int:
    """0 all solved, 3 some not, 2 some can't be read or the call is wrong."""
    order = _Order(
        _near(args.near),
        _scale(args.scale),
        args.within,
        args.blind,
        _breadth(args.field),
        args.write,
        args.residuals,
    )
    if not 0 < args.within <= 30:
        raise BadInput(f"--within {args.within:g}: above 0 and at most 30 degrees")
    if order.blind and not has_table(cache_folder()):
        from vigil.cli.ready import make_with_progress

        make_with_progress()
    status = OK
    for values in _solve_all([Path(name) for name in args.files], order, args.jobs):
        if "error" in values:
            print(f"vigil: {values['error']}", file=sys.stderr)
            status = BAD_INPUT
            continue
        print(json.dumps(values) if args.json else _in_words(values), flush=True)
        if not values["solved"] and status == OK:
            status = NOT_ALL
    return status


def _solve_all(paths: list[Path], order: _Order, jobs: int | None) -> Iterator[dict[str, Any]]:
    """In the order of the files; several at a time where there are several."""
    processes = min(len(paths), jobs or os.cpu_count() or 1)
    if processes <= 1:
        yield from (_solve_file(path, order) for path in paths)
        return
    with ProcessPoolExecutor(processes, mp_context=get_context("spawn")) as pool:
        yield from pool.map(_solve_file, paths, [order] * len(paths))


def _solve_file(path: Path, order: _Order) -> dict[str, Any]:
    try:
        picture = read_picture(path)
        search = _search(picture.header, order)
        solved = solve_picture(picture.mono, search)
        if order.write and solved.solution.wcs is not None:
            if not picture.fits:
                raise BadFrame(f"{path}: a solution can be written into FITS files only")
            write_wcs(path, solved.solution.wcs)
    except NoHint as problem:
        return _values(path, None, str(problem), order)
    except BadFrame as problem:
        return {"error": str(problem)}
    except ValueError as problem:
        return {"error": f"{path}: {problem}"}
    except OSError as problem:
        return {"error": f"{path}: the solution can't be written ({problem.strerror})"}
    return _values(path, solved, solved.solution.reason, order)


def _search(header: dict[str, Any], order: _Order) -> Search:
    """Near where a position and a scale are known; blind as well, or alone, where that is allowed."""
    hint = None
    try:
        position = order.near or header_position(header)
        low, high = order.scale or header_scale(header)
        hint = Hint(*position, low, high, order.within_deg)
    except NoHint:
        if not order.blind:
            raise
    return Search(hint, order.breadth if order.blind else None, cache_folder(), own_catalogue_folder())


def _near(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        return parse_position_deg(text)
    except ValueError as problem:
        raise BadInput(f"--near: {problem}") from None


def _scale(text: str | None) -> tuple[float, float] | None:
    return _limits(text, "--scale", "in arc-seconds a pixel, as 1.4..1.8")


def _breadth(text: str | None) -> Breadth:
    limits = _limits(text, "--field", "in degrees, as 0.5..4")
    try:
        return Breadth(*limits) if limits else Breadth()
    except ValueError as problem:
        raise BadInput(f"--field: {problem}") from None


def _limits(text: str | None, option: str, right: str) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        low, high = (float(part) for part in text.split(".."))
    except ValueError:
        raise BadInput(f"{option} {text!r}: write MIN..MAX {right}") from None
    if not 0 < low <= high:
        raise BadInput(f"{option} {text!r}: both above 0, the smaller one first")
    return low, high


def _values(path: Path, solved: Solved | None, reason: str, order: _Order) -> dict[str, Any]:
    solution = solved.solution if solved else None
    wcs = solution.wcs if solution else None
    rms = solution.rms_arcsec if solution else math.nan
    values = {
        "file": str(path),
        "solved": wcs is not None,
        "method": solution.method if solution and wcs else None,
        "ra_deg": wcs.ra_deg if wcs else None,
        "dec_deg": wcs.dec_deg if wcs else None,
        "scale_arcsec_px": wcs.scale_arcsec_px if wcs else None,
        "position_angle_deg": wcs.position_angle_deg if wcs else None,
        "mirrored": wcs.mirrored if wcs else None,
        "field_deg": list(wcs.field_deg) if wcs else None,
        "corners": [list(corner) for corner in wcs.outline()] if wcs else None,
        "distortion_order": (wcs.sip.order if wcs.sip else 1) if wcs else None,
        "stars_detected": solution.stars_detected if solution else 0,
        "stars_matched": solution.stars_matched if solution else 0,
        "rms_arcsec": None if math.isnan(rms) else rms,
        "rms_px": solution.rms_px if solution and wcs else None,
        "chance_log10": solution.chance_log10 if solution else None,
        "reason": reason,
        "detect_s": round(solved.detect_s, 4) if solved else 0.0,
        "match_s": round(solved.match_s, 4) if solved else 0.0,
    }
    if order.residuals and solution and solution.matches:
        m = solution.matches
        columns = m.column_px, m.row_px, m.ra_deg, m.dec_deg, m.mag, m.dx_px, m.dy_px
        names = ("column_px", "row_px", "ra_deg", "dec_deg", "mag", "dx_px", "dy_px")
        values["matches"] = [
            dict(zip(names, (round(float(v), 6) for v in row), strict=True))
            for row in zip(*columns, strict=True)
        ]
    return values


def _in_words(values: dict[str, Any]) -> str:
    if not values["solved"]:
        return f"{values['file']}: not solved: {values['reason']}"
    mirrored = ", mirrored" if values["mirrored"] else ""
    method = ", found over the whole sky" if values["method"] == "blind" else ""
    return (
        f"{values['file']}: {format_ra(values['ra_deg'], 1)} {format_dec(values['dec_deg'])} (ICRS), "
        f"{values['scale_arcsec_px']:.4f}″/px, position angle {values['position_angle_deg']:.2f}°{mirrored}"
        f"{method}; {values['reason']}"
    )
