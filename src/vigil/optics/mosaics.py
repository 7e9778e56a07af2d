"""Mosaics: panels as true footprints on the sphere, side by side with an overlap that holds everywhere.

Panels stand where great circles through the mosaic's middle row and column cross. Towards the corners such
circles draw together, so neighbours overlap more there, never less: the overlap asked for is the least one.

A camera that nothing turns keeps its angle to north from panel to panel; one with a rotator may follow the
sphere, so that panels stay parallel to their neighbours.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.optics.footprint import Footprint
from vigil.sky.tangent import project

Floats = NDArray[np.float64]
MOST_ACROSS = 10
_WIDEST_DEG = 80.0
_ROUNDS = 12
_EXACT = 2e-4
_MISSED = 2e-3
_CLOSER = 0.985
_CORNER_PLACES, _CORNER_SHARE = 21, 0.3
_TOO_NEAR_THE_POLE = (
    "{columns} × {rows} panels of one angle leave gaps so near the pole: "
    "let them follow the sphere, or take fewer"
)
_EDGE_PLACES = 41


@dataclass(frozen=True, slots=True)
class Panel:
    """One of a mosaic's panels: its number from 1, row by row from the lowest, and its place in the grid."""

    number: int
    column: int
    row: int
    footprint: Footprint


@dataclass(frozen=True, slots=True)
class Mosaic:
    """Panels with the mosaic's own frame. `overlap` is the least anywhere between neighbours, as a share of
    the field. `outline` are the four corners (ra_deg, dec_deg) of the area that is covered whole; its sides
    are great circles."""

    centre: Footprint
    columns: int
    rows: int
    overlap: float
    panels: tuple[Panel, ...]
    outline: tuple[tuple[float, float], ...]

    def neighbours(self) -> Iterator[tuple[Panel, Panel]]:
        """Pairs side by side, then pairs one above the other."""
        by_place = {(panel.column, panel.row): panel for panel in self.panels}
        for panel in self.panels:
            beside = by_place.get((panel.column + 1, panel.row))
            if beside is not None:
                yield panel, beside
        for panel in self.panels:
            above = by_place.get((panel.column, panel.row + 1))
            if above is not None:
                yield panel, above

    def size_deg(self) -> tuple[float, float]:
        """Width and height of the outline through its middle."""
        xi, eta = _in_frame(self.centre, self.outline)
        return _angle(xi.max() - xi.min()), _angle(eta.max() - eta.min())

    def holds(self, ra_deg: Floats, dec_deg: Floats) -> NDArray[np.bool_]:
        """Which directions at least one panel covers."""
        covered = np.zeros(np.shape(ra_deg), dtype=bool)
        for panel in self.panels:
            covered |= panel.footprint.holds(ra_deg, dec_deg)
        return covered


def mosaic(centre: Footprint, columns: int, rows: int, overlap: float, follow_sphere: bool = False) -> Mosaic:
    """A mosaic about a direction. `centre` has the sensor's size and the mosaic's position angle; `overlap`
    is the least one wanted, a share of the field, 0…0.9. All panels have the position angle of `centre`,
    unless they `follow_sphere`.

    Raises ValueError for a mosaic that can't be made, saying what would do.
    """
    if not (1 <= columns <= MOST_ACROSS and 1 <= rows <= MOST_ACROSS):
        raise ValueError(f"{columns} × {rows} panels: 1 to {MOST_ACROSS} each way")
    if not 0 <= overlap <= 0.9:
        raise ValueError(f"an overlap of {100 * overlap:g} %: 0 to 90")
    steps = _step_deg(centre.width_deg, overlap), _step_deg(centre.height_deg, overlap)
    spread = [(n - 1) * s for n, s in zip((columns, rows), steps, strict=True)]
    across = [spread[0] + centre.width_deg, spread[1] + centre.height_deg]
    if max(across) > _WIDEST_DEG:
        raise ValueError(
            f"{columns} × {rows} panels would be {max(across):.0f}° across; "
            f"up to {_WIDEST_DEG:.0f}° can be framed"
        )
    made = _made(centre, columns, rows, overlap, steps, follow_sphere)
    if columns == rows == 1:
        return made
    # where the panels' turning against each other would eat into the overlap, they move closer
    stretch = [1.0, 1.0]
    for _ in range(_ROUNDS):
        least = [_least(made, sideways=True), _least(made, sideways=False)]
        if all(abs(found - overlap) < _EXACT for found in least if found is not None):
            break
        for axis, found in enumerate(least):
            if found is not None:
                stretch[axis] *= (1 - overlap) / (1 - found)
        closer = steps[0] * stretch[0], steps[1] * stretch[1]
        made = _made(centre, columns, rows, overlap, closer, follow_sphere)
    # where four panels of one angle meet, each turned against the mosaic, their corners may leave a gap
    for _ in range(_ROUNDS):
        if not _gaps(made):
            break
        stretch = [each * _CLOSER for each in stretch]
        closer = steps[0] * stretch[0], steps[1] * stretch[1]
        made = _made(centre, columns, rows, overlap, closer, follow_sphere)
    else:
        raise ValueError(_TOO_NEAR_THE_POLE.format(columns=columns, rows=rows))
    found_least = least_overlap(made)
    if found_least is None or found_least < overlap - _MISSED:
        raise ValueError(_TOO_NEAR_THE_POLE.format(columns=columns, rows=rows))
    return made


