"""From a framing to panels, plan blocks, hours and bytes."""

import math
import re
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass

import numpy as np

from vigil.documents.ids import unused
from vigil.documents.plan import Block, ExposureLine, Span, Target
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed, Framing
from vigil.files.deepsky import entry_named
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import Mosaic, mosaic, strip_between
from vigil.planning.overheads import usual_overheads
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

_FITS_BYTES_A_PIXEL = 2
# a name counts as disagreeing with its coordinates beyond this, or the object's own half size
_SAME_DEG = 0.25
# fewer stars than this in common make it hard to put panels together
FEW_STARS = 30


@dataclass(frozen=True, slots=True)
class Cost:
    """What a framing takes: `panel_h` hours a panel with overheads, `panels_tonight` that fit into a night of
    `night_h`, `nights` in all; `pixels` of the finished mosaic, `bytes` of all frames."""

    exposure_h: float
    panel_h: float
    panels: int
    panels_tonight: int
    nights: int | None
    pixels: tuple[int, int]
    bytes: int


def frame_of(framing: Framing, field_deg: tuple[float, float]) -> Footprint:
    """The sensor at the framing's centre and angle. `field_deg` is what its sides subtend."""
    return Footprint(framing.ra_deg, framing.dec_deg, framing.position_angle_deg, *field_deg)


def mosaic_of(framing: Framing, field_deg: tuple[float, float]) -> Mosaic:
    """The panels of a framing. Raises ValueError for one that can't be made."""
    centre, overlap = frame_of(framing, field_deg), framing.overlap_percent / 100
    return mosaic(centre, framing.columns, framing.rows, overlap, framing.follow_sphere)


def field_of_framed(framed: Framed, otherwise_deg: tuple[float, float]) -> tuple[float, float]:
    """The field that it was framed for."""
    width, height = framed.field_width_deg, framed.field_height_deg
    return (width, height) if width and height else otherwise_deg


def blocks_of(
    framed: Framed,
    field_deg: tuple[float, float],
    used_ids: Collection[str],
    span: Span | None = None,
    taken: Callable[[str, str], int] = lambda target, filter_name: 0,
    otherwise: Iterable[ExposureLine] = (),
    at_angle: bool = True,
) -> list[Block]:
    """A plan's blocks, one a panel in its order, with what is still to be taken: `taken` says how many
    frames there are of a target through a filter. Panels that are done are left out. `otherwise` are lines
    for a target that has none; without `at_angle` the camera is left as it stands."""
    made = mosaic_of(framed.framing, field_deg)
    ids = set(used_ids)
    blocks = []
    for number in framed.in_order:
        foot = made.panels[number - 1].footprint
        name = framed.panel_name(number)
        lines = _left(framed.lines_of(number) or list(otherwise), name, taken)
        if not lines:
            continue
        stem = framed.id if framed.framing.count == 1 else f"{framed.id}-p{number}"
        block_id = unused(stem, ids)
        ids.add(block_id)
        blocks.append(
            Block(
                id=block_id,
                target=Target(
                    name=name,
                    ra_deg=foot.ra_deg,
                    dec_deg=foot.dec_deg,
                    position_angle_deg=foot.position_angle_deg if at_angle else None,
                ),
                span=span or Span(),
                lines=_with_ids(block_id, lines),
                set_point_c=framed.set_point_c,
            )
        )
    return blocks


COPIED = ("everything", "seconds of each filter", "how many of each filter")
"""What of a target's exposure lines can be copied to a panel that has its own."""


def copied(lines: list[ExposureLine], own: list[ExposureLine] | None, what: str) -> list[ExposureLine] | None:
    """A panel's own lines once the target's are copied to it; None where it follows the target's. Copied by
    filter: a panel's line through another filter stays as it is."""
    if own is None or what == COPIED[0]:
        return None
    field = "exposure_s" if what == COPIED[1] else "count"
    by_filter = {line.filter: getattr(line, field) for line in reversed(lines)}
    return [line.model_copy(update={field: by_filter.get(line.filter, getattr(line, field))}) for line in own]


