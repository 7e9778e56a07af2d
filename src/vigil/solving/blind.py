"""Solving without knowing where: quads of the image against the table of the whole sky.

First the quads of near neighbours among the bright stars, then, when that isn't enough, every quad of the
brightest few dozen. A true place is proposed by several quads that agree; those are verified first.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from vigil.sky.instants import Floats
from vigil.sky.stars import SkyStars
from vigil.solving.imagestars import ImageStars, hands, image_stars
from vigil.solving.plane import Complex, directions
from vigil.solving.quads import Quads, all_quads, build_quads
from vigil.solving.sampling import brightest_per_cell
from vigil.solving.skytable import SkyTable, axes
from vigil.solving.solution import BLIND, Solution
from vigil.solving.verify import LEAST_MATCHED, verify
from vigil.solving.wcs import Wcs, similarity

Cone = Callable[[float, float, float], SkyStars]
"""Catalogue stars within a radius of a direction: (ra_deg, dec_deg, radius_deg)."""

# (stars per cell of a 4 × 4 division, neighbours of each that make quads)
_RUNGS = ((2, 6), (4, 6), (1, 7), (8, 5))
_CELLS_ACROSS = 4
_LAST_STARS = (18, 28)
# shapes differ by this much besides what the noise of positions does
_LEAST_TOLERANCE, _MOST_TOLERANCE, _NOISE_PX = 0.0015, 0.006, 2.0
_SAME_PLACE, _SAME_SCALE, _SAME_TURN = 0.02, 0.02, 0.02
_VERIFIED, _LAST_VERIFIED = 24, 60
_LONELY = 8


@dataclass(frozen=True, slots=True)
class Breadth:
    """How large the image's field may be: its shorter side in degrees."""

    least_deg: float = 0.3
    most_deg: float = 15.0

    def __post_init__(self) -> None:
        if not 0 < self.least_deg < self.most_deg <= 60:
            raise ValueError(
                f"a field between {self.least_deg:g}° and {self.most_deg:g}° across is not possible: "
                "above 0, at most 60, the smaller one first"
            )


@dataclass(frozen=True, slots=True)
class _Proposals:
    """Where the image's centre would be (unit vectors), how a step up the rows turns there (unit vectors
    along the sky), and the scale in radians a pixel."""

    mirrored: NDArray[np.bool_]
    centre: Floats
    up: Floats
    scale: Floats

    def __len__(self) -> int:
        return len(self.scale)


def solve_blind(
    x_px: Floats,
    y_px: Floats,
    flux: Floats,
    shape: tuple[int, int],
    table: SkyTable,
    cone: Cone,
    breadth: Breadth | None = None,
) -> Solution:
    """Solve an image of `shape` (rows, columns) from its detected stars, anywhere on the sky.

    Arguments as for `solve_near`; `cone` gives the catalogue's stars for verification. Never raises for a
    field that can't be solved: the solution says why.
    """
    breadth = breadth or Breadth()
    image = image_stars(x_px, y_px, flux, shape)
    detected = len(image.spots)
    if detected < LEAST_MATCHED:
        return Solution(
            False,
            f"too few stars: only {detected} found, at least {LEAST_MATCHED} needed",
            detected,
            method=BLIND,
        )
    limits = tuple(3600 * side / image.short_px for side in (breadth.least_deg, breadth.most_deg))
    best = Solution(
        False,
        f"no arrangement of the {detected} stars found fits the catalogue anywhere; "
        "in a field under half a degree it may have too few stars",
        detected,
        method=BLIND,
    )
    considered = 0
    for quads, most in _rungs(image):
        proposals = _propose(quads, table, image, breadth)
        considered += len(proposals)
        for k in _most_voted(proposals, image.short_px, most):
            start = _as_wcs(proposals, k, shape)
            reach = 1.1 * image.radius_px * start.scale_arcsec_px / 3600
            there = cone(start.ra_deg, start.dec_deg, reach)
            found = verify(start, image, there, max(considered, 1), (limits[0], limits[1]), BLIND)
            if found.solved:
                return found
            if found.stars_matched > best.stars_matched:
                best = found
    return best


def _rungs(image: ImageStars) -> Iterator[tuple[list[tuple[bool, Quads]], int]]:
    cell_px = image.short_px / _CELLS_ACROSS
    for depth, neighbours in _RUNGS:
        chosen = image.spots[brightest_per_cell(image.spots, depth, cell_px)]
        yield [(mirrored, build_quads(hand, neighbours)) for mirrored, hand in hands(chosen)], _VERIFIED
    for count in _LAST_STARS:
        yield [(mirrored, all_quads(hand)) for mirrored, hand in hands(image.spots[:count])], _LAST_VERIFIED


