"""Many frames made into one: averaged pixel by pixel, outliers left out."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
CLIP_SIGMAS = 3.0
_FEWEST = 5
"""Of fewer frames none is left out: there is no telling which is wrong."""
_SIGMA_OF_MAD = 1.4826
_LEAST_SIGMA = 0.5
"""Of the band's usual scatter: five equal pixels by chance don't make every other one an outlier."""
_MIDDLE = 0.3


@dataclass(frozen=True, slots=True)
class Combined:
    """`image` [row, column]; `left_out` pixels of all frames together."""

    image: Floats
    left_out: int


def combined(stack: Floats, clip_sigmas: float = CLIP_SIGMAS) -> Combined:
    """The mean of frames [frame, row, column] without pixels farther than so many σ from their median, σ from
    the median of absolute deviations. Raises ValueError without a frame."""
    if stack.ndim != 3 or len(stack) == 0:
        raise ValueError(f"a stack is frames of rows and columns, not {stack.shape}")
    if len(stack) < _FEWEST:
        return Combined(stack.mean(axis=0, dtype=np.float64).astype(np.float32), 0)
    middle = np.median(stack, axis=0)
    off = np.abs(stack - middle)
    sigma = _SIGMA_OF_MAD * np.median(off, axis=0)
    sigma = np.maximum(sigma, _LEAST_SIGMA * np.median(sigma))
    good = off <= np.maximum(clip_sigmas * sigma, 1e-6)
    total = np.where(good, stack, 0).sum(axis=0, dtype=np.float64)
    return Combined((total / good.sum(axis=0)).astype(np.float32), int(good.size - good.sum()))


def middle_of(shape: tuple[int, int]) -> tuple[slice, slice]:
    """The part of a frame [row, column] that says how bright it is."""
    rows, columns = shape
    high, wide = max(1, round(rows * _MIDDLE / 2)), max(1, round(columns * _MIDDLE / 2))
    return slice(rows // 2 - high, rows // 2 + high), slice(columns // 2 - wide, columns // 2 + wide)
