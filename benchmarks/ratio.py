"""Ratios that stand up to a noisy machine."""

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Ratio:
    """Ours against a reference, and the limit set for it: medians of interleaved runs in seconds, or
    amounts of another unit."""

    name: str
    ours: float
    reference: float
    limit: float
    unit: str = "s"

    @property
    def ratio(self) -> float:
        return self.ours / self.reference

    def _shown(self, value: float) -> str:
        return f"{1000 * value:.0f} ms" if self.unit == "s" else f"{value:.2f} {self.unit}"

    def __str__(self) -> str:
        verdict = "ok" if self.ratio <= self.limit else "TOO SLOW"
        return (
            f"{self.name}: {self.ratio:.2f} × (limit {self.limit:g}) — "
            f"{self._shown(self.ours)} against {self._shown(self.reference)}  {verdict}"
        )


def compare(
    name: str, ours: Callable[[], object], reference: Callable[[], object], limit: float, rounds: int = 9
) -> Ratio:
    """Time both in turn; one warm-up round isn't counted."""
    times: tuple[list[float], list[float]] = ([], [])
    for count in range(rounds + 1):
        for work, spent in zip((ours, reference), times, strict=True):
            began = time.perf_counter()
            work()
            if count:
                spent.append(time.perf_counter() - began)
    return Ratio(name, statistics.median(times[0]), statistics.median(times[1]), limit)
