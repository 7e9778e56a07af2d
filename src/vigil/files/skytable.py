"""The sky table on disk: made once from the star catalogue, then memory-mapped."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np

from vigil.files.atomic import whole_folder
from vigil.files.starcatalogue import StarCatalogue
from vigil.solving.skytable import (
    CELLS,
    LEVELS,
    RECORD,
    VERSION,
    SkyTable,
    level_stars,
    quads_in_chunks,
    vectors_of,
)

_NAME = f"sky-table-{VERSION}"
_BUCKETS = 64
_FILES = ("vectors.npy", "ends.npy", "records.npy")


class NoTable(LookupError):
    """There is no sky table yet, or it can't be read; the message says how to make it."""


class Cancelled(RuntimeError):
    """Making the table was stopped; nothing of it is left behind."""


def table_folder(cache: Path) -> Path:
    """Where the table lies in a cache folder. Another version has another name."""
    return cache / _NAME


def has_table(cache: Path) -> bool:
    """Whether a whole table is there: its mark is written last."""
    return (table_folder(cache) / "table.json").is_file()


def open_table(cache: Path) -> SkyTable:
    """Map the table. Raises NoTable."""
    folder = table_folder(cache)
    if not has_table(cache):
        raise NoTable(
            "the table for solving without a position isn't there yet: make it with vigil ready --make"
        )
    try:
        return SkyTable(*(np.load(folder / name, mmap_mode="r").view(np.ndarray) for name in _FILES))
    except (OSError, ValueError) as problem:
        raise NoTable(f"{folder} can't be read ({problem}): make it again with vigil ready --make") from None


def make_table(
    cache: Path,
    catalogue: StarCatalogue,
    progress: Callable[[float], None] = lambda share: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Path:
    """Make the table in a temporary folder and put it in place whole. Returns its folder.

    `progress` hears shares 0…1. Raises Cancelled once `stopped` says so, OSError when there is no room.
    """
    folder = table_folder(cache)
    with whole_folder(folder) as work:
        _write(work, catalogue, progress, stopped)
    progress(1.0)
    return folder


def _go_on(stopped: Callable[[], bool]) -> None:
    if stopped():
        raise Cancelled("making the sky table was stopped")


def table_bytes(cache: Path) -> int:
    """What the table takes on disk, 0 when there is none."""
    folder = table_folder(cache)
    return sum(f.stat().st_size for f in folder.iterdir()) if has_table(cache) else 0


def _write(
    work: Path, catalogue: StarCatalogue, progress: Callable[[float], None], stopped: Callable[[], bool]
) -> None:
    stars = catalogue.everything()
    progress(0.02)
    chosen = []
    for sides, per_cell in LEVELS:
        _go_on(stopped)
        chosen.append(level_stars(stars, sides, per_cell))
    used = np.unique(np.concatenate(chosen))
    vectors = vectors_of(stars.where(used))
    np.save(work / "vectors.npy", vectors)
    total = sum(len(level) for level in chosen)
    done = 0
    with _Buckets(work) as buckets:
        for level in chosen:
            numbers = np.searchsorted(used, level)
            for cells, records, share in quads_in_chunks(vectors.astype(np.float64), numbers):
                _go_on(stopped)
                buckets.add(cells, records)
                progress(0.05 + 0.75 * (done + share * len(level)) / total)
            done += len(level)
    _sort(work, buckets, progress, stopped)
    (work / "table.json").write_text(json.dumps({"version": VERSION, "levels": LEVELS, "stars": len(used)}))


class _Buckets:
    """Quads by the upper part of their cell, in files: sorting then needs little memory."""

    dtype = np.dtype([("cell", np.uint32), ("record", RECORD)])

    def __init__(self, folder: Path) -> None:
        self.paths = [folder / f"bucket-{n:02d}" for n in range(_BUCKETS)]
        self.count = 0

    def __enter__(self) -> "_Buckets":
        self._streams = [path.open("wb") for path in self.paths]
        return self

    def __exit__(self, *_: object) -> None:
        for stream in self._streams:
            stream.close()

    def add(self, cells: np.ndarray, records: np.ndarray) -> None:
        rows = np.empty(len(cells), self.dtype)
        rows["cell"], rows["record"] = cells, records
        rows = rows[np.argsort(cells)]
        edges = np.searchsorted(rows["cell"], np.arange(_BUCKETS + 1) * (CELLS // _BUCKETS))
        edges[-1] = len(rows)
        for stream, first, last in zip(self._streams, edges[:-1], edges[1:], strict=True):
            stream.write(rows[first:last].tobytes())
        self.count += len(rows)


def _sort(
    work: Path, buckets: _Buckets, progress: Callable[[float], None], stopped: Callable[[], bool]
) -> None:
    out = np.lib.format.open_memmap(work / "records.npy", mode="w+", dtype=RECORD, shape=(buckets.count,))
    counts = np.zeros(CELLS, np.uint32)
    filled = 0
    for n, path in enumerate(buckets.paths):
        _go_on(stopped)
        rows = np.fromfile(path, buckets.dtype)
        path.unlink()
        order = np.argsort(rows["cell"], kind="stable")
        out[filled : filled + len(rows)] = rows["record"][order]
        filled += len(rows)
        cells, count = np.unique(rows["cell"], return_counts=True)
        counts[cells] = count
        progress(0.8 + 0.19 * (n + 1) / _BUCKETS)
    out.flush()
    np.save(work / "ends.npy", np.cumsum(counts, dtype=np.uint32))
