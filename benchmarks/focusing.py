"""A focus curve fitted, against one least-squares solution of that size."""

import numpy as np

from benchmarks.ratio import Ratio, compare
from vigil.focusing.fit import Point, fit

_COUNT, _TIMES = 11, 200


def fitting() -> Ratio:
    """Two hundred fits of eleven positions, interval and outlier test and all."""
    rng = np.random.default_rng(5)
    position = np.linspace(-100, 100, _COUNT)
    size = np.hypot(1.5, 0.03 * (position - 7)) * np.exp(0.04 * rng.normal(size=_COUNT))
    points = [Point(float(p), float(s), 0.01 * float(s)) for p, s in zip(position, size, strict=True)]
    design = np.stack([position**2, position, np.ones(_COUNT)], axis=1)

    def ours() -> None:
        for _ in range(_TIMES):
            fit(points)

    def bare() -> None:
        for _ in range(_TIMES):
            np.linalg.lstsq(design, size**2, rcond=None)

    return compare("200 focus curves fitted", ours, bare, 20.0)
