"""Stars' shapes: elongation and which way, over the field; and pixels that are clipped."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_STAMP_HALF_PX = 12
_ROUNDS = 6


@dataclass(frozen=True, slots=True)
class Shapes:
    """Arrays of one length: places (0-based column and row), major over minor axis, and the direction of the
    major axis in degrees, from the columns' direction towards that of the rows."""

    x_px: Floats
    y_px: Floats
    elongation: Floats
    angle_deg: Floats


def shapes_of(data: NDArray[np.float32], x_px: Floats, y_px: Floats, hfr_px: Floats) -> Shapes:
    """Of stars on a background-subtracted image [row, column], by adaptive Gaussian moments; those too near
    to the border, or without a sound shape, are left out.

    Bernstein & Jarvis 2002, AJ 123, 583: the weight is widened until it matches the star, when the
    weighted second moments are half the star's own. For a Gaussian this is exact.
    """
    half = _STAMP_HALF_PX
    offsets = np.arange(-half, half + 1)
    column, row = np.rint(x_px).astype(int), np.rint(y_px).astype(int)
    rows, columns = data.shape
    inside = (column >= half) & (column < columns - half) & (row >= half) & (row < rows - half)
    x, y, size, column, row = x_px[inside], y_px[inside], hfr_px[inside], column[inside], row[inside]
    if x.size == 0:
        return Shapes(x, y, x, x)
    stamps = data[row[:, None, None] + offsets[None, :, None], column[:, None, None] + offsets[None, None, :]]
    dx = offsets[None, None, :] - (x - column)[:, None, None]
    dy = offsets[None, :, None] - (y - row)[:, None, None]
    variance = np.clip((size / 1.1774) ** 2, 0.25, (half / 2) ** 2)
    xx = yy = xy = variance
    with np.errstate(divide="ignore", invalid="ignore"):
        for _ in range(_ROUNDS):
            weighted = stamps * np.exp(-(dx**2 + dy**2) / (2 * variance[:, None, None]))
            total = weighted.sum(axis=(1, 2))
            xx = (weighted * dx**2).sum(axis=(1, 2)) / total
            yy = (weighted * dy**2).sum(axis=(1, 2)) / total
            xy = (weighted * dx * dy).sum(axis=(1, 2)) / total
            variance = np.clip(np.nan_to_num(xx + yy, nan=1.0), 0.2, (half / 1.5) ** 2)
        # undo the round weight along the star's own axes
        mean, split = (xx + yy) / 2, np.hypot((xx - yy) / 2, xy)
        major, minor = mean + split, mean - split
        major = 1 / (1 / major - 1 / variance)
        minor = 1 / (1 / minor - 1 / variance)
        elongation = np.sqrt(major / minor)
        angle = np.degrees(0.5 * np.arctan2(2 * xy, xx - yy))
    sound = np.isfinite(elongation)
    return Shapes(x[sound], y[sound], elongation[sound], angle[sound])


def over_field(shapes: Shapes, shape: tuple[int, int], columns: int = 7) -> Shapes:
    """One for each part of the frame with at least two stars, at its middle: the mean of the stars'
    ellipticity as a vector of twice the angle, so that round stars with noise add up to round."""
    height, width = shape
    rows = max(2, round(columns * height / width))
    share = (shapes.elongation - 1) / (shapes.elongation + 1)
    twice = share * np.exp(2j * np.radians(shapes.angle_deg))
    cell_x = np.minimum((shapes.x_px * columns / width).astype(int), columns - 1)
    cell_y = np.minimum((shapes.y_px * rows / height).astype(int), rows - 1)
    found = []
    for row in range(rows):
        for column in range(columns):
            here = (cell_x == column) & (cell_y == row)
            if np.count_nonzero(here) < 2:
                continue
            mean = complex(np.mean(twice[here]))
            found.append(
                (
                    (column + 0.5) * width / columns,
                    (row + 0.5) * height / rows,
                    (1 + abs(mean)) / (1 - abs(mean)),
                    float(np.degrees(np.angle(mean)) / 2),
                )
            )
    table = np.array(found).reshape(-1, 4)
    return Shapes(*table.T)


def clipped(image: NDArray[np.generic], level: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Columns and rows of the pixels at or over a level."""
    row, column = np.nonzero(np.greater_equal(image, level))
    return column, row
