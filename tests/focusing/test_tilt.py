"""Tilt and curvature out of one run's zones."""

import numpy as np
import pytest

from vigil.focusing.fit import Point
from vigil.focusing.tilt import NoField, Zone, field_focus

WIDTH, HEIGHT = 11.4, 11.4


def zones(tilt_deg: float, towards_deg: float, bowl_um: float, seed: int, share: float = 0.02) -> list[Zone]:
    """Nine zones of a sensor whose corners are in focus `bowl_um` farther out than its centre."""
    rng = np.random.default_rng(seed)
    slope = np.tan(np.radians(tilt_deg)) * 1000
    travel = np.arange(-160.0, 161.0, 40.0)
    common = 1 + 0.04 * rng.standard_normal(len(travel))  # seeing: all zones alike
    made = []
    for x in (-4.0, 0.0, 4.0):
        for y in (-4.0, 0.0, 4.0):
            towards = np.radians(towards_deg)
            best = slope * (x * np.cos(towards) + y * np.sin(towards)) + bowl_um * (x**2 + y**2) / (
                WIDTH**2 / 2
            )
            sizes = (
                np.hypot(1.8, (travel - best) / 22) * common * (1 + share * rng.standard_normal(len(travel)))
            )
            made.append(Zone(x, y, [Point(float(p), float(s)) for p, s in zip(travel, sizes, strict=True)]))
    return made


def test_tilt_and_its_direction() -> None:
    rng = np.random.default_rng(8)
    sizes, ways = [], []
    for seed in range(100):
        towards = float(rng.uniform(0, 360))
        found = field_focus(zones(0.3, towards, 0.0, seed), WIDTH, HEIGHT)
        sizes.append(abs(found.tilt_deg / 0.3 - 1))
        ways.append(abs((found.towards_deg - towards + 180) % 360 - 180))
        assert found.tilt_um == pytest.approx(1000 * np.tan(np.radians(found.tilt_deg)) * WIDTH * 2**0.5)
    assert np.median(sizes) < 0.08 and np.percentile(sizes, 90) < 0.15
    assert np.median(ways) < 5 and np.percentile(ways, 90) < 10


@pytest.mark.parametrize("bowl_um", [-60.0, 60.0])
def test_a_wrong_back_focus_shows_with_its_sign(bowl_um: float) -> None:
    found = field_focus(zones(0.0, 0.0, bowl_um, 3), WIDTH, HEIGHT)
    assert found.curvature_um == pytest.approx(bowl_um, abs=4 * found.curvature_sigma_um)
    assert found.curvature_um * bowl_um > 0 and found.curvature_sigma_um < 20
    assert found.tilt_deg < 4 * found.tilt_sigma_deg


def test_too_few_zones_with_a_curve() -> None:
    flat = [Zone(x, 0.0, [Point(p, 3.0) for p in range(9)]) for x in range(9)]
    with pytest.raises(NoField, match="0 of 9 zones"):
        field_focus(flat, WIDTH, HEIGHT)
