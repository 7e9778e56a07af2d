"""Randomness that depends on what it is for and not on when it is asked."""

import hashlib

import numpy as np
from numpy.typing import NDArray


def generator(seed: int, *what: str | int) -> np.random.Generator:
    """A generator keyed by (seed, device, counter …)."""
    digest = hashlib.sha256(repr((seed, *what)).encode()).digest()
    return np.random.Generator(np.random.SFC64(int.from_bytes(digest[:16], "little")))


def uniform_of(numbers: NDArray[np.int64], seed: int, stream: int) -> NDArray[np.float64]:
    """One uniform deviate in 0…1 for each number, the same whenever asked (SplitMix64's finaliser)."""
    z = numbers.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    z += np.uint64((seed * 0xD1B54A32D192ED03 + stream * 0x8CB92BA72F3D8DD7) % 2**64)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z ^= z >> np.uint64(31)
    return (z >> np.uint64(11)).astype(np.float64) * 2.0**-53


def normal_of(numbers: NDArray[np.int64], seed: int, stream: int) -> NDArray[np.float64]:
    """One standard normal deviate for each number (Box–Muller)."""
    u = np.maximum(uniform_of(numbers, seed, 2 * stream), 1e-300)
    return np.sqrt(-2 * np.log(u)) * np.cos(2 * np.pi * uniform_of(numbers, seed, 2 * stream + 1))
