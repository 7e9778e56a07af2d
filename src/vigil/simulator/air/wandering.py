"""Wandering values that are the same whenever asked for: noise with a memory, keyed by seed and time."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from vigil.simulator.chance import normal_of

Floats = NDArray[np.float64]
_STRETCH = 256
_MEMORIES = 9.0
_FORGETS, _LONG_STREAMS = 100.0, 5000


@dataclass(frozen=True, slots=True)
class Wanderer:
    """A first-order autoregressive series of unit variance, forgetting in `memory_s`, a value a `step_s`."""

    seed: int
    stream: int
    memory_s: float
    step_s: float

    def series(self, from_s: float, to_s: float) -> Floats:
        """Values at the grid's points from `from_s` (rounded down) to `to_s`; at least one."""
        first, last = math.floor(from_s / self.step_s), math.ceil(to_s / self.step_s)
        last = max(last, first + 1)
        begins, ends = first // _STRETCH, (last - 1) // _STRETCH
        values = np.concatenate([_stretch(self, number) for number in range(begins, ends + 1)])
        return values[first - begins * _STRETCH : last - begins * _STRETCH]

    def at(self, seconds: float) -> float:
        """The value at one time."""
        return _value(self, math.floor(seconds / self.step_s))

    def mean(self, from_s: float, to_s: float) -> float:
        """Over a time; of one much longer than the memory only its spread is left, not its way."""
        over_s = to_s - from_s
        if over_s < _FORGETS * self.memory_s:
            return float(self.series(from_s, to_s).mean())
        number = np.array([round(1000 * from_s), round(1000 * to_s)])
        drawn = normal_of(number, self.seed, self.stream + _LONG_STREAMS)
        return float(drawn.sum() / np.sqrt(2) * np.sqrt(variance_of_mean(self.memory_s, over_s)))


def _value(wanderer: Wanderer, number: int) -> float:
    """At a point of the grid; weather is asked for every second, and changes more slowly."""
    stretch, place = divmod(number, _STRETCH)
    return float(_stretch(wanderer, stretch)[place])


@lru_cache(maxsize=512)
def _stretch(wanderer: Wanderer, number: int) -> Floats:
    """Values of so many points of the grid: reckoned once, they are the same for whoever asks.

    The filter is run up over nine memories, so that two neighbours fit together to one part in 8,000.
    """
    ahead = math.ceil(_MEMORIES * wanderer.memory_s / wanderer.step_s)
    numbers = np.arange(number * _STRETCH - ahead, (number + 1) * _STRETCH)
    keep = math.exp(-wanderer.step_s / wanderer.memory_s)
    white = normal_of(numbers, wanderer.seed, wanderer.stream) * np.sqrt(1 - keep**2)
    wandered = accumulate(white.tolist(), lambda before, new: new + keep * before)
    values = np.array(list(wandered)[ahead:])
    values.setflags(write=False)
    return values


def variance_of_mean(memory_s: float, over_s: float) -> float:
    """Of an exponential process of unit variance, averaged over a time: 2 (x − 1 + e⁻ˣ)/x², x = T/τ."""
    x = over_s / memory_s
    return 1.0 if x < 1e-6 else float(2 * (x - 1 + np.exp(-x)) / x**2)


@dataclass(frozen=True, slots=True)
class Mixture:
    """Independent wanderers added up: (share of the variance, memory in seconds) each, shares adding to 1."""

    parts: Sequence[tuple[float, float]]
    seed: int
    stream: int

    def _wanderers(self) -> list[tuple[float, Wanderer]]:
        return [
            (float(np.sqrt(share)), Wanderer(self.seed, self.stream + k, memory_s, memory_s / 6))
            for k, (share, memory_s) in enumerate(self.parts)
        ]

    def mean(self, from_s: float, to_s: float) -> float:
        """Over an exposure."""
        return sum(share * wanderer.mean(from_s, to_s) for share, wanderer in self._wanderers())

    def variance_of_mean(self, over_s: float) -> float:
        return sum(share * variance_of_mean(memory_s, over_s) for share, memory_s in self.parts)
