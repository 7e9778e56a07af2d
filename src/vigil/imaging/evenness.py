"""Whether a patch of light is one source's: as bright in each quarter, and dark just outside. Pieces of
overlapping discs, crowds and the sky's unevenness are neither."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Evenness:
    """In shares of the light's mean brightness: the standard deviation of its quarters, and the size of what
    is left in the ring around it. Infinite where there is no light."""

    quarters: float
    around: float


def evenness(
    frame: NDArray[np.floating], y: int, x: int, lit_px: tuple[float, float], around_px: tuple[float, float]
) -> Evenness | None:
    """Of the light between two radii of row `y`, column `x` in `frame` [row, column], against the ring
    between two larger ones; the dark is what lies outside that. None too near to the frame's edge."""
    reach = int(np.ceil(1.2 * around_px[1])) + 1
    stamp = frame[max(y - reach, 0) : y + reach + 1, max(x - reach, 0) : x + reach + 1]
    if stamp.shape != (2 * reach + 1, 2 * reach + 1):
        return None
    dy, dx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    away = np.hypot(dy, dx)
    light = stamp - np.median(stamp[away > around_px[1]])
    lit = (away > lit_px[0]) & (away < lit_px[1])
    ring = (away > around_px[0]) & (away < around_px[1])
    bright = float(light[lit].mean())
    if not bright > 0:
        return Evenness(np.inf, np.inf)
    quarters = [light[lit & (up * dy > 0) & (right * dx > 0)].mean() for up in (-1, 1) for right in (-1, 1)]
    return Evenness(float(np.std(quarters)) / bright, abs(float(light[ring].mean())) / bright)
