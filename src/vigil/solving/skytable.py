"""The table of quads over the whole sky, for solving without knowing where.

Stars are chosen in levels, the brightest of each cell of an equal-area division, each level four times
sparser than the one before: some level is about as dense as the bright stars of any image from half a degree
to twelve across. Quads of a star and three of its nearest neighbours on that level are sorted by the cell of
their shape, so that a lookup reads a few short runs of the table, which may stay on disk.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from vigil.sky.instants import Floats
from vigil.sky.stars import SkyStars
from vigil.solving.plane import unit_vectors
from vigil.solving.quads import shapes

VERSION = 1
"""Raised when a table made before can't be used any more."""

# (sides of the division, stars of each of its cells)
LEVELS = ((128, 8), (64, 8), (32, 8), (16, 8), (8, 8))
_NEIGHBOURS = 6
_CHUNK_STARS = 20_000

# cells of the shape's four numbers: two along the axis 0…1, two across −0.9…0.9
CELLS_PER_UNIT = 40
_ALONG, _ACROSS, _ACROSS_FROM = 40, 72, -0.9
CELLS = (_ALONG * _ACROSS) ** 2
_ORIGIN = np.array([0.0, _ACROSS_FROM, 0.0, _ACROSS_FROM])
_SIZES = np.array([_ALONG, _ACROSS, _ALONG, _ACROSS])
_STEPS = np.array([_ACROSS * _ALONG * _ACROSS, _ALONG * _ACROSS, _ACROSS, 1])
_CORNERS = np.array(np.meshgrid(*[[0, 1]] * 4, indexing="ij")).reshape(4, -1).T

RECORD = np.dtype([("rest", np.uint8, 4), ("first", np.uint32), ("second", np.uint32)])
"""A quad: its shape's place within the cell in 256ths, and the two stars that set its frame."""


@dataclass(frozen=True, slots=True)
class SkyTable:
    """`vectors` (stars, 3) float32 are directions; `ends` (CELLS,) says where each cell's run of `records`
    ends. All three may be memory-mapped."""

    vectors: NDArray[np.float32]
    ends: NDArray[np.uint32]
    records: NDArray[np.void]

    def __post_init__(self) -> None:
        if len(self.ends) != CELLS or self.records.dtype != RECORD or int(self.ends[-1]) != len(self.records):
            raise ValueError("the parts of the sky table don't belong together")

    def alike(self, shape: Floats, tolerance: Floats) -> tuple[NDArray[np.int64], NDArray[np.void]]:
        """Records whose shape is within `tolerance` (n,) in each number of one of `shape` (n, 4): the index
        of that shape, and the record."""
        place = (shape - _ORIGIN) * CELLS_PER_UNIT
        reach = (tolerance * CELLS_PER_UNIT)[:, None]
        low = np.clip(np.floor(place - reach).astype(np.int64), 0, _SIZES - 1)
        high = np.clip(np.floor(place + reach).astype(np.int64), 0, _SIZES - 1)
        cell = low[:, None, :] + _CORNERS[None, :, :]
        which, corner = np.nonzero(np.all(cell <= high[:, None, :], axis=2))
        cell = cell[which, corner] @ _STEPS
        ends = self.ends[cell].astype(np.int64)
        starts = np.where(cell > 0, self.ends[np.maximum(cell - 1, 0)], 0).astype(np.int64)
        count = ends - starts
        which = np.repeat(which, count)
        index = np.repeat(starts - np.concatenate([[0], np.cumsum(count)[:-1]]), count) + np.arange(
            count.sum()
        )
        found = np.asarray(self.records[index])
        base = np.repeat(low_corner(cell), count, axis=0)
        away = base + (found["rest"] + 0.5) / 256 - place[which]
        near = np.all(np.abs(away) <= reach[which], axis=1)
        return which[near], found[near]


