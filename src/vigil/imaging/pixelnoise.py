"""Noise from pixel to pixel, which neither stars nor gradients nor vignetting are part of."""

import numpy as np
from numpy.typing import NDArray

Floats32 = NDArray[np.float32]
_CLIP_SIGMA = 2.5
_LEFT = 0.9546
"""Of a normal distribution's standard deviation once it is cut at two and a half of them."""
_ROUNDS = 12
_QUANTISED = 1 / 12
"""Variance that whole ADU add to each pixel."""
_PART_PX = 288
_TILE_PX, _AROUND_PX, _STAR_SIGMA = 32, 5, 2.0
"""A pixel whose surroundings are so far over their tile's median lies in a star."""


def pixel_noise(image: NDArray[np.generic], mosaic: bool = False) -> float:
    """Standard deviation of a pixel of an image [row, column], from the differences of neighbours (of one
    colour, in a mosaic) in both directions: the second difference −½, 1, −½ has 3⁄2 of its variance.

    Stars are left out, and what is left is cut at two and a half standard deviations until that settles. What
    whole ADU add is taken off. NaN for an image too small.
    """
    if min(image.shape) < 2 * _TILE_PX:
        return float("nan")
    parts = [_noise_of(part, 2 if mosaic else 1) for part in _parts(image)]
    return float(np.sqrt(max(float(np.mean(np.square(parts))) - _QUANTISED, 0.0)))


def _parts(image: NDArray[np.generic]) -> list[Floats32]:
    """Five pieces of a large image, in its middle and towards its corners: enough to know its noise by, in
    little time."""
    rows, columns = image.shape
    if rows * columns <= 9 * _PART_PX**2 or min(rows, columns) < 3 * _PART_PX:
        return [np.asarray(image, dtype=np.float32)]
    found = []
    for down, across in ((0.5, 0.5), (0.15, 0.15), (0.15, 0.85), (0.85, 0.15), (0.85, 0.85)):
        # a mosaic's pattern begins anew at even pixels
        r, c = (int(share * (n - _PART_PX)) // 2 * 2 for share, n in ((down, rows), (across, columns)))
        found.append(np.asarray(image[r : r + _PART_PX, c : c + _PART_PX], dtype=np.float32))
    return found


def _noise_of(data: Floats32, step: int) -> float:
    dark = _without_stars(data, _clipped_std(_bent(data, step)))
    found = []
    for turned, where in ((data, dark), (data.T, dark.T)):
        found.append(_clipped_std(_bent(turned, step)[where[:, step:-step]]) / np.sqrt(1.5))
    return float(np.mean(found))


def _bent(data: Floats32, step: int) -> Floats32:
    return np.asarray(data[:, step:-step] - 0.5 * (data[:, : -2 * step] + data[:, 2 * step :]))


def _without_stars(data: Floats32, noise: float) -> NDArray[np.bool_]:
    """Where nothing shines. The mean around a pixel says nothing of its second difference, which has none: so
    what is left is not chosen by its noise."""
    from scipy.ndimage import uniform_filter

    around = uniform_filter(data, _AROUND_PX)
    rows, columns = (-(-n // _TILE_PX) for n in data.shape)
    dark = np.zeros(data.shape, dtype=bool)
    for r in range(rows):
        for c in range(columns):
            tile = np.s_[r * _TILE_PX : (r + 1) * _TILE_PX, c * _TILE_PX : (c + 1) * _TILE_PX]
            dark[tile] = around[tile] < np.median(around[tile]) + _STAR_SIGMA * noise / _AROUND_PX
    return dark


def _clipped_std(values: Floats32) -> float:
    # in order, so that a round's cut is a place in the list and its sum is already there
    sizes = np.sort(np.abs(values), axis=None)
    if not sizes.size:
        return float("nan")
    squares = np.cumsum(np.square(sizes, dtype=np.float64))
    spread = 1.4826 * float(np.median(sizes)) + 1e-6
    for _ in range(_ROUNDS):
        kept = int(np.searchsorted(sizes, np.float32(_CLIP_SIGMA * spread)))
        after = float(np.sqrt(squares[kept - 1] / kept)) / _LEFT if kept else spread
        if abs(after - spread) < 1e-4 * spread:
            break
        spread = after
    return spread
