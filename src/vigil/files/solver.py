"""Pictures solved against the catalogues on disk: near where a position is known, else over the whole sky."""

import time
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from vigil.files.owncatalogue import catalogue_of
from vigil.files.skytable import NoTable, open_table
from vigil.imaging.shrink import shrunk
from vigil.imaging.stars import Stars, find_stars
from vigil.solving.blind import Breadth, solve_blind
from vigil.solving.near import Hint, solve_near
from vigil.solving.skytable import SkyTable
from vigil.solving.solution import BLIND, Solution

# a picture of big blurred stars is looked at once more at this share of its size
_SECOND_LOOK = 3
_LEAST_SIDE_PX = 200


@dataclass(frozen=True, slots=True)
class Search:
    """How a picture may be solved. Without a `hint`, or when that fails and `blind` is set, the whole sky is
    searched for fields of that breadth with the table in the folder `cache`; `own` is the folder of one's own
    deeper catalogue."""

    hint: Hint | None = None
    blind: Breadth | None = None
    cache: Path | None = None
    own: Path | None = None


@dataclass(frozen=True, slots=True)
class Solved:
    """A solution with the time it took."""

    solution: Solution
    detect_s: float
    match_s: float


def solve_picture(image: NDArray[np.generic], search: Search) -> Solved:
    """Detect the stars of an image [row, column] and solve it. Raises ValueError for one that can't be
    measured.

    Where nothing fits, the stars are looked for once more on the image made smaller: far out of focus a
    star is found in pieces otherwise.
    """
    began = time.perf_counter()
    stars = find_stars(image)[0]
    detected = time.perf_counter()
    solution = solve_stars(stars, _plane_of(image), search)
    if not solution.solved and min(image.shape) >= _SECOND_LOOK * _LEAST_SIDE_PX:
        again = _smaller(image, search)
        if again.solved or again.stars_matched > solution.stars_matched:
            solution = again
    return Solved(solution, detected - began, time.perf_counter() - detected)


def solve_stars(stars: Stars, shape: tuple[int, int], search: Search) -> Solution:
    """Solve an image of `shape` (rows, columns) from its detected stars."""
    catalogue = catalogue_of(search.own)
    spots = stars.x_px, stars.y_px, stars.flux_adu, shape
    solution: Solution | None = None
    hint = search.hint
    if hint is not None:
        known = catalogue.cone(hint.ra_deg, hint.dec_deg, hint.catalogue_radius_deg(shape))
        solution = solve_near(*spots, hint, known)
        if solution.solved or search.blind is None:
            return _advised(solution)
    assert search.blind is not None and search.cache is not None, "a search needs a hint, or a table"
    try:
        table = _table(search.cache)
    except NoTable as problem:
        if solution is not None:
            return replace(_advised(solution), reason=f"{solution.reason}; {problem}")
        return Solution(False, str(problem), len(stars), method=BLIND)
    found = solve_blind(*spots, table, catalogue.cone, search.blind)
    return _advised(found)


def _smaller(image: NDArray[np.generic], search: Search) -> Solution:
    """Of the image at a third of its size, told in the pixels of the whole one."""
    small = shrunk(image, _SECOND_LOOK)
    stars = find_stars(small)[0]
    # the middle of a shrunken pixel is one pixel in from its first
    middle = (_SECOND_LOOK - 1) / 2
    whole = replace(stars, x_px=stars.x_px * _SECOND_LOOK + middle, y_px=stars.y_px * _SECOND_LOOK + middle)
    return solve_stars(whole, _plane_of(image), search)


def _advised(solution: Solution) -> Solution:
    """Too few stars: what would help."""
    if solution.solved or "too few stars" not in solution.reason:
        return solution
    help_ = (
        "a deeper catalogue of your own (vigil catalogue add), or a wider field"
        if "the catalogue has" in solution.reason
        else "a longer exposure through a clear filter, better focus, clear sky, a wider search"
    )
    return replace(solution, reason=f"{solution.reason}; what would help: {help_}")


def _plane_of(image: NDArray[np.generic]) -> tuple[int, int]:
    rows, columns = image.shape
    return rows, columns


@lru_cache(maxsize=2)
def _table(cache: Path) -> SkyTable:
    return open_table(cache)
