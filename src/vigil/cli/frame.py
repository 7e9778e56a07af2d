"""`vigil frame`: panels of a target or a position, as they will be sent."""

import argparse
import json
from datetime import datetime
from typing import Any

from vigil.cli import OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.targets import night_wanted
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed, Framing
from vigil.files.deepsky import DeepSkyObject, UnknownObject, find_object
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import least_overlap, panels_to_cover
from vigil.planning.framing import cost_of, mosaic_of
from vigil.planning.offer import field_of
from vigil.planning.shelfcsv import parse_lines
from vigil.planning.tonight import tonight
from vigil.sky.angles import format_dec, format_ra
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken


def run(args: argparse.Namespace) -> int:
    """0 done; bad input when the target isn't known or the mosaic can't be made."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if not rig.frames_sky:
        raise BadInput(f"{rig.name} has no telescope or no camera: nothing to frame with")
    at = night_wanted(args.night, rig)
    name, ra, dec, entry = target_wanted(args.target, at)
    field = field_of(rig)
    try:
        framing = _framing(args, ra, dec, entry, field)
        made = mosaic_of(framing, field)
        lines = parse_lines(args.lines or "", rig)
    except ValueError as problem:
        raise BadInput(str(problem)) from None
    framed = Framed(id="asked", name=name, framing=framing, lines=lines)
    if args.keep:
        from vigil.cli.shelf import keep

        keep(framed.model_copy(update={"field_width_deg": field[0], "field_height_deg": field[1]}))
    cost = cost_of(framed, made, rig, tonight(ra, dec, rig, at).usable_h)
    panels = [
        {
            "number": panel.number,
            "ra_deg": panel.footprint.ra_deg,
            "dec_deg": panel.footprint.dec_deg,
            "position_angle_deg": panel.footprint.position_angle_deg,
            "corners": [list(corner) for corner in panel.footprint.corners()],
        }
        for panel in made.panels
    ]
    width, height = made.size_deg()
    values: dict[str, Any] = {
        "target": name,
        "rig": rig.name,
        "ra_deg": ra,
        "dec_deg": dec,
        "position_angle_deg": framing.position_angle_deg,
        "columns": framing.columns,
        "rows": framing.rows,
        "overlap_percent": framing.overlap_percent,
        "least_overlap_percent": None if (least := least_overlap(made)) is None else round(100 * least, 3),
        "field_deg": list(field),
        "size_deg": [width, height],
        "size_px": list(cost.pixels),
        "outline": [list(corner) for corner in made.outline],
        "panel_h": round(cost.panel_h, 3) if lines else None,
        "panels_a_night": cost.panels_tonight if lines else None,
        "nights": cost.nights if lines else None,
        "bytes": cost.bytes if lines else None,
        "panels": panels,
    }
    print(json.dumps(values) if args.json else _in_words(values))
    return OK


def target_wanted(text: str, at: datetime) -> tuple[str, float, float, DeepSkyObject | None]:
    """Name, ICRS degrees and the catalogue's entry of a target's name or a position. Raises BadInput."""
    if looks_like_position(text):
        try:
            spoken = parse_spoken(text, from_datetimes(at))
        except ValueError as problem:
            raise BadInput(str(problem)) from None
        return f"{format_ra(spoken.ra_deg)} {format_dec(spoken.dec_deg)}", spoken.ra_deg, spoken.dec_deg, None
    try:
        entry = find_object(text)
    except UnknownObject as problem:
        raise BadInput(str(problem)) from None
    return entry.name, entry.ra_deg, entry.dec_deg, entry


def _framing(
    args: argparse.Namespace, ra: float, dec: float, entry: DeepSkyObject | None, field: tuple[float, float]
) -> Framing:
    angle = args.angle
    if angle is None:
        angle = entry.position_angle_deg or 0.0 if entry and args.cover else 0.0
    columns, rows = args.columns, args.rows
    if args.cover:
        if entry is None or entry.major_arcmin <= 0:
            raise ValueError("--cover needs an object whose size the catalogue knows")
        minor = entry.minor_arcmin or entry.major_arcmin
        columns, rows = panels_to_cover(
            Footprint(ra, dec, angle % 360, *field),
            entry.major_arcmin / 60,
            minor / 60,
            entry.position_angle_deg or 0.0,
            args.overlap / 100,
        )
    if max(columns, rows) > 10:
        raise ValueError(f"{columns} × {rows} panels would cover it: 10 each way are the most")
    return Framing(
        ra_deg=ra % 360,
        dec_deg=dec,
        position_angle_deg=angle % 360,
        columns=columns,
        rows=rows,
        overlap_percent=args.overlap,
        follow_sphere=args.follow_sphere,
    )


def _in_words(values: dict[str, Any]) -> str:
    width, height = values["size_deg"]
    lines = [
        f"{values['target']} with {values['rig']}: {values['columns']} × {values['rows']} panels at "
        f"{values['position_angle_deg']:.1f}°, {width:.2f}° × {height:.2f}°, "
        f"{values['size_px'][0]} × {values['size_px'][1]} px"
    ]
    if values["least_overlap_percent"] is not None:
        lines[0] += f", neighbours overlap by {values['least_overlap_percent']:.1f} % or more"
    for panel in values["panels"]:
        # an angle a hair under 360° is north
        lines.append(
            f"{panel['number']:3d}  {format_ra(panel['ra_deg'], 1)}  {format_dec(panel['dec_deg'])}  "
            f"{round(panel['position_angle_deg'], 2) % 360:6.2f}°"
        )
    if values["panel_h"] is not None:
        count = values["nights"]
        nights = "never fits" if count is None else f"{count} night{'s' if count != 1 else ''}"
        lines.append(
            f"{values['panel_h']:.1f} h a panel, {values['panels_a_night']} a night like this, {nights}, "
            f"{values['bytes'] / 1e9:.1f} GB"
        )
    return "\n".join(lines)