def _propose(
    both: list[tuple[bool, Quads]], table: SkyTable, image: ImageStars, breadth: Breadth
) -> _Proposals:
    parts = []
    for mirrored, quads in both:
        if len(quads) == 0:
            continue
        length = np.abs(quads.second - quads.first)
        tolerance = np.clip(_LEAST_TOLERANCE + _NOISE_PX / length, 0, _MOST_TOLERANCE)
        which, records = table.alike(quads.shape, tolerance)
        first = np.asarray(table.vectors[records["first"]], dtype=float)
        second = np.asarray(table.vectors[records["second"]], dtype=float)
        chord = np.linalg.norm(second - first, axis=1)
        scale = chord / length[which]
        side = np.degrees(scale) * image.short_px
        fits = (side > breadth.least_deg) & (side < breadth.most_deg)
        which, first, second, scale = which[fits], first[fits], second[fits], scale[fits]
        centre, up = _place(quads.first[which], quads.second[which], first, second)
        parts.append(_Proposals(np.full(len(scale), mirrored), centre, up, scale))
    if not parts:
        return _Proposals(np.empty(0, bool), np.empty((0, 3)), np.empty((0, 3)), np.empty(0))
    return _Proposals(*(np.concatenate([getattr(p, n) for p in parts]) for n in _Proposals.__slots__))


def _place(first_px: Complex, second_px: Complex, first: Floats, second: Floats) -> tuple[Floats, Floats]:
    """The image's centre and the way up its rows, from two stars: on the stereographic plane about the
    first."""
    east, north = axes(first)
    depth = 1 + np.einsum("nc,nc->n", first, second)
    z = 2 * (np.einsum("nc,nc->n", second, east) + 1j * np.einsum("nc,nc->n", second, north)) / depth
    turn = z / (second_px - first_px)
    centre_z = -turn * first_px
    # a short step up from the centre; both back to the sphere
    step = 1e-4
    centre = _lift(centre_z, first, east, north)
    above = _lift(centre_z + 1j * turn / np.abs(turn) * step, first, east, north)
    up = above - centre
    return centre, up / np.linalg.norm(up, axis=1, keepdims=True)


def _lift(z: Complex, middle: Floats, east: Floats, north: Floats) -> Floats:
    square = np.abs(z) ** 2 / 4
    return np.asarray(
        (middle * (1 - square)[:, None] + east * z.real[:, None] + north * z.imag[:, None])
        / (1 + square)[:, None]
    )


def _most_voted(proposals: _Proposals, short_px: int, most: int) -> list[int]:
    """One proposal of each group that agrees, most votes first; lonely ones only few."""
    count = len(proposals)
    if count == 0:
        return []
    field = proposals.scale * short_px
    pairs = cKDTree(proposals.centre).query_pairs(_SAME_PLACE * float(field.max()), output_type="ndarray")
    i, j = pairs[:, 0], pairs[:, 1]
    same = (
        (np.linalg.norm(proposals.centre[i] - proposals.centre[j], axis=1) < _SAME_PLACE * field[i])
        & (np.abs(np.log(proposals.scale[i] / proposals.scale[j])) < _SAME_SCALE)
        & (np.linalg.norm(proposals.up[i] - proposals.up[j], axis=1) < _SAME_TURN)
        & (proposals.mirrored[i] == proposals.mirrored[j])
    )
    i, j = i[same], j[same]
    votes = np.bincount(i, minlength=count) + np.bincount(j, minlength=count)
    order = np.argsort(-votes, kind="stable")
    agree: dict[int, list[int]] = {}
    for a, b in zip(i.tolist(), j.tolist(), strict=True):
        agree.setdefault(a, []).append(b)
        agree.setdefault(b, []).append(a)
    chosen: list[int] = []
    taken: set[int] = set()
    lonely = 0
    for k in order.tolist():
        if k in taken:
            continue
        if votes[k] == 0:
            lonely += 1
            if lonely > _LONELY:
                break
        taken.update(agree.get(k, []))
        chosen.append(k)
        if len(chosen) >= most:
            break
    return chosen


def _as_wcs(proposals: _Proposals, k: int, shape: tuple[int, int]) -> Wcs:
    centre = proposals.centre[k]
    ra, dec = directions(centre)
    east, north = axes(centre[None])
    up = complex(proposals.up[k] @ east[0], proposals.up[k] @ north[0])
    scale_deg = float(np.degrees(proposals.scale[k]))
    # the way up is the image of i
    return similarity(
        float(ra), float(dec), up / abs(up) / 1j * scale_deg, bool(proposals.mirrored[k]), shape
    )
