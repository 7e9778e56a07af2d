"""From mean electrons to the camera's numbers: photons that come singly, a readout that trembles."""

from collections.abc import Callable, Iterator
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaln, xlogy

from vigil.simulator.frame.scene import Sensor

TILE_PX = 256
# above this a Poisson count is taken as normal: its skewness is under 0.18
_NORMAL_FROM_E = 30.0
_COLUMNS = 256
_QUANTUM_E = 0.25
_LEVELS = int(_NORMAL_FROM_E / _QUANTUM_E) + 1
_MOST_OF_FEW = 60
_FILLS_FROM = 0.9

Tile = tuple[slice, slice]
Counted = Callable[[NDArray[np.float32], Sensor, np.random.Generator], NDArray[np.float32]]
Table = tuple[NDArray[np.uint32], NDArray[np.float32]]
"""For each of 256 columns: below which 24-bit number it counts as itself, and as what else."""


def tiles(shape: tuple[int, int]) -> Iterator[Tile]:
    rows, columns = shape
    for top in range(0, rows, TILE_PX):
        for left in range(0, columns, TILE_PX):
            yield slice(top, min(top + TILE_PX, rows)), slice(left, min(left + TILE_PX, columns))


def read_out(
    mean_of: Callable[[Tile], NDArray[np.float32]],
    shape: tuple[int, int],
    sensor: Sensor,
    rng: np.random.Generator,
    counted: Counted | None = None,
) -> NDArray[np.uint16]:
    """The frame, tile by tile: `mean_of` gives a tile's mean electrons, which may be changed in place.
    `counted` makes electrons of them in another way than by chance pixel by pixel."""
    frame, counted = np.empty(shape, np.uint16), counted or _with_noise
    scale, bias = np.float32(1 / sensor.electrons_per_adu), np.float32(sensor.bias_adu * sensor.binning**2)
    for tile in tiles(shape):
        electrons = counted(mean_of(tile), sensor, rng)
        electrons *= scale
        electrons += bias
        np.rint(electrons, out=electrons)
        np.clip(electrons, 0, sensor.full_scale_adu, out=electrons)
        frame[tile] = electrons
    return frame


def _with_noise(mean: NDArray[np.float32], sensor: Sensor, rng: np.random.Generator) -> NDArray[np.float32]:
    read_noise_e = np.float32(sensor.read_noise_e * sensor.binning)
    full_well_e = np.float32(sensor.full_well_e * sensor.binning**2)
    if sensor.noise:
        return _counted(mean, read_noise_e, full_well_e, rng)
    return np.minimum(mean, full_well_e, out=mean)


def _counted(
    mean: NDArray[np.float32], read_noise_e: np.float32, full_well_e: np.float32, rng: np.random.Generator
) -> NDArray[np.float32]:
    """Photon and read noise added, the full well in between."""
    trembling = rng.standard_normal(mean.shape, dtype=np.float32)
    lowest, highest = float(mean.min()), float(mean.max())
    if lowest >= _NORMAL_FROM_E:
        # both noises are normal: one deviate does for both, but for pixels that overflow in between
        filled = (
            np.flatnonzero(mean > _FILLS_FROM * full_well_e) if highest > _FILLS_FROM * full_well_e else None
        )
        spread = np.sqrt(mean + read_noise_e**2)
        trembling *= spread
        trembling += mean
        if filled is not None:
            counts = _normal_counts(mean.ravel()[filled], rng)
            overflown = read_noise_e * rng.standard_normal(filled.size, dtype=np.float32)
            trembling.ravel()[filled] = np.minimum(counts, full_well_e) + overflown
        return trembling
    if 2 * np.count_nonzero(mean == np.float32(lowest)) > mean.size:
        counts = _even_poisson(mean, lowest, rng)
    else:
        counts = poisson(mean, rng)
    np.minimum(counts, full_well_e, out=counts)
    trembling *= read_noise_e
    trembling += counts
    return trembling


