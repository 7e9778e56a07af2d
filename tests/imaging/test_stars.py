"""Star detection and size against stars of known shape."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from campaigns import starsizes
from vigil.imaging.mosaic import SMOOTHING_PX2, luminance
from vigil.imaging.stars import measure_field, robust_median
from vigil.simulator.frame.psf import Spot, half_flux_radius_px, stamps

LEVEL, NOISE = 500.0, 8.0


def starry(fwhm_px: float, elongation: float = 1.0, count: int = 120, seed: int = 1, size: int = 700):
    """An image of Gaussian stars, integrated over pixels; and their places and fluxes."""
    rng = np.random.default_rng(seed)
    image = rng.normal(LEVEL, NOISE, (size, size))
    sigma = fwhm_px / 2.3548
    sa, sb = sigma * np.sqrt(elongation), sigma / np.sqrt(elongation)
    # on a loose grid, so that none overlap
    cells = rng.permutation((size // 40) ** 2)[:count]
    x = 20 + 40 * (cells % (size // 40)) + rng.uniform(-4, 4, count)
    y = 20 + 40 * (cells // (size // 40)) + rng.uniform(-4, 4, count)
    flux = 10 ** rng.uniform(4.0, 5.2, count)
    fine = (np.arange(5) - 2) / 5
    for k in range(count):
        c, r = int(x[k]), int(y[k])
        px = np.arange(c - 18, c + 19)[None, :, None, None] + fine[None, None, None, :]
        py = np.arange(r - 18, r + 19)[:, None, None, None] + fine[None, None, :, None]
        spot = np.exp(-((px - x[k]) ** 2 / sa**2 + (py - y[k]) ** 2 / sb**2) / 2).mean(axis=(2, 3))
        inside = np.s_[max(r - 18, 0) : r + 19, max(c - 18, 0) : c + 19]
        piece = image[inside]
        piece += (flux[k] * spot / (2 * np.pi * sa * sb))[-piece.shape[0] :, -piece.shape[1] :]
    return image.clip(0, 65535).astype(np.uint16), x, y, flux


@pytest.mark.parametrize("fwhm_px", [2.0, 3.2, 5.5])
def test_sizes_of_gaussian_stars(fwhm_px: float) -> None:
    image, *_ = starry(fwhm_px)
    field = measure_field(image)
    # a Gaussian's half-flux radius is half its FWHM
    assert field.fwhm_px == pytest.approx(fwhm_px, rel=0.02)
    assert field.hfr_px == pytest.approx(fwhm_px / 2, rel=0.02)
    assert field.elongation == pytest.approx(1.0, abs=0.03)


@pytest.mark.parametrize("beta", [2.0, 3.0, 5.0, None])
@pytest.mark.parametrize(("fwhm_px", "elongation"), [(1.5, 1.0), (3.0, 1.5), (8.0, 1.25)])
def test_a_sample_of_the_campaign(beta: float | None, fwhm_px: float, elongation: float) -> None:
    found = starsizes.measured(fwhm_px, beta, elongation, 1, side=7)
    assert abs(found["fwhm_off_percent"]) < 3 and abs(found["hfr_off_percent"]) < 3


def test_a_colour_camera_sees_no_larger_stars() -> None:
    image = starsizes.field(3.0, 3.0, 1.0, 4, side=7)
    plain = measure_field(image)
    smooth = measure_field(luminance(image), smoothing_px2=SMOOTHING_PX2)
    assert smooth.fwhm_px == pytest.approx(plain.fwhm_px, rel=0.03)
    assert smooth.hfr_px == pytest.approx(plain.hfr_px, rel=0.03)


@pytest.mark.parametrize("obstruction", [0.0, 0.4])
@pytest.mark.parametrize("disc_px", [2.0, 6.0, 14.0])
def test_out_of_focus_the_radius_has_no_step(disc_px: float, obstruction: float) -> None:
    spot = Spot(2.2, disc_px, obstruction, 4.0)
    half, stamp = spot.half_px(bright=True), stamps(spot, spot.half_px(bright=True))
    rng = np.random.default_rng(3)
    image = rng.normal(LEVEL, NOISE, (800, 800))
    for row in range(60, 760, 90):
        for column in range(60, 760, 90):
            i, j = rng.integers(0, 7, 2)
            star = 10 ** rng.uniform(4, 5.2) * stamp[i, j]
            image[row - half : row + half + 1, column - half : column + half + 1] += star
    assert measure_field(image).hfr_px == pytest.approx(half_flux_radius_px(spot), rel=0.03)


def test_positions_background_and_count() -> None:
    image, x, y, _ = starry(3.0)
    field = measure_field(image)
    assert len(field.stars) == len(x)
    apart = np.hypot(x[:, None] - field.stars.x_px, y[:, None] - field.stars.y_px).min(axis=1)
    assert np.max(apart) < 0.2
    assert field.background_adu == pytest.approx(LEVEL, abs=1)
    assert field.noise_adu == pytest.approx(NOISE, rel=0.03)
    assert np.all(np.diff(field.stars.flux_adu) <= 0)


def test_elongated_stars_are_told() -> None:
    image, *_ = starry(4.0, elongation=1.5)
    assert measure_field(image).elongation == pytest.approx(1.5, rel=0.06)


def test_hot_pixels_are_no_stars() -> None:
    rng = np.random.default_rng(3)
    image = rng.normal(LEVEL, NOISE, (400, 400))
    image.ravel()[rng.integers(0, image.size, 200)] += 5000
    assert len(measure_field(image).stars) == 0


def test_saturated_stars_are_counted_and_left_out_of_the_size() -> None:
    image, x, y, _ = starry(3.0)
    for k in range(5):
        image[int(y[k]) - 9 : int(y[k]) + 10, int(x[k]) - 9 : int(x[k]) + 10] = 65535
    field = measure_field(image, saturation_adu=65000)
    assert field.saturated == 5
    assert field.hfr_px == pytest.approx(3.08 / 2, rel=0.05)


def test_an_empty_sky_has_no_size() -> None:
    blank = measure_field(np.full((100, 100), 700, np.uint16))
    assert len(blank.stars) == 0 and np.isnan(blank.hfr_px)
    noise = np.random.default_rng(1).normal(500, 5, (300, 300))
    assert len(measure_field(noise).stars) == 0


def test_pixels_that_are_no_numbers_count_as_background() -> None:
    image, x, *_ = starry(3.0)
    holed = image.astype(np.float32)
    holed[100:104, :] = np.nan
    holed[5, 5] = np.inf
    field = measure_field(holed)
    assert len(field.stars) == pytest.approx(len(x), abs=6)
    assert field.hfr_px == pytest.approx(3.08 / 2, rel=0.05)


def test_the_image_is_not_changed() -> None:
    image = starry(3.0)[0].astype(np.float32)
    before = image.copy()
    measure_field(image)
    assert np.array_equal(image, before)


@pytest.mark.parametrize("shape", [(100,), (10, 100), (3, 100, 100)])
def test_what_is_no_plane_is_refused(shape: tuple[int, ...]) -> None:
    with pytest.raises(ValueError, match="32 × 32"):
        measure_field(np.zeros(shape))


@given(st.lists(st.floats(1.9, 2.1), min_size=15, max_size=40))
def test_the_robust_median_ignores_a_few_wild_values(sizes: list[float]) -> None:
    values = np.array(sizes + [50.0] * (len(sizes) // 5) + [float("nan")])
    assert 1.9 <= robust_median(values) <= 2.1
