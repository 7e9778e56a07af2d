"""Backlash and filter offsets."""

import numpy as np
import pytest

from vigil.focusing.backlash import backlash_of
from vigil.focusing.fit import NoCurve, Point
from vigil.focusing.offsets import FilterRun, NoOffsets, measured_offsets, order


def sweep(rng: np.random.Generator, best: float, count: int = 11) -> list[Point]:
    positions = np.linspace(best - 180, best + 180, count) + rng.uniform(-20, 20)
    sizes = np.hypot(2.0, 0.02 * (positions - best)) * np.exp(0.04 * rng.normal(size=count))
    return [Point(float(p), float(s), 0.02) for p, s in zip(positions, sizes, strict=True)]


def test_the_interval_holds_the_backlash_as_often_as_it_says() -> None:
    rng = np.random.default_rng(1)
    inside = 0
    for _ in range(200):
        steps = rng.uniform(0, 400)
        found = backlash_of(sweep(rng, 5000), sweep(rng, 5000 - steps))
        assert abs(found.steps - steps) < 15
        inside += found.interval[0] <= steps <= found.interval[1]
    assert 184 <= inside <= 197
    with pytest.raises(NoCurve, match="the downward sweep has 3 frames"):
        backlash_of(sweep(rng, 5000), sweep(rng, 5000, 3))


OFFSETS = {"L": 0.0, "R": 12.0, "Ha": -31.0}


def runs(rng: np.random.Generator, rounds: int, drift: float = 0.0, sigma: float = 1.5) -> list[FilterRun]:
    names = order(list(OFFSETS), rounds)
    return [
        FilterRun(name, 120.0 * k, 5000 + OFFSETS[name] + drift * k + sigma * rng.normal(), 1.96 * sigma)
        for k, name in enumerate(names)
    ]


def test_offsets_are_found_under_a_drift_with_honest_intervals() -> None:
    rng = np.random.default_rng(2)
    inside = total = 0
    for _ in range(150):
        found = measured_offsets(runs(rng, 3, drift=2.0), "L")
        assert found["L"].value == 0 and abs(found["Ha"].value + 31) < 6
        for name in ("R", "Ha"):
            inside += found[name].interval[0] <= OFFSETS[name] <= found[name].interval[1]
            total += 1
    assert inside / total >= 0.93
    assert order(["L", "R", "Ha"], 2) == ["L", "R", "Ha", "Ha", "R", "L"]


def test_without_the_reference_or_others_there_are_none() -> None:
    rng = np.random.default_rng(3)
    with pytest.raises(NoOffsets, match="no run through L"):
        measured_offsets([r for r in runs(rng, 2) if r.filter != "L"], "L")
    with pytest.raises(NoOffsets, match="only runs through L"):
        measured_offsets([r for r in runs(rng, 2) if r.filter == "L"], "L")
