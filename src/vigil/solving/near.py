"""Solving near a known position.

Quads of bright stars on the image are looked up among quads of the catalogue; each agreement proposes a
centre, scale and rotation; proposals that agree are verified star by star, and the count of matched
stars is weighed against what chance would give. Only then is it called solved.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from vigil.sky.instants import Floats
from vigil.sky.stars import SkyStars
from vigil.sky.tangent import deproject, project
from vigil.solving.imagestars import ImageStars, hands, image_stars
from vigil.solving.plane import (
    Complex,
    gnomonic_from_stereographic,
    stereographic,
    stereographic_from_gnomonic,
)
from vigil.solving.quads import Quads, all_quads, build_quads
from vigil.solving.sampling import brightest_per_cell
from vigil.solving.solution import Solution
from vigil.solving.verify import LEAST_MATCHED, verify
from vigil.solving.wcs import Wcs, similarity

# Tried in turn: brightest stars per cell of a 4 × 4 division of the image, and near neighbours of each that
# make quads. What fails is nearly always a different depth of image and catalogue, which another rung mends.
_DEPTHS = ((3, 5), (6, 6), (2, 6), (10, 6))
_CELLS_ACROSS = 4
_SHAPE_TOLERANCE = 0.012
_PROPOSALS = 12
# when few stars are left, all quads of the brightest ones
_LAST_STARS, _LAST_NEIGHBOURS, _LAST_PROPOSALS = 22, 9, 60
_LAST_DEPTHS = (2, 4)
_POOR_STARS = 12


@dataclass(frozen=True, slots=True)
class Hint:
    """Where and how large an image is thought to be. Scales in arc-seconds a pixel."""

    ra_deg: float
    dec_deg: float
    scale_min_arcsec_px: float
    scale_max_arcsec_px: float
    within_deg: float = 3.0

    def __post_init__(self) -> None:
        if not 0 < self.scale_min_arcsec_px <= self.scale_max_arcsec_px:
            raise ValueError(
                f"scale limits {self.scale_min_arcsec_px}..{self.scale_max_arcsec_px} must be above 0, "
                "the smaller one first"
            )
        if not 0 < self.within_deg <= 30:
            raise ValueError(f"a search within {self.within_deg}° is not possible: above 0, at most 30")

    def catalogue_radius_deg(self, shape: tuple[int, int]) -> float:
        """How far from the hint catalogue stars are needed for an image of `shape` (rows, columns)."""
        return float(self.within_deg + np.hypot(*shape) / 2 * self.scale_max_arcsec_px / 3600)

    @property
    def scale_arcsec_px(self) -> float:
        """The middle of the limits."""
        return float(np.sqrt(self.scale_min_arcsec_px * self.scale_max_arcsec_px))


@dataclass(frozen=True, slots=True)
class _Proposals:
    """Similarities from the image (conjugated unless mirrored, about its centre) to the plane."""

    mirrored: bool
    turn: Complex
    centre: Complex

    def __len__(self) -> int:
        return len(self.turn)


def solve_near(
    x_px: Floats, y_px: Floats, flux: Floats, shape: tuple[int, int], hint: Hint, catalogue: SkyStars
) -> Solution:
    """Solve an image of `shape` (rows, columns) from its detected stars.

    `x_px` (column), `y_px` (row) are 0-based; `flux` ranks them. `catalogue` holds the stars within
    `hint.catalogue_radius_deg(shape)` of the hint. Never raises for a field that can't be solved: the
    solution says why.
    """
    image = image_stars(x_px, y_px, flux, shape)
    detected = len(image.spots)
    if detected < LEAST_MATCHED:
        return Solution(
            False, f"too few stars: only {detected} found, at least {LEAST_MATCHED} needed", detected
        )
    if len(catalogue) < LEAST_MATCHED:
        return Solution(
            False, f"too few stars: only {len(catalogue)} catalogue stars around the hint", detected
        )
    plane = stereographic(catalogue.ra_deg, catalogue.dec_deg, hint.ra_deg, hint.dec_deg)
    by_light = np.argsort(catalogue.mag, kind="stable")
    catalogue, plane = catalogue.where(by_light), plane[by_light]
    limits = hint.scale_min_arcsec_px, hint.scale_max_arcsec_px
    best: Solution | None = None
    tried = 0
    for proposals, most in _rungs(image, plane, hint):
        for proposal in _most_voted(proposals, image.short_px * hint.scale_arcsec_px / 3600, most):
            tried += 1
            field_deg = 1.2 * image.radius_px * limits[1] / 3600
            there = catalogue.where(_around(plane, proposal[2], field_deg))
            found = verify(_as_wcs(*proposal, hint, shape), image, there, tried, limits)
            if found.solved:
                return found
            if best is None or found.stars_matched > best.stars_matched:
                best = found
    poor = _poor(image, catalogue, hint)
    if poor is not None:
        return Solution(False, poor, detected, best.stars_matched if best else 0)
    if best is not None and best.stars_matched:
        return best
    return Solution(
        False,
        f"no arrangement of the {detected} stars found fits the catalogue within {hint.within_deg:g}° "
        f"of the hint at {hint.scale_min_arcsec_px:.3g}–{hint.scale_max_arcsec_px:.3g}″/px",
        detected,
    )


def _poor(image: ImageStars, catalogue: SkyStars, hint: Hint) -> str | None:
    """Says so when the catalogue has too few stars for fields of this size around the hint."""
    rows, columns = image.shape
    searched_deg2 = np.pi * hint.catalogue_radius_deg(image.shape) ** 2
    share = rows * columns * (hint.scale_arcsec_px / 3600) ** 2 / searched_deg2
    usual = len(catalogue) * share
    if usual >= _POOR_STARS:
        return None
    return (
        f"too few stars: the catalogue has some {usual:.0f} for a field of this size there, "
        f"and {_POOR_STARS} or more are wanted"
    )


def _around(plane: Complex, centre: complex, radius_deg: float) -> np.ndarray:
    return np.abs(plane - centre) < radius_deg


def _rungs(image: ImageStars, plane: Complex, hint: Hint) -> Iterator[tuple[list[_Proposals], int]]:
    """Proposals of both hands, one rung after another, with how many of a rung are worth verifying."""
    scale_deg = hint.scale_arcsec_px / 3600
    spots = stereographic_from_gnomonic(image.spots * scale_deg) / scale_deg
    cell_px = image.short_px / _CELLS_ACROSS
    for depth, neighbours in _DEPTHS:
        known = plane[brightest_per_cell(plane, depth, cell_px * scale_deg)]
        sky = build_quads(known, neighbours)
        if len(sky) == 0:
            continue
        tree = cKDTree(sky.shape)
        chosen = spots[brightest_per_cell(spots, depth, cell_px)]
        both = [
            _propose(build_quads(hand, neighbours), sky, tree, mirrored, hint)
            for mirrored, hand in hands(chosen)
        ]
        yield both, _PROPOSALS
    bright = spots[:_LAST_STARS]
    ours = [(mirrored, all_quads(hand)) for mirrored, hand in hands(bright)]
    for depth in _LAST_DEPTHS:
        known = plane[brightest_per_cell(plane, depth, cell_px * scale_deg)]
        sky = build_quads(known, _LAST_NEIGHBOURS)
        if len(sky) == 0:
            continue
        tree = cKDTree(sky.shape)
        yield [_propose(q, sky, tree, mirrored, hint) for mirrored, q in ours], _LAST_PROPOSALS


def _propose(quads: Quads, sky: Quads, tree: cKDTree, mirrored: bool, hint: Hint) -> _Proposals:
    """Where quads that agree in shape would put the image."""
    nothing = np.empty(0, complex)
    if len(quads) == 0:
        return _Proposals(mirrored, nothing, nothing)
    pairs = tree.query_ball_point(quads.shape, _SHAPE_TOLERANCE)
    counts = np.fromiter((len(p) for p in pairs), np.intp, len(pairs))
    if not counts.any():
        return _Proposals(mirrored, nothing, nothing)
    mine = np.repeat(np.arange(len(quads)), counts)
    theirs = np.concatenate([np.asarray(p, dtype=np.intp) for p in pairs[counts > 0]])
    turn = (sky.second[theirs] - sky.first[theirs]) / (quads.second[mine] - quads.first[mine])
    centre = sky.first[theirs] - turn * quads.first[mine]
    scale = np.abs(turn) * 3600
    fits = (
        (scale > hint.scale_min_arcsec_px * 0.98)
        & (scale < hint.scale_max_arcsec_px * 1.02)
        & (np.abs(centre) < hint.within_deg * 1.02)
    )
    return _Proposals(mirrored, turn[fits], centre[fits])


def _most_voted(both: list[_Proposals], field_deg: float, most: int) -> list[tuple[bool, complex, complex]]:
    """The proposals that most others agree with in place, scale and rotation, one for each group."""
    found: list[tuple[int, bool, complex, complex]] = []
    for proposals in both:
        if len(proposals) == 0:
            continue
        turn, centre = proposals.turn, proposals.centre
        votes = np.column_stack(
            [
                centre.real / (0.01 * field_deg),
                centre.imag / (0.01 * field_deg),
                np.log(np.abs(turn)) / 0.01,
                (turn / np.abs(turn)).real / 0.01,
                (turn / np.abs(turn)).imag / 0.01,
            ]
        )
        neighbours = cKDTree(votes).query_ball_point(votes, 1.5)
        taken = np.zeros(len(turn), dtype=bool)
        groups = 0
        for k in np.argsort([-len(n) for n in neighbours], kind="stable"):
            if taken[k]:
                continue
            group = np.asarray(neighbours[k])
            taken[group] = True
            found.append(
                (
                    len(group),
                    proposals.mirrored,
                    complex(np.median(turn[group].real), np.median(turn[group].imag)),
                    complex(np.median(centre[group].real), np.median(centre[group].imag)),
                )
            )
            groups += 1
            if groups >= most:
                break
    found.sort(key=lambda f: -f[0])
    return [f[1:] for f in found[:most]]


def _as_wcs(mirrored: bool, turn: complex, centre: complex, hint: Hint, shape: tuple[int, int]) -> Wcs:
    """A proposal as a tangent plane of its own: north turns on the way from the hint."""
    step = 1e-3
    spots = gnomonic_from_stereographic(np.array([centre, centre + step * 1j]))
    ra, dec = deproject(spots.real, spots.imag, hint.ra_deg, hint.dec_deg)
    xi, eta = project(ra[1], dec[1], float(ra[0]), float(dec[0]))
    north = complex(xi, eta)
    # scale of the hint's plane at the centre
    growth = 1 + np.radians(abs(centre)) ** 2 / 4
    return similarity(float(ra[0]), float(dec[0]), turn * north / abs(north) / 1j / growth, mirrored, shape)
