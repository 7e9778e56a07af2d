"""A picture file solved as it lies: by the solution in its header, near what the header says, else blind."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from vigil.files.fits import plane_shape, read_header, read_wcs
from vigil.files.hints import NoHint, header_position, header_scale
from vigil.files.pictures import read_picture
from vigil.files.skytable import has_table
from vigil.files.solver import Search, solve_picture
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import Matches
from vigil.solving.wcs import Wcs


@dataclass(frozen=True, slots=True)
class SolvedFile:
    """Where a picture lies, and its header. `reason` says how that is known, or why it isn't."""

    wcs: Wcs | None
    header: dict[str, Any]
    reason: str
    matches: Matches | None = None


def solve_file(path: Path, cache: Path, own: Path, anew: bool = False) -> SolvedFile:
    """Find out what a picture shows. `anew` doesn't trust a solution in its header. Raises BadFrame for a
    file that can't be read, ValueError for a picture that can't be measured."""
    picture = read_picture(path)
    rows, columns = picture.mono.shape
    known = None if anew else read_wcs(picture.header, (rows, columns))
    if known is not None:
        return SolvedFile(known, _plain(picture.header), "by the solution in its header")
    hint = None
    try:
        hint = Hint(*header_position(picture.header), *header_scale(picture.header))
    except NoHint as problem:
        if not has_table(cache):
            why = f"{problem}; solving without needs the sky table: vigil ready --make"
            return SolvedFile(None, _plain(picture.header), why)
    search = Search(hint, Breadth() if has_table(cache) else None, cache, own)
    solution = solve_picture(picture.mono, search).solution
    return SolvedFile(solution.wcs, _plain(picture.header), solution.reason, solution.matches)


def solve_file_apart(path: Path, cache: Path, own: Path, anew: bool = False) -> SolvedFile:
    """The same, where stars must be detected in a process of its own: that holds the interpreter."""
    if not anew:
        header = read_header(path)
        known = read_wcs(header, plane_shape(header)) if header else None
        if known is not None:
            return SolvedFile(known, _plain(header), "by the solution in its header")
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(solve_file, path, cache, own, anew).result()


def _plain(header: dict[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in header.items() if isinstance(v, str | int | float | bool)}
