"""Frames of colour sensors, whose pixels lie behind a mosaic of red, green and blue filters."""

import numpy as np
from numpy.typing import NDArray

SMOOTHING_PX2 = 0.5
"""Variance, each way, of the kernel that `luminance` smooths with."""


def luminance(image: NDArray[np.generic]) -> NDArray[np.float32]:
    """A mosaic [row, column] without its pattern, for measuring: smoothed by 1-2-1 in both directions.

    Every pixel then holds the four kinds of pixel in equal parts, whatever the pattern and wherever it is;
    the kernel is symmetric, so that nothing moves. Edges are mirrored, which keeps the parts equal.
    Stars grow by the kernel's own standard deviation (0.71 px), in quadrature.
    """
    padded = np.pad(image.astype(np.float32), 1, mode="reflect")
    rows = padded[:-2] + 2 * padded[1:-1] + padded[2:]
    summed: NDArray[np.float32] = (rows[:, :-2] + 2 * rows[:, 1:-1] + rows[:, 2:]) / np.float32(16)
    return summed