def _normal_counts(mean: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    return mean + np.sqrt(mean) * rng.standard_normal(mean.size, dtype=np.float32)


def _even_poisson(mean: NDArray[np.float32], lowest: float, rng: np.random.Generator) -> NDArray[np.float32]:
    """Where most pixels have the same mean, as in darks, one table serves them exactly."""
    counts = np.zeros(mean.size, np.float32)
    if lowest > 0:
        counts = _from_table(_rounded(_alias_table(lowest)), np.zeros(mean.size, np.uint8), rng)
    others = np.flatnonzero(mean != np.float32(lowest))
    counts[others] = poisson(mean.ravel()[others], rng)
    return counts.reshape(mean.shape)


def poisson(mean: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    """Poisson counts, each the sum of a count of a round mean, which a table gives, and of one of the
    little that is beyond; normal deviates where there is much."""
    flat = mean.ravel()
    level = np.minimum(flat / np.float32(_QUANTUM_E), _LEVELS - 1).astype(np.uint8)
    counts = _from_table(_alias_tables(), level, rng) if level.any() else np.zeros(flat.size, np.float32)
    beyond = flat - level * np.float32(_QUANTUM_E)
    counts += _few(np.minimum(beyond, np.float32(_QUANTUM_E)), rng)
    many = np.flatnonzero(flat >= _NORMAL_FROM_E)
    counts[many] = _normal_counts(flat[many], rng)
    return counts.reshape(mean.shape)


def _few(mean: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    """Poisson counts of small means by inverting the distribution: most are settled by one comparison."""
    chance = rng.random(mean.size, dtype=np.float32)
    none = np.exp(-mean)
    counts = np.zeros(mean.size, np.float32)
    at = np.flatnonzero(chance >= none)
    chance, share, expected = chance[at], none[at], mean[at]
    below, count = share.copy(), 0
    while at.size and count < _MOST_OF_FEW:
        count += 1
        counts[at] = count
        share *= expected / count
        below += share
        going = chance >= below
        at, chance, share, expected, below = (v[going] for v in (at, chance, share, expected, below))
    return counts


def _from_table(table: Table, level: NDArray[np.uint8], rng: np.random.Generator) -> NDArray[np.float32]:
    """Independent counts of each level's distribution by Walker's alias method (Vose 1991, IEEE Trans. Softw.
    Eng. 17, 972), exact to one part in 2²⁴: eight bits choose a column, the others which of its two
    counts."""
    keep, other = table
    bits = rng.integers(0, 1 << 32, level.size, dtype=np.uint32)
    column = bits >> np.uint32(24)
    bits &= np.uint32(0xFFFFFF)
    counts = column.astype(np.float32)
    column += level * np.uint32(_COLUMNS)
    np.copyto(counts, other.take(column, mode="clip"), where=bits >= keep.take(column, mode="clip"))
    return counts


@cache
def _alias_tables() -> Table:
    """Those of the means 0, 1, 2 … times _QUANTUM_E, one after another."""
    return _rounded(*(_alias_table(level * _QUANTUM_E) for level in range(_LEVELS)))


def _rounded(*tables: tuple[list[float], list[int]]) -> Table:
    keep, other = (np.array([table[k] for table in tables]).ravel() for k in (0, 1))
    return np.rint(keep * (1 << 24)).astype(np.uint32), other.astype(np.float32)


@lru_cache(maxsize=64)
def _alias_table(mean: float) -> tuple[list[float], list[int]]:
    counts = np.arange(_COLUMNS)
    share = np.exp(xlogy(counts, mean) - gammaln(counts + 1) - mean)
    share = (share / share.sum() * _COLUMNS).tolist()
    keep, other = [1.0] * _COLUMNS, list(range(_COLUMNS))
    small = [k for k in range(_COLUMNS) if share[k] < 1]
    large = [k for k in range(_COLUMNS) if share[k] >= 1]
    while small and large:
        less, more = small.pop(), large.pop()
        keep[less], other[less] = share[less], more
        share[more] -= 1 - share[less]
        (small if share[more] < 1 else large).append(more)
    return keep, other
