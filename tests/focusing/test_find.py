"""From anywhere to near focus: discs of known size, looks that see nothing, and travels that end too soon."""

from collections.abc import Callable

import numpy as np
import pytest

from vigil.focusing.find import GoOn, Look, Near, NotFound, Travel, next_look

TRAVEL = Travel.of(0, 12000, focal_ratio=6.0, pixel_um=3.8, um_per_step=3.5, near_px=6.0)


def search(
    travel: Travel, start: int, sees: Callable[[int], float | None]
) -> tuple[Near | NotFound, list[Look]]:
    looks: list[Look] = []
    step = next_look(travel, start, looks)
    while isinstance(step, GoOn):
        assert travel.lowest <= step.position <= travel.highest and step.why
        looks.append(Look(step.position, sees(step.position)))
        step = next_look(travel, start, looks)
    return step, looks


def discs(
    best: float, seed: int, scale: float = 1.0, seen_to_px: float = 400.0
) -> Callable[[int], float | None]:
    """Radii with 8 % scatter; `scale` is how wrong the rig's figures are."""
    rng = np.random.default_rng(seed)

    def sees(position: int) -> float | None:
        radius = np.hypot(abs(position - best) / TRAVEL.steps_a_px * scale, 1.5) * (
            1 + 0.08 * rng.standard_normal()
        )
        return float(radius) if radius <= seen_to_px else None

    return sees


def test_a_radius_says_how_far_away_focus_is() -> None:
    # a disc of 20 px of 3.8 µm has 2 · 20 · 3.8 = 152 µm; at f/6 that is 912 µm of defocus, 260.6 steps
    assert 20 * TRAVEL.steps_a_px == pytest.approx(260.57, abs=0.01)


@pytest.mark.parametrize("scale", [0.8, 1.0, 1.25])
def test_from_anywhere_in_the_travel(scale: float) -> None:
    rng = np.random.default_rng(5)
    counts = []
    for seed in range(200):
        best, start = float(rng.uniform(1500, 10500)), int(rng.uniform(0, 12000))
        step, looks = search(TRAVEL, start, discs(best, seed, scale))
        assert isinstance(step, Near), (seed, step, looks)
        assert abs(step.position - best) < 8 * TRAVEL.steps_a_px / scale
        counts.append(len(looks))
    assert np.median(counts) <= 4 and max(counts) <= 10


def test_where_nothing_can_be_seen_it_looks_elsewhere() -> None:
    """Discs over 120 px are lost in the sky: two thirds of the travel show nothing."""
    rng = np.random.default_rng(6)
    found = 0
    for seed in range(100):
        best, start = float(rng.uniform(1500, 10500)), int(rng.uniform(0, 12000))
        step, _ = search(TRAVEL, start, discs(best, seed, seen_to_px=120.0))
        found += isinstance(step, Near) and abs(step.position - best) < 8 * TRAVEL.steps_a_px
    assert found >= 98


def test_a_cap_is_told() -> None:
    step, looks = search(TRAVEL, 6000, lambda _: None)
    assert isinstance(step, NotFound) and "looks" in step.reason and len(looks) == 12


def test_focus_outside_the_travel_is_told() -> None:
    step, _ = search(TRAVEL, 3000, discs(20000.0, 1, seen_to_px=5000.0))
    assert isinstance(step, NotFound)
