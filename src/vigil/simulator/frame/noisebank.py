"""Noise of guide frames, of which a night has thousands: drawn once for a level, and shifted by chance."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from vigil.simulator.frame.noise import poisson
from vigil.simulator.frame.scene import Sensor

_SPARE = 1 << 18
"""Pixels more than a frame has: where it begins is drawn for each."""
_LEVELS_A_DOUBLING = 32
_LITTLE = 0.06
"""Of the variance: so much light above the level adds no noise of its own, an error of 3 % in it."""


def counted(mean: NDArray[np.float32], sensor: Sensor, rng: np.random.Generator) -> NDArray[np.float32]:
    """A frame's electrons out of their means: a count of the level that lies under nearly all pixels, with
    the readout's noise, from the bank; and of what stands above it, as sums of Poisson counts are Poisson
    counts."""
    read_noise_e = sensor.read_noise_e * sensor.binning
    level = _level_under(float(np.percentile(mean[::16, ::16], 1)))
    noise = _bank(level, read_noise_e, mean.size + _SPARE)
    begins = int(rng.integers(0, _SPARE))
    electrons = noise[begins : begins + mean.size].reshape(mean.shape) + (mean - np.float32(level))
    little = _LITTLE * (level + read_noise_e**2)
    above = np.flatnonzero(mean > level + little)
    more = mean.ravel()[above] - np.float32(level)
    electrons.ravel()[above] += poisson(more, rng) - more
    return np.minimum(electrons, np.float32(sensor.full_well_e * sensor.binning**2))


def _level_under(value: float) -> float:
    """One of few, so that banks are used again while the sky changes."""
    if value < 1.0:
        return 0.0
    return float(2 ** (np.floor(np.log2(value) * _LEVELS_A_DOUBLING) / _LEVELS_A_DOUBLING))


@lru_cache(maxsize=4)
def _bank(level_e: float, read_noise_e: float, size: int) -> NDArray[np.float32]:
    """Of a fixed seed: which part of it a frame has is the frame's own chance."""
    rng = np.random.default_rng(97)
    noise = np.float32(read_noise_e) * rng.standard_normal(size, dtype=np.float32)
    if level_e:
        noise += poisson(np.full(size, level_e, np.float32), rng)
    return noise
