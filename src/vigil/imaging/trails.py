"""Straight trails across a frame: satellites and aircraft."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

_SIDE_PX = 240
_ANGLES = 120
_CLIP_SIGMA = 2.5
_LEAST_SHARE = 0.35
"""Of the shorter side that a line crosses at least, to be looked at."""


def trail_sigma(image: NDArray[np.generic]) -> float:
    """How far the straightest line in an image [row, column] stands out from its noise, in standard
    deviations; under about 5 is chance.

    The frame is shrunk, its background taken off, stars clipped to a few times the noise; then pixels are
    summed along lines of every direction (a Radon transform, Deans 1983), a bin a pixel wide, and each sum is
    held against the scatter of all sums of its direction.
    """
    small = _shrunk(image)
    flat = small - _smooth(small)
    noise = 1.4826 * float(np.median(np.abs(flat - np.median(flat))))
    if not noise > 0:
        return 0.0
    clipped = np.clip(flat / noise, -_CLIP_SIGMA, _CLIP_SIGMA)
    clipped -= float(clipped.mean())
    scatter = float(clipped.std())
    weights = clipped.ravel().astype(np.float64)
    least = _LEAST_SHARE * min(clipped.shape)
    best = 0.0
    for across, counts in _lines(*clipped.shape):
        sums = np.bincount(across, weights, len(counts))
        there = counts > least
        values = sums[there] / np.sqrt(counts[there])
        # what the frame has of itself along this direction: gradients, columns of the sensor
        usual = max(scatter, 1.4826 * float(np.median(np.abs(values - np.median(values)))))
        best = max(best, float((values.max() - np.median(values)) / usual))
    return best


@lru_cache(maxsize=1)
def _lines(rows: int, columns: int) -> list[tuple[NDArray[np.int16], NDArray[np.int64]]]:
    """For each direction the line that every pixel is of, and each line's number of pixels. Kept for the next
    frame, as a night has one size of them."""
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    y, x = y.ravel() - (rows - 1) / 2, x.ravel() - (columns - 1) / 2
    reach = int(np.ceil(np.hypot(rows, columns) / 2)) + 1
    lines = []
    for angle in np.pi * np.arange(_ANGLES) / _ANGLES:
        across = np.rint(x * np.float32(np.cos(angle)) + y * np.float32(np.sin(angle))).astype(np.int16)
        across += reach
        lines.append((across, np.bincount(across, minlength=2 * reach + 1)))
    return lines


def _shrunk(image: NDArray[np.generic]) -> NDArray[np.float32]:
    factor = max(1, int(np.ceil(max(image.shape) / _SIDE_PX)))
    rows, columns = (n // factor * factor for n in image.shape)
    # rows first: that runs along the memory
    down = image[:rows, :columns].reshape(rows // factor, factor, columns).sum(axis=1, dtype=np.float32)
    across = down.reshape(rows // factor, columns // factor, factor).sum(axis=2)
    return np.asarray(across / factor**2, dtype=np.float32)


def _smooth(small: NDArray[np.float32]) -> NDArray[np.float32]:
    """The background: medians of tiles, drawn out over the whole."""
    from scipy.ndimage import zoom

    tile = 16
    rows, columns = (max(1, n // tile) for n in small.shape)
    cut = small[: rows * tile, : columns * tile] if min(small.shape) >= tile else small
    if min(small.shape) < tile:
        return np.full_like(small, np.median(small))
    medians = np.median(cut.reshape(rows, tile, columns, tile), axis=(1, 3))
    factors = small.shape[0] / rows, small.shape[1] / columns
    return np.asarray(zoom(medians, factors, order=1, mode="nearest", grid_mode=True), dtype=np.float32)
