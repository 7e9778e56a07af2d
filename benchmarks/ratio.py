"""Ratios that stand up to a noisy machine."""

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Ratio:
    """Ours against a reference: medians of interleaved runs, and the limit set for it."""

    name: str
    ours_s: float
    reference_s: float
    limit: float

    @property
    def ratio(self) -> float:
        return self.ours_s / self.reference_s

    def __str__(self) -> str:
        verdict = "ok" if self.ratio <= self.limit else "TOO SLOW"
        return (
            f"{self.name}: {self.ratio:.2f} × (limit {self.limit:g}) — "
            f"{1000 * self.ours_s:.0f} ms against {1000 * self.reference_s:.0f} ms  {verdict}"
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