def least_overlap(made: Mosaic) -> float | None:
    """The least overlap anywhere between neighbours, as a share of the field; None for a single panel."""
    found = [o for o in (_least(made, True), _least(made, False)) if o is not None]
    return min(found, default=None)


def panels_to_cover(
    centre: Footprint, major_deg: float, minor_deg: float, object_angle_deg: float, overlap: float
) -> tuple[int, int]:
    """Columns and rows so that an ellipse lies within the outline, at the position angle of `centre`.

    Raises ValueError when more than 10 × 10 would be needed.
    """
    turn = np.radians(object_angle_deg - centre.position_angle_deg)
    across = np.hypot(major_deg * np.sin(turn), minor_deg * np.cos(turn))
    along = np.hypot(major_deg * np.cos(turn), minor_deg * np.sin(turn))
    counts = []
    for size, field in ((across, centre.width_deg), (along, centre.height_deg)):
        step = _step_deg(field, overlap)
        counts.append(max(1, int(np.ceil((size - field) / step - 1e-9)) + 1))
    if max(counts) > MOST_ACROSS:
        raise ValueError(
            f"{counts[0]} × {counts[1]} panels would be needed; "
            f"up to {MOST_ACROSS} × {MOST_ACROSS} can be framed: a shorter focal length would do"
        )
    return counts[0], counts[1]


def strip_between(one: Panel, other: Panel, ra_deg: Floats, dec_deg: Floats) -> NDArray[np.bool_]:
    """Which directions, stars for example, both panels see."""
    return one.footprint.holds(ra_deg, dec_deg) & other.footprint.holds(ra_deg, dec_deg)


def _step_deg(field_deg: float, overlap: float) -> float:
    """How far neighbours on one great circle stand apart: the edge of one is then a straight line across the
    other, `overlap` of its plane from the edge."""
    half = np.tan(np.radians(field_deg / 2))
    return float(field_deg / 2 + np.degrees(np.arctan(half * (1 - 2 * overlap))))


def _made(
    centre: Footprint,
    columns: int,
    rows: int,
    overlap: float,
    steps_deg: tuple[float, float],
    follow_sphere: bool,
) -> Mosaic:
    panels = []
    for row in range(rows):
        for column in range(columns):
            x = float(np.tan(np.radians((column - (columns - 1) / 2) * steps_deg[0])))
            y = float(np.tan(np.radians((row - (rows - 1) / 2) * steps_deg[1])))
            panels.append(Panel(row * columns + column + 1, column, row, _panel(centre, x, y, follow_sphere)))
    return Mosaic(centre, columns, rows, overlap, tuple(panels), _outline(centre, columns, rows, panels))


