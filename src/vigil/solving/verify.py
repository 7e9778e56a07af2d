"""Is it really there? A proposal is matched star by star, fitted, and weighed against chance.

The count of catalogue stars that find a detected one by accident is a Poisson variable with the mean λ =
(catalogue stars in the field) · (detected stars) · π r² / (area of the image), r being the radius of a
match; where detections crowd, as along a trail, their density around the catalogue's stars stands in. The
probability of as many matches as there are, less those that the fit itself can bring about (half its
parameters), times the number of proposals that were looked at, bounds the probability of a wrong solution:
see docs/formulas.md.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.special import pdtrc

from vigil.sky.stars import SkyStars
from vigil.solving.imagestars import ImageStars
from vigil.solving.plane import Complex
from vigil.solving.solution import NEAR, Matches, Solution
from vigil.solving.wcs import Fit, Wcs, fit_wcs

LEAST_MATCHED = 6
CERTAIN_LOG10 = -9.0
# below this the probability can't be told from 0 in floating point
_LEAST_CHANCE_LOG10 = -300.0
_VERIFY_STARS = 200
_MATCH_PX = 3.0
# positions of a catalogue are off by this much: proper motion since its epoch
_MATCH_ARCSEC = 1.8
_FIRST_SHARE, _FIRST_PX = 0.006, 8.0
_HIGHEST_ORDER = 3
_MARGIN_PX = 20.0
_CROWD_RADII = 12.0


def verify(
    proposal: Wcs,
    image: ImageStars,
    catalogue: SkyStars,
    tried: float,
    scale_limits_arcsec_px: tuple[float, float],
    method: str = NEAR,
) -> Solution:
    """Match, fit and weigh a proposal. `catalogue` must cover the field; `tried` is how many proposals the
    search has had to choose from."""
    rows, columns = image.shape
    detected = len(image.spots)
    scale = proposal.scale_arcsec_px
    match_px = max(_MATCH_PX, _MATCH_ARCSEC / scale)
    predicted = _predicted(proposal, catalogue)
    near = np.flatnonzero(_inside(predicted, image, _MARGIN_PX))
    if near.size < LEAST_MATCHED:
        return _no(f"too few stars: the catalogue has {near.size} in the best place for it", detected, method)
    # as many bright ones of both kinds: a far deeper set on one side only adds chance matches
    bright = image.spots[: min(_VERIFY_STARS, 3 * near.size)]
    near = near[np.argsort(catalogue.mag[near], kind="stable")][: 3 * len(bright)]
    stars = catalogue.where(near)
    predicted = predicted[near]
    tree = cKDTree(np.column_stack([bright.real, bright.imag]))
    fit: Fit | None = None
    theirs = mine = np.empty(0, np.intp)
    first = max(_FIRST_PX, _FIRST_SHARE * image.short_px, match_px)
    for radius, order in (
        (first, 1),
        (max(first / 2, match_px), 1),
        (max(first / 3, match_px), _HIGHEST_ORDER),
        (match_px, _HIGHEST_ORDER),
        (match_px, _HIGHEST_ORDER),
    ):
        theirs, mine = _mutual(tree, predicted, radius)
        if theirs.size < LEAST_MATCHED:
            return _no(
                f"too few stars agree: the best place for it matches {theirs.size}, at least {LEAST_MATCHED} "
                "are needed",
                detected,
                method,
                int(theirs.size),
            )
        centre = (proposal if fit is None else fit.wcs).ra_deg, (proposal if fit is None else fit.wcs).dec_deg
        fit = fit_wcs(
            bright[mine].real + (columns - 1) / 2,
            bright[mine].imag + (rows - 1) / 2,
            stars.ra_deg[theirs],
            stars.dec_deg[theirs],
            image.shape,
            centre,
            order,
        )
        predicted = _predicted(fit.wcs, stars)
    assert fit is not None
    return _weigh(
        fit, image, bright, predicted, stars, theirs, mine, match_px, tried, scale_limits_arcsec_px, method
    )


def _weigh(
    fit: Fit,
    image: ImageStars,
    bright: Complex,
    predicted: Complex,
    stars: SkyStars,
    theirs: NDArray[np.intp],
    mine: NDArray[np.intp],
    match_px: float,
    tried: float,
    scale_limits_arcsec_px: tuple[float, float],
    method: str,
) -> Solution:
    rows, columns = image.shape
    detected = len(image.spots)
    kept = fit.kept & (np.hypot(fit.dx_px, fit.dy_px) <= match_px)
    matched = int(np.count_nonzero(kept))
    visible = int(np.count_nonzero(_inside(predicted, image, 0.0)))
    expected = max(visible, 1) * len(bright) * np.pi * match_px**2 / (rows * columns)
    expected = max(expected, _crowded(bright, predicted, match_px, len(theirs)))
    spent = (fit.parameters + 1) // 2
    chance = float(np.log10(tried))
    if matched > spent:
        chance += math.log10(max(pdtrc(matched - spent - 1, expected), 1e-300))
    chance = min(0.0, max(chance, _LEAST_CHANCE_LOG10))
    low, high = scale_limits_arcsec_px
    scale = fit.wcs.scale_arcsec_px
    if not low * 0.98 <= scale <= high * 1.02:
        return _no(f"the best fit has {scale:.3f}″/px, outside the limits given", detected, method, matched)
    if not _upright(fit.wcs):
        return _no("the best fit is squeezed as no optics would", detected, method, matched)
    if matched < LEAST_MATCHED or chance > CERTAIN_LOG10:
        return _no(
            f"too few stars agree: the best place for it matches {matched}, which chance alone would give "
            f"once in 10^{-chance:.1f} tries; 10^{-CERTAIN_LOG10:.0f} are asked for",
            detected,
            method,
            matched,
        )
    spots = bright[mine[kept]]
    chosen = stars.where(theirs[kept])
    return Solution(
        True,
        f"{matched} stars agree to {fit.rms_arcsec:.2f}″ rms; by chance once in 10^{-chance:.0f} tries",
        detected,
        matched,
        fit.rms_arcsec,
        fit.rms_px,
        chance,
        fit.wcs,
        method,
        Matches(
            spots.real + (columns - 1) / 2,
            spots.imag + (rows - 1) / 2,
            chosen.ra_deg,
            chosen.dec_deg,
            chosen.mag,
            fit.dx_px[kept],
            fit.dy_px[kept],
        ),
    )


def _crowded(bright: Complex, predicted: Complex, match_px: float, matched: int) -> float:
    """Accidental matches by the density of detections around the predicted stars."""
    seen = predicted[np.isfinite(predicted)]
    trees = [cKDTree(np.column_stack([spots.real, spots.imag])) for spots in (bright, seen)]
    around = int(trees[0].count_neighbors(trees[1], _CROWD_RADII * match_px)) - matched
    return around / _CROWD_RADII**2


def _no(reason: str, detected: int, method: str, matched: int = 0) -> Solution:
    return Solution(False, reason, detected, matched, method=method)


def _upright(wcs: Wcs) -> bool:
    """Both axes of one scale and at right angles, within what refraction and tilt do."""
    large, small = np.linalg.svd(np.array(wcs.cd_deg_px), compute_uv=False)
    return bool(large < 1.02 * small)


def _predicted(wcs: Wcs, stars: SkyStars) -> Complex:
    rows, columns = wcs.shape
    column, row = wcs.to_pixel(stars.ra_deg, stars.dec_deg)
    return np.asarray(column - (columns - 1) / 2 + 1j * (row - (rows - 1) / 2))


def _inside(spots: Complex, image: ImageStars, margin_px: float) -> NDArray[np.bool_]:
    rows, columns = image.shape
    return np.asarray(
        (np.abs(spots.real) < columns / 2 + margin_px) & (np.abs(spots.imag) < rows / 2 + margin_px)
    )


def _mutual(tree: cKDTree, predicted: Complex, radius: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pairs (predicted, detected) that are each other's nearest within a radius in pixels."""
    spots = np.column_stack([predicted.real, predicted.imag])
    on_plane = np.flatnonzero(np.isfinite(spots).all(axis=1))
    spots = spots[on_plane]
    if len(spots) == 0:
        return np.empty(0, np.intp), np.empty(0, np.intp)
    distance, nearest = tree.query(spots, distance_upper_bound=radius)
    back = cKDTree(spots).query(tree.data)[1]
    pair = np.flatnonzero(np.isfinite(distance))
    pair = pair[back[nearest[pair]] == pair]
    return on_plane[pair], nearest[pair]