def numbers_of(text: str, count: int) -> list[int]:
    """Panels from "2, 4-6", or all of them from nothing or "all". Raises ValueError."""
    if text.strip().casefold() in ("", "all", "all panels"):
        return list(range(1, count + 1))
    found: set[int] = set()
    for piece in text.replace("–", "-").split(","):
        ends = re.fullmatch(r"\s*(\d+)\s*(?:-\s*(\d+)\s*)?", piece)
        if ends is None:
            raise ValueError(f"{piece.strip()!r} is no panel; write numbers as 2, 4-6, or all")
        first, last = int(ends[1]), int(ends[2] or ends[1])
        if not 1 <= first <= last <= count:
            raise ValueError(f"there is no panel {piece.strip()}; they are numbered 1 to {count}")
        found.update(range(first, last + 1))
    return sorted(found)


def _with_ids(block_id: str, lines: list[ExposureLine]) -> list[ExposureLine]:
    """Ids by their filters: frames count by them."""
    made: list[ExposureLine] = []
    for line in lines:
        own = unused(f"{block_id}-{line.filter.casefold() or 'plain'}", {x.id for x in made})
        made.append(line.model_copy(update={"id": own}))
    return made


def _left(lines: list[ExposureLine], name: str, taken: Callable[[str, str], int]) -> list[ExposureLine]:
    """The lines less what there is of them: several lines through one filter share what was taken."""
    there: dict[str, int] = {}
    left = []
    for line in lines:
        have = there.setdefault(line.filter, taken(name, line.filter))
        used = min(have, line.count)
        there[line.filter] = have - used
        if line.count > used:
            left.append(line.model_copy(update={"count": line.count - used}))
    return left


def cost_of(framed: Framed, made: Mosaic, rig: Rig, night_h: float) -> Cost:
    """Hours, nights, pixels and bytes; overheads as the rig's document has them: a slew, a centring and a
    focus run a panel, a filter change a line, readout a frame."""
    takes = usual_overheads(rig)
    readout_s = rig.readout_s() if rig.camera else 0.0
    exposure_s = panel_s = frames = 0.0
    numbers = framed.in_order
    for number in numbers:
        lines = framed.lines_of(number)
        own_s = sum(line.count * line.exposure_s for line in lines)
        own_frames = sum(line.count for line in lines)
        exposure_s += own_s
        frames += own_frames
        if lines:
            panel_s += own_s + own_frames * readout_s + takes.slew_s + takes.centre_s + takes.focus_s
            panel_s += takes.filter_s * len(lines)
    each_h = panel_s / 3600 / max(len(numbers), 1)
    tonight = int(night_h / each_h) if each_h > 0 else 0
    nights = None
    if each_h > 0 and night_h > 0:
        # a panel longer than a night goes on in the next
        nights = math.ceil(len(numbers) / tonight) if tonight else math.ceil(panel_s / 3600 / night_h)
    width, height = made.size_deg()
    scale = rig.scale_arcsec_px() if rig.frames_sky else 1.0
    one = math.prod(rig.field_px()) if rig.camera else 0
    return Cost(
        exposure_s / 3600,
        each_h,
        len(numbers),
        tonight,
        nights,
        (round(3600 * width / scale), round(3600 * height / scale)),
        int(frames * one * _FITS_BYTES_A_PIXEL),
    )


def stars_in_strips(made: Mosaic, stars: SkyStars) -> tuple[int, int] | None:
    """The fewest and the most stars that two neighbours both see; None for a single panel."""
    counts = [
        int(np.count_nonzero(strip_between(one, other, stars.ra_deg, stars.dec_deg)))
        for one, other in made.neighbours()
    ]
    return (min(counts), max(counts)) if counts else None


def disagreement(name: str, ra_deg: float, dec_deg: float) -> str | None:
    """Says so when a name is a catalogue object's that lies elsewhere; None when they agree or it is no such
    name. Leftovers in headers and lists are often wrong."""
    entry = entry_named(name)
    if entry is None:
        return None
    away = float(separation_deg(ra_deg, dec_deg, entry.ra_deg, entry.dec_deg))
    if away <= max(_SAME_DEG, entry.major_arcmin / 120):
        return None
    return f"{name} lies {away:.1f}° from these coordinates: one of the two is wrong"
