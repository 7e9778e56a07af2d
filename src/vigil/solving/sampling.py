"""Which stars of an image or a catalogue to compare: evenly spread, the brightest first."""

import numpy as np
from numpy.typing import NDArray

from vigil.solving.plane import Complex


def brightest_per_cell(points: Complex, count: int, cell: float) -> NDArray[np.intp]:
    """Indices of the first `count` points (brightest first) of each square cell of side `cell`."""
    if len(points) == 0:
        return np.empty(0, np.intp)
    column, row = np.floor(points.real / cell).astype(np.int64), np.floor(points.imag / cell).astype(np.int64)
    key = column * (1 << 32) + row
    order = np.argsort(key, kind="stable")
    ordered = key[order]
    new_cell = np.concatenate([[True], ordered[1:] != ordered[:-1]])
    start_of = np.maximum.accumulate(np.where(new_cell, np.arange(len(order)), 0))
    return np.sort(order[np.arange(len(order)) - start_of < count])
