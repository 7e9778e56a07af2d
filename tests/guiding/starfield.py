"""Guide frames with noise, for tests."""

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.centroid import Profile

Floats = NDArray[np.float64]


def frame(
    profile: Profile,
    stars: list[tuple[float, float, float]],
    rng: np.random.Generator,
    shape: tuple[int, int] = (300, 400),
    background: float = 60.0,
    read_noise: float = 1.5,
    full: float = 65_535.0,
) -> Floats:
    """Stars by column, row and light (electrons)."""
    light = np.full(shape, background)
    for x, y, flux in stars:
        left, bottom = int(x) - 20, int(y) - 20
        stamp = flux * profile.on_pixels(x - left, y - bottom, 41, 41)[0]
        rows = slice(max(0, bottom), min(shape[0], bottom + 41))
        columns = slice(max(0, left), min(shape[1], left + 41))
        light[rows, columns] += stamp[
            rows.start - bottom : rows.stop - bottom, columns.start - left : columns.stop - left
        ]
    noisy = rng.poisson(light) + rng.normal(0, read_noise, shape)
    return np.clip(np.rint(noisy), 0, full)