def _panel(centre: Footprint, x: float, y: float, follow_sphere: bool) -> Footprint:
    """A panel at a place of the mosaic's tangent plane: at the mosaic's position angle, or half way between
    parallel to its row and to its column."""
    half_x, half_y = centre.half_plane
    here = centre.to_sky(x / half_x, y / half_y)
    ra, dec = float(here[0]), float(here[1])
    if not follow_sphere:
        return Footprint(ra, dec, centre.position_angle_deg, centre.width_deg, centre.height_deg)
    right = project(*centre.to_sky((x + 1e-4) / half_x, y / half_y), ra, dec)
    up = project(*centre.to_sky(x / half_x, (y + 1e-4) / half_y), ra, dec)
    by_column = np.degrees(np.arctan2(up[0], up[1]))
    # the way of rising columns is 90° clockwise of that of rising rows
    by_row = np.degrees(np.arctan2(right[0], right[1])) + 90
    apart = (by_row - by_column + 180) % 360 - 180
    return Footprint(ra, dec, float((by_column + apart / 2) % 360), centre.width_deg, centre.height_deg)


def _least(made: Mosaic, sideways: bool) -> float | None:
    """The least overlap of neighbours in one direction: how far the edge of one reaches into the other, along
    the part of the edge that the other has beside it."""
    worst: float | None = None
    place = np.linspace(-1, 1, _EDGE_PLACES)
    for one, other in made.neighbours():
        if (one.row == other.row) != sideways:
            continue
        for near, far, side in ((one, other, -1.0), (other, one, 1.0)):
            edge = (np.full_like(place, side), place) if sideways else (place, np.full_like(place, side))
            across, along = near.footprint.to_sensor(*far.footprint.to_sky(*edge))
            reach, beside = (across, along) if sideways else (along, across)
            within = np.abs(beside) <= 1
            # from the edge of `far` to the edge of `near`, as a share of the field
            share = (1 + reach * side) / 2 if side > 0 else (1 - reach) / 2
            found = float(share[within].min()) if within.any() else 0.0
            worst = found if worst is None else min(worst, found)
    return worst


def _gaps(made: Mosaic) -> bool:
    """Whether anything is left out where four panels meet."""
    by_place = {(panel.column, panel.row): panel.footprint for panel in made.panels}
    around = np.linspace(-_CORNER_SHARE, _CORNER_SHARE, _CORNER_PLACES)
    for column in range(made.columns - 1):
        for row in range(made.rows - 1):
            four = [by_place[column + i, row + j] for i in (0, 1) for j in (0, 1)]
            x, y = np.mean([made.centre.to_sensor(foot.ra_deg, foot.dec_deg) for foot in four], axis=0)
            places = made.centre.to_sky(*np.meshgrid(x + around, y + around))
            if not np.any([foot.holds(*places) for foot in four], axis=0).all():
                return True
    return False


def _outline(
    centre: Footprint, columns: int, rows: int, panels: list[Panel]
) -> tuple[tuple[float, float], ...]:
    """The largest box of the mosaic's plane that the outer panels' outer edges leave whole."""
    place = np.linspace(-1, 1, _EDGE_PLACES)
    full = np.ones_like(place)

    def edge(chosen: list[Panel], across: Floats, along: Floats) -> tuple[Floats, Floats]:
        parts = [centre.to_sensor(*p.footprint.to_sky(across, along)) for p in chosen]
        return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts])

    left = edge([p for p in panels if p.column == 0], -full, place)[0].max()
    right = edge([p for p in panels if p.column == columns - 1], full, place)[0].min()
    low = edge([p for p in panels if p.row == 0], place, -full)[1].max()
    high = edge([p for p in panels if p.row == rows - 1], place, full)[1].min()
    ra, dec = centre.to_sky(np.array([left, right, right, left]), np.array([low, low, high, high]))
    return tuple(zip(ra.tolist(), dec.tolist(), strict=True))


def _in_frame(centre: Footprint, corners: tuple[tuple[float, float], ...]) -> tuple[Floats, Floats]:
    """Tangent-plane degrees of directions along the mosaic's columns and rows."""
    across, along = centre.to_sensor(np.array([c[0] for c in corners]), np.array([c[1] for c in corners]))
    half_x, half_y = centre.half_plane
    return np.degrees(across * half_x), np.degrees(along * half_y)


def _angle(plane_deg: float) -> float:
    return float(2 * np.degrees(np.arctan(np.radians(plane_deg) / 2)))
