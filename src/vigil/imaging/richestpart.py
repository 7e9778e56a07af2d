"""Where a picture shows most: the part that is read out when a focus run needs no more."""

import numpy as np
from numpy.typing import NDArray

_CELL_PX = 16
_CLIPPED_SHARE = 0.98

Region = tuple[int, int, int, int]
"""Left, bottom, columns, rows."""


def richest_part(image: NDArray[np.generic], side_px: int, full_scale_adu: float = 65535.0) -> Region | None:
    """The square of that side, of an image [row, column], with the most structure (squared gradients, noise
    taken out) in which nothing clips. None where the image is hardly larger, or something clips everywhere.
    """
    cells = side_px // _CELL_PX
    rows, columns = (side // _CELL_PX for side in image.shape)
    if cells < 1 or min(rows, columns) < cells or rows * columns < 2 * cells**2:
        return None
    data = np.asarray(image[: rows * _CELL_PX, : columns * _CELL_PX], dtype=np.float64)
    clips = _by_cell(data >= _CLIPPED_SHARE * full_scale_adu)
    # two by two: single hot pixels and a mosaic's pattern are no structure
    half = data.reshape(data.shape[0] // 2, 2, data.shape[1] // 2, 2).mean(axis=(1, 3))
    steep = np.zeros_like(half)
    steep[:, 1:-1] += (half[:, 2:] - half[:, :-2]) ** 2
    steep[1:-1] += (half[2:] - half[:-2]) ** 2
    structure = _by_cell(steep, _CELL_PX // 2)
    structure = np.maximum(structure - np.median(structure), 0.0)
    inside = _sums(structure, cells)
    inside[_sums(clips, cells) > 0] = -1.0
    row, column = np.unravel_index(int(np.argmax(inside)), inside.shape)
    if inside[row, column] <= 0:
        return None
    side = cells * _CELL_PX
    return int(column) * _CELL_PX, int(row) * _CELL_PX, side, side


def _by_cell(values: NDArray[np.generic], cell: int = _CELL_PX) -> NDArray[np.float64]:
    rows, columns = (side // cell for side in values.shape)
    return np.asarray(values.reshape(rows, cell, columns, cell).sum(axis=(1, 3)), dtype=np.float64)


def _sums(values: NDArray[np.float64], side: int) -> NDArray[np.float64]:
    """Over all squares of so many cells."""
    total = np.pad(values, ((1, 0), (1, 0))).cumsum(axis=0).cumsum(axis=1)
    return np.asarray(
        total[side:, side:] - total[:-side, side:] - total[side:, :-side] + total[:-side, :-side]
    )
