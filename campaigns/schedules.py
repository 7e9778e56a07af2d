"""Nights shared out among projects: against every choice there is, and against the greedy one."""

import itertools
import time
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from vigil.scheduling.night import IDLE, Costs, Option, greedy, share_out, value_of

SMALL, LARGE, TWELVE = 100, 200, 10
_MOST_S = 5.0


def options_of(rng: np.random.Generator, projects: int, filters: int, slots: int) -> list[Option]:
    """Targets that rise and set, low at both ends, each filter with a worth that a moon changes in mid-night,
    hours that are still wanted, and weights."""
    at = (np.arange(slots) + 0.5) / slots
    moon = float(rng.uniform(0, 1))
    found = []
    for project in range(projects):
        middle, half = float(rng.uniform(-0.1, 1.1)), float(rng.uniform(0.2, 0.7))
        high = np.clip(1 - ((at - middle) / half) ** 2, 0, None)
        weight = float(rng.uniform(0.7, 1.3))
        for number in range(filters):
            minds = 0.15 if number >= filters // 2 else 0.75
            worth = np.where(high > 0.1, 0.4 + 0.6 * high, 0.0) * np.where(at > moon, 1 - minds, 1.0)
            wanted = float(rng.uniform(0.2, 6.0))
            found.append(Option(f"{project}/{number}", f"{project}", worth, wanted, weight))
    return found


def small(number: int) -> dict[str, Any]:
    """Three options and seven slots, every choice tried."""
    rng = np.random.default_rng([22, number])
    options = options_of(rng, int(rng.integers(1, 4)), 1, 7)
    if len(options) < 3:
        options = options_of(rng, 1, 3, 7)
    costs = Costs(float(rng.uniform(0.02, 0.3)), float(rng.uniform(0, 0.05)), float(rng.uniform(0, 0.2)))
    choices = itertools.product(range(IDLE, len(options)), repeat=7)
    best = max(value_of(choice, options, 1.0, costs).value for choice in choices)
    found = share_out(options, 1.0, costs).value
    return {"kind": "small", "best": best, "found": found, "short": 1 - found / best if best > 0 else 0.0}


def large(number: int, projects: int | None = None) -> dict[str, Any]:
    """Up to twelve projects with up to four filters in slots of ten minutes."""
    rng = np.random.default_rng([23, number, projects or 0])
    count = projects or int(rng.integers(2, 9))
    options = options_of(rng, count, 4 if projects else int(rng.integers(1, 5)), int(rng.integers(30, 66)))
    costs = Costs(float(rng.uniform(0.03, 0.15)), float(rng.uniform(0.003, 0.03)), 0.08)
    begun = time.perf_counter()
    found = share_out(options, 1 / 6, costs, _MOST_S)
    took_s = time.perf_counter() - begun
    simple = greedy(options, 1 / 6, costs)
    return {
        "kind": "twelve" if projects else "large",
        "found": found.value,
        "greedy": simple.value,
        "proven": found.proven,
        "took_s": round(took_s, 2),
    }


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    few = [r for r in results if r["kind"] == "small"]
    many = [r for r in results if r["kind"] != "small"]
    gains = [r["found"] / r["greedy"] - 1 for r in many if r["greedy"] > 0]
    return {
        "small": len(few),
        "worst_short_of_the_optimum_percent": round(100 * max(r["short"] for r in few), 3),
        "large": len(many),
        "worse_than_greedy": sum(r["found"] < r["greedy"] - 1e-9 for r in many),
        "better_by_percent_median": round(100 * float(np.median(gains)), 2),
        "better_by_percent_most": round(100 * max(gains), 1),
        "proven": sum(r["proven"] for r in many),
        "twelve_projects_longest_s": max((r["took_s"] for r in many if r["kind"] == "twelve"), default=None),
    }


def items(
    few: int = SMALL, many: int = LARGE, twelve: int = TWELVE
) -> Iterator[tuple[str, Callable[[], dict[str, Any]]]]:
    for number in range(few):
        yield f"small {number}", lambda number=number: small(number)
    for number in range(many):
        yield f"large {number}", lambda number=number: large(number)
    for number in range(twelve):
        yield f"twelve {number}", lambda number=number: large(number, 12)


def campaign() -> dict[str, Any]:
    return run_campaign("schedules", items(), summarise, alone=True)
