"""Tilt and curvature out of one run's stars."""

import numpy as np
import pytest

from vigil.focusing.tilt import FieldStars, NoField, field_focus

WIDTH, HEIGHT = 11.4, 8.6
CORNER2 = (WIDTH**2 + HEIGHT**2) / 4


def stars(tilt_deg: float, towards_deg: float, bowl_um: float, seed: int, count: int = 60) -> FieldStars:
    """A sensor whose corners are in focus `bowl_um` farther out than its centre. Stars differ in size, frames
    in seeing, and the faint are seen near focus only."""
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(-WIDTH / 2, WIDTH / 2, count), rng.uniform(-HEIGHT / 2, HEIGHT / 2, count)
    slope, towards = np.tan(np.radians(tilt_deg)) * 1000, np.radians(towards_deg)
    best = slope * (x * np.cos(towards) + y * np.sin(towards)) + bowl_um * (x**2 + y**2) / CORNER2
    travel = np.arange(-160.0, 161.0, 40.0)
    sizes = np.hypot(1.8, (travel[:, None] - best) / 22)
    seen = sizes < rng.uniform(3, 9, count)
    sizes *= np.exp(0.04 * rng.standard_normal((len(travel), 1)) + 0.02 * rng.standard_normal(count))
    sizes *= np.exp(0.03 * rng.standard_normal(sizes.shape))
    return FieldStars(travel, x, y, np.where(seen, sizes, np.nan))


@pytest.mark.parametrize("count", [12, 60])
def test_tilt_and_its_direction(count: int) -> None:
    rng = np.random.default_rng(8)
    sizes, ways, sigmas = [], [], []
    for seed in range(60):
        towards = float(rng.uniform(0, 360))
        found = field_focus(stars(0.5, towards, 10.0, seed, count), WIDTH, HEIGHT)
        sizes.append(abs(found.tilt_deg / 0.5 - 1))
        sigmas.append((found.tilt_deg - 0.5) / found.tilt_sigma_deg)
        ways.append(abs((found.towards_deg - towards + 180) % 360 - 180))
        across = 2 * CORNER2**0.5
        assert found.tilt_um == pytest.approx(1000 * np.tan(np.radians(found.tilt_deg)) * across)
    assert np.percentile(sizes, 90) < (0.15 if count < 20 else 0.05)
    assert np.percentile(ways, 90) < (10 if count < 20 else 3)
    assert 0.6 < np.sqrt(np.median(np.square(sigmas))) / 0.67 < 1.7


@pytest.mark.parametrize("bowl_um", [-60.0, 60.0])
def test_a_wrong_back_focus_shows_with_its_sign(bowl_um: float) -> None:
    found = field_focus(stars(0.0, 0.0, bowl_um, 3), WIDTH, HEIGHT)
    assert found.curvature_um == pytest.approx(bowl_um, abs=4 * found.curvature_sigma_um)
    assert found.curvature_um * bowl_um > 0 and found.curvature_sigma_um < 10
    assert found.tilt_deg < 4 * found.tilt_sigma_deg
    corners = [z.best_um for z in found.zones if abs(z.x_mm) > WIDTH / 3 and abs(z.y_mm) > HEIGHT / 5]
    (middle,) = [z.best_um for z in found.zones if np.hypot(z.x_mm, z.y_mm) < 1]
    assert len(corners) == 4 and all((corner - middle) * bowl_um > 0 for corner in corners)


def test_what_tells_no_tilt() -> None:
    some = stars(0.3, 0.0, 0.0, 1)
    with pytest.raises(NoField, match="5 stars are seen in 4 frames"):
        field_focus(FieldStars(some.at_um, some.x_mm[:5], some.y_mm[:5], some.sizes_px[:, :5]), WIDTH, HEIGHT)
    with pytest.raises(NoField, match="on one line"):
        field_focus(FieldStars(some.at_um, some.x_mm, 0 * some.y_mm, some.sizes_px), WIDTH, HEIGHT)
    with pytest.raises(NoField, match="sizes hardly grow"):
        field_focus(FieldStars(some.at_um, some.x_mm, some.y_mm, np.full((9, 60), 3.0)), WIDTH, HEIGHT)
