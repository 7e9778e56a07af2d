"""Solving near a known position.

Quads of bright stars on the image are looked up among quads of the catalogue; each agreement proposes a
centre, scale and rotation; proposals that agree are verified star by star, and the count of matched
stars is weighed against what chance would give. Only then is it called solved.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.stats import poisson

from vigil.sky.instants import Floats
from vigil.sky.stars import SkyStars
from vigil.sky.tangent import deproject
from vigil.solving.quads import Quads, build_quads
from vigil.solving.wcs import LinearWcs, fit_wcs

Complex = NDArray[np.complex128]

# Depths tried in turn: brightest stars per cell of a 4 × 4 division of the image. What fails is nearly
# always a different depth of image and catalogue, which another rung mends.
_DEPTHS = (3, 6, 2, 10)
_CELLS_ACROSS = 4
_SHAPE_TOLERANCE = 0.012
_PROPOSALS = 12
_VERIFY_STARS = 200
_SEARCH_PX = 8.0
_MATCH_PX = 3.0
_CERTAIN_LOG10 = -9.0
_LEAST_MATCHED = 6
# below this the probability can't be told from 0 in floating point
_LEAST_CHANCE_LOG10 = -300.0


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


@dataclass(frozen=True, slots=True)
class Solution:
    """The outcome. When not solved, only `reason` and the counts mean anything.

    `chance_log10` is the decimal logarithm of the probability that so many stars agree by chance.
    """

    solved: bool
    reason: str
    stars_detected: int
    stars_matched: int = 0
    rms_arcsec: float = float("nan")
    chance_log10: float = 0.0
    wcs: LinearWcs | None = None


class _Proposal(NamedTuple):
    """A similarity from the image (conjugated unless mirrored, about its centre) to the plane."""

    mirrored: bool
    turn: complex
    centre: complex


def solve_near(
    x_px: Floats, y_px: Floats, flux: Floats, shape: tuple[int, int], hint: Hint, catalogue: SkyStars
) -> Solution:
    """Solve an image of `shape` (rows, columns) from its detected stars.

    `x_px` (column), `y_px` (row) are 0-based; `flux` ranks them. `catalogue` holds the stars within
    `hint.catalogue_radius_deg(shape)` of the hint. Never raises for a field that can't be solved: the
    solution says why.
    """
    detected = len(x_px)
    if detected < _LEAST_MATCHED:
        return Solution(False, f"only {detected} stars found, at least {_LEAST_MATCHED} needed", detected)
    if len(catalogue) < _LEAST_MATCHED:
        return Solution(False, f"only {len(catalogue)} catalogue stars around the hint", detected)
    rows, columns = shape
    order = np.argsort(flux)[::-1]
    image = (x_px - (columns - 1) / 2 + 1j * (y_px - (rows - 1) / 2))[order]
    plane = _stereographic(catalogue, hint)
    by_light = np.argsort(catalogue.mag, kind="stable")
    plane_sorted = plane[by_light]
    cell_px = min(shape) / _CELLS_ACROSS
    mean_scale_deg = np.sqrt(hint.scale_min_arcsec_px * hint.scale_max_arcsec_px) / 3600
    best: Solution | None = None
    for depth in _DEPTHS:
        chosen = _brightest_per_cell(image, depth, cell_px)
        known = _brightest_per_cell(plane_sorted, depth, cell_px * mean_scale_deg)
        sky = build_quads(plane_sorted[known])
        if len(sky) == 0:
            continue
        tree = cKDTree(sky.shape)
        proposals = [
            proposal
            for mirrored in (False, True)
            for proposal in _propose(image[chosen], sky, tree, mirrored, hint, mean_scale_deg * min(shape))
        ]
        for _, proposal in sorted(proposals, key=lambda p: -p[0])[:_PROPOSALS]:
            found = _verify(proposal, image, shape, plane, catalogue, hint)
            if found.solved:
                return found
            if best is None or found.stars_matched > best.stars_matched:
                best = found
    if best is None or best.stars_matched == 0:
        return Solution(
            False,
            f"no arrangement of the {detected} stars found fits the catalogue within {hint.within_deg:g}° "
            f"of the hint at {hint.scale_min_arcsec_px:.3g}–{hint.scale_max_arcsec_px:.3g}″/px",
            detected,
        )
    return best


def _stereographic(stars: SkyStars, hint: Hint) -> Complex:
    """Conformal plane about the hint, degrees, east + i north: small shapes stay similar everywhere."""
    ra = np.radians(stars.ra_deg - hint.ra_deg)
    dec, dec0 = np.radians(stars.dec_deg), np.radians(hint.dec_deg)
    depth = 1 + np.sin(dec0) * np.sin(dec) + np.cos(dec0) * np.cos(dec) * np.cos(ra)
    east = 2 * np.cos(dec) * np.sin(ra) / depth
    north = 2 * (np.cos(dec0) * np.sin(dec) - np.sin(dec0) * np.cos(dec) * np.cos(ra)) / depth
    return np.asarray((east + 1j * north) * (180 / np.pi))


def _brightest_per_cell(points: Complex, count: int, cell: float) -> NDArray[np.intp]:
    """Indices of the first `count` points (brightest first) of each square cell."""
    column, row = np.floor(points.real / cell).astype(np.int64), np.floor(points.imag / cell).astype(np.int64)
    key = column * (1 << 32) + row
    order = np.argsort(key, kind="stable")
    ordered = key[order]
    new_cell = np.concatenate([[True], ordered[1:] != ordered[:-1]])
    start_of = np.maximum.accumulate(np.where(new_cell, np.arange(len(order)), 0))
    return np.sort(order[np.arange(len(order)) - start_of < count])


def _propose(
    image: Complex, sky: Quads, tree: cKDTree, mirrored: bool, hint: Hint, field_deg: float
) -> list[tuple[int, _Proposal]]:
    """Proposals with their votes: quads that agree in shape, and among them in where they put the image."""
    # the sky seen from inside is left-handed (east to the left): a plain image is conjugated against it
    quads = build_quads(image if mirrored else -image.conj())
    if len(quads) == 0:
        return []
    pairs = tree.query_ball_point(quads.shape, _SHAPE_TOLERANCE)
    mine = np.repeat(np.arange(len(quads)), [len(p) for p in pairs])
    if mine.size == 0:
        return []
    theirs = np.concatenate([np.asarray(p, dtype=np.intp) for p in pairs if p])
    turn = (sky.second[theirs] - sky.first[theirs]) / (quads.second[mine] - quads.first[mine])
    centre = sky.first[theirs] - turn * quads.first[mine]
    scale = np.abs(turn) * 3600
    fits = (
        (scale > hint.scale_min_arcsec_px * 0.98)
        & (scale < hint.scale_max_arcsec_px * 1.02)
        & (np.abs(centre) < hint.within_deg * 1.02)
    )
    turn, centre = turn[fits], centre[fits]
    if turn.size == 0:
        return []
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
    found: list[tuple[int, _Proposal]] = []
    taken = np.zeros(len(turn), dtype=bool)
    for k in np.argsort([-len(n) for n in neighbours], kind="stable"):
        if taken[k]:
            continue
        group = np.asarray(neighbours[k])
        taken[group] = True
        found.append(
            (
                len(group),
                _Proposal(
                    mirrored,
                    complex(np.median(turn[group].real), np.median(turn[group].imag)),
                    complex(np.median(centre[group].real), np.median(centre[group].imag)),
                ),
            )
        )
        if len(found) >= _PROPOSALS:
            break
    return found


def _verify(
    proposal: _Proposal,
    image: Complex,
    shape: tuple[int, int],
    plane: Complex,
    catalogue: SkyStars,
    hint: Hint,
) -> Solution:
    """Match star by star under a proposal, fit, and weigh the count against chance."""
    rows, columns = shape
    local = (plane - proposal.centre) / proposal.turn
    if not proposal.mirrored:
        local = -local.conj()
    margin = 20.0
    inside = (np.abs(local.real) < columns / 2 + margin) & (np.abs(local.imag) < rows / 2 + margin)
    known = np.flatnonzero(inside)
    detected = len(image)
    if known.size < _LEAST_MATCHED:
        return Solution(False, f"only {known.size} catalogue stars in the best place for it", detected)
    # as many bright ones of both kinds: a far deeper set on one side only adds chance matches
    bright = image[: min(_VERIFY_STARS, 3 * known.size)]
    known = known[np.argsort(catalogue.mag[known], kind="stable")][: 3 * len(bright)]
    stars = catalogue.where(known)
    predicted = local[known]
    tree = cKDTree(np.column_stack([bright.real, bright.imag]))
    centre = _from_plane(proposal.centre, hint)
    wcs: LinearWcs | None = None
    theirs = mine = np.empty(0, np.intp)
    rms_arcsec = float("nan")
    for radius in (_SEARCH_PX, _SEARCH_PX / 2, _MATCH_PX, _MATCH_PX):
        theirs, mine = _mutual(tree, predicted, radius)
        if theirs.size < _LEAST_MATCHED:
            return Solution(
                False,
                f"the best place for it matches only {theirs.size} stars, at least {_LEAST_MATCHED} needed",
                detected,
                int(theirs.size),
            )
        wcs, kept, rms_arcsec = fit_wcs(
            bright[mine].real + (columns - 1) / 2,
            bright[mine].imag + (rows - 1) / 2,
            stars.ra_deg[theirs],
            stars.dec_deg[theirs],
            shape,
            centre,
        )
        theirs, mine = theirs[kept], mine[kept]
        centre = wcs.ra_deg, wcs.dec_deg
        column, row = wcs.to_pixel(stars.ra_deg, stars.dec_deg)
        predicted = column - (columns - 1) / 2 + 1j * (row - (rows - 1) / 2)
    assert wcs is not None
    visible = int(
        np.count_nonzero((np.abs(predicted.real) < columns / 2) & (np.abs(predicted.imag) < rows / 2))
    )
    # every catalogue star has this chance to find a detected one by accident; three matches are spent
    # on the fit itself
    expected = max(visible, 1) * len(bright) * np.pi * _MATCH_PX**2 / (rows * columns)
    matched = int(theirs.size)
    chance = 0.0
    if matched > 3:
        chance = max(float(poisson.logsf(matched - 4, expected) / np.log(10)), _LEAST_CHANCE_LOG10)
    scale = wcs.scale_arcsec_px
    if not hint.scale_min_arcsec_px * 0.98 <= scale <= hint.scale_max_arcsec_px * 1.02:
        return Solution(
            False, f"the best fit has {scale:.3f}″/px, outside the limits given", detected, matched
        )
    if matched < _LEAST_MATCHED or chance > _CERTAIN_LOG10:
        return Solution(
            False,
            f"the best place for it matches {matched} stars, which chance alone would give once in "
            f"10^{-chance:.1f} tries; 10^{-_CERTAIN_LOG10:.0f} are asked for",
            detected,
            matched,
            rms_arcsec,
            chance,
        )
    return Solution(
        True,
        f"{matched} stars agree to {rms_arcsec:.2f}″ rms; by chance once in 10^{-chance:.0f} tries",
        detected,
        matched,
        rms_arcsec,
        chance,
        wcs,
    )


def _mutual(tree: cKDTree, predicted: Complex, radius: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pairs (predicted, detected) that are each other's nearest within a radius in pixels."""
    spots = np.column_stack([predicted.real, predicted.imag])
    distance, nearest = tree.query(spots, distance_upper_bound=radius)
    back = cKDTree(spots).query(tree.data)[1]
    pair = np.flatnonzero(np.isfinite(distance))
    pair = pair[back[nearest[pair]] == pair]
    return pair, nearest[pair]


def _from_plane(spot: complex, hint: Hint) -> tuple[float, float]:
    """Direction of a stereographic plane position: the gnomonic one at the radius tan of the angle."""
    radius = abs(spot)
    angle = 2 * np.arctan(np.radians(radius) / 2)
    stretch = np.degrees(np.tan(angle)) / radius if radius > 0 else 1.0
    ra, dec = deproject(spot.real * stretch, spot.imag * stretch, hint.ra_deg, hint.dec_deg)
    return float(ra), float(dec)