def low_corner(cell: NDArray[np.int64]) -> NDArray[np.int64]:
    """The four whole numbers (n, 4) of a cell."""
    return np.asarray((cell[:, None] // _STEPS) % _SIZES)


def level_stars(stars: SkyStars, sides: int, per_cell: int) -> NDArray[np.int64]:
    """Indices of the `per_cell` brightest stars of every cell, cell after cell."""
    from astropy_healpix import healpy  # not at the start: it brings all of astropy's coordinates with it

    cell = healpy.ang2pix(sides, stars.ra_deg, stars.dec_deg, nest=True, lonlat=True)
    order = np.lexsort((stars.mag, cell))
    ordered = cell[order]
    new = np.concatenate([[True], ordered[1:] != ordered[:-1]])
    first = np.maximum.accumulate(np.where(new, np.arange(len(order)), 0))
    return np.asarray(order[np.arange(len(order)) - first < per_cell])


def quads_in_chunks(
    vectors: Floats, numbers: NDArray[np.int64]
) -> Iterator[tuple[NDArray[np.uint32], NDArray[np.void], float]]:
    """Quads of the stars `numbers` of `vectors`: cells, records and the share done, chunk by chunk."""
    mine = vectors[numbers]
    near = cKDTree(mine).query(mine, k=_NEIGHBOURS + 1)[1].astype(np.int32)
    choice = np.array(list(combinations(range(1, _NEIGHBOURS + 1), 3)))
    for start in range(0, len(numbers), _CHUNK_STARS):
        own = np.arange(start, min(start + _CHUNK_STARS, len(numbers)), dtype=np.int32)
        members = np.concatenate(
            [np.repeat(own, len(choice))[:, None], near[own][:, choice].reshape(-1, 3)], axis=1
        )
        members = members[~_found_from_another(members, near)]
        cells, records = _records(mine, members, numbers)
        yield cells, records, min(1.0, (start + _CHUNK_STARS) / len(numbers))


def _found_from_another(members: NDArray[np.int32], near: NDArray[np.int32]) -> NDArray[np.bool_]:
    """True where a member with a smaller index than the first has the other three among its neighbours: the
    quad is found from there."""
    another = np.zeros(len(members), dtype=bool)
    for k in (1, 2, 3):
        star = members[:, k]
        others = members[:, [j for j in range(4) if j != k]]
        smaller = np.flatnonzero((star < members[:, 0]) & ~another)
        hers = near[star[smaller], 1:]
        known = np.all((others[smaller][:, :, None] == hers[:, None, :]).any(axis=2), axis=1)
        another[smaller[known]] = True
    return another


def _records(
    vectors: Floats, members: NDArray[np.int32], numbers: NDArray[np.int64]
) -> tuple[NDArray[np.uint32], NDArray[np.void]]:
    corner = _in_plane(vectors[members])
    shape, ends = shapes(corner)
    place = (shape - _ORIGIN) * CELLS_PER_UNIT
    whole = np.floor(place)
    sound = np.all(np.isfinite(place) & (whole >= 0) & (whole < _SIZES), axis=1)
    place, whole, ends, members = place[sound], whole[sound], ends[sound], members[sound]
    records = np.empty(len(place), RECORD)
    records["rest"] = ((place - whole) * 256).astype(np.uint8)
    row = np.arange(len(members))
    records["first"] = numbers[members[row, ends[:, 0]]]
    records["second"] = numbers[members[row, ends[:, 1]]]
    return (whole.astype(np.int64) @ _STEPS).astype(np.uint32), records


def _in_plane(corner: Floats) -> NDArray[np.complex128]:
    """Corners (n, 4, 3) on the stereographic plane about their middle, east + i north."""
    middle = corner.mean(axis=1)
    middle /= np.linalg.norm(middle, axis=1, keepdims=True)
    east, north = axes(middle)
    depth = 1 + np.einsum("nkc,nc->nk", corner, middle)
    x = 2 * np.einsum("nkc,nc->nk", corner, east) / depth
    y = 2 * np.einsum("nkc,nc->nk", corner, north) / depth
    return np.asarray(x + 1j * y)


def axes(middle: Floats) -> tuple[Floats, Floats]:
    """Unit vectors east and north of directions (n, 3); at the poles any pair at right angles."""
    east = np.stack([-middle[:, 1], middle[:, 0], np.zeros(len(middle))], axis=1)
    length = np.linalg.norm(east, axis=1, keepdims=True)
    east = np.where(length > 1e-9, east / np.maximum(length, 1e-9), np.array([0.0, 1.0, 0.0]))
    return east, np.cross(middle, east)


def vectors_of(stars: SkyStars) -> NDArray[np.float32]:
    """What a table keeps of its stars; rounding is 0.01″ at most."""
    return unit_vectors(stars.ra_deg, stars.dec_deg).astype(np.float32)
