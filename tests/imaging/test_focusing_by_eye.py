"""Spikes of a diffraction mask, the sharpness of any subject, one star looked at closely."""

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from vigil.imaging.onestar import one_star
from vigil.imaging.richestpart import richest_part
from vigil.imaging.sharpness import sharpness_of
from vigil.imaging.spikes import NoSpikes, mask_reading
from vigil.simulator.frame.psf import Spot, half_flux_radius_px, stamps

Floats = NDArray[np.float64]
CENTRE = 150.4, 149.7


def masked_star(offset_px: float, seed: int, turn_deg: float = 0.0, fan_deg: float = 40.0) -> Floats:
    """A star behind a mask: three spikes, the middle one beside the others' crossing."""
    rng = np.random.default_rng(seed)
    y, x = np.indices((300, 300))
    dx, dy = x - CENTRE[0], y - CENTRE[1]
    away = np.hypot(dx, dy)
    light = 30_000 * np.exp(-(away**2) / 8)
    for angle, beside in ((-fan_deg / 2, 0.0), (0.0, offset_px), (fan_deg / 2, 0.0)):
        turn = np.radians(angle + turn_deg)
        across = dy * np.cos(turn) - dx * np.sin(turn) - beside
        light += 900 * np.exp(-(across**2) / 4) / (1 + (away / 40) ** 2)
    return rng.poisson(np.maximum(light, 0) + 400).astype(float)


@pytest.mark.parametrize("turn_deg", [0.0, 33.0, 90.0, 171.0])
def test_the_middle_spike_s_offset_is_read_with_its_sign(turn_deg: float) -> None:
    for offset in (-6.0, 0.0, 0.7):
        found = [mask_reading(masked_star(offset, seed, turn_deg), *CENTRE) for seed in range(2)]
        values = np.array([reading.offset_px for reading in found])
        sign = -1 if turn_deg > 157.5 else 1  # told from the other end, where left is right
        assert np.abs(sign * values - offset).max() < 0.25, (offset, values)
        assert all(reading.error_px < 0.3 for reading in found)
        assert np.hypot(found[0].x_px - CENTRE[0], found[0].y_px - CENTRE[1]) < 0.6


def test_without_three_spikes_it_says_what_is_missing() -> None:
    rng = np.random.default_rng(1)
    plain = rng.poisson(np.full((300, 300), 400.0)).astype(float)
    with pytest.raises(NoSpikes, match="spikes are to be seen, 3 are needed"):
        mask_reading(plain, *CENTRE)
    with pytest.raises(NoSpikes, match="edge"):
        mask_reading(plain, 5.0, 5.0)


def test_sharpness_falls_with_blur_whatever_the_light() -> None:
    rng = np.random.default_rng(2)
    tower = np.zeros((240, 320))
    tower[60:, 130:190] = 1.0
    tower[80:220:16, 140:180:12] = 0.3
    blurs = []
    for width in (1.0, 2.0, 4.0, 8.0):
        for brightness in (2_000, 20_000):
            seen = gaussian_filter(tower, width) * brightness + 500
            blurs.append(sharpness_of(rng.poisson(seen)).blur)
    by_light = np.array(blurs).reshape(4, 2)
    assert np.all(np.diff(by_light[:, 1]) > 0)
    assert np.abs(by_light[:, 0] / by_light[:, 1] - 1).max() < 0.1
    clipped = sharpness_of(np.full((64, 64), 65535), 65535.0)
    assert clipped.clipped == 1.0
    with pytest.raises(ValueError, match="plane of 32"):
        sharpness_of(np.zeros((3, 3)))


@pytest.mark.parametrize("spot", [Spot(3.0, 0.0, 0.0, 4.0), Spot(3.0, 40.0, 0.35, 4.0)])
def test_one_star_is_measured_where_it_is(spot: Spot) -> None:
    rng = np.random.default_rng(3)
    image = rng.normal(500, 6, (400, 500))
    stamp = stamps(spot, spot.half_px(bright=True))[3, 3]
    half = len(stamp) // 2
    for x, y, flux in ((140, 120, 150_000), (380, 300, 400_000)):
        image[y - half : y + half + 1, x - half : x + half + 1] += flux * stamp
    bright = one_star(image, 65_000, obstruction=spot.obstruction)
    assert bright is not None and abs(bright.x_px - 380) < 0.5 and abs(bright.y_px - 300) < 0.5
    near = one_star(image, 65_000, obstruction=spot.obstruction, near=(150, 125))
    assert near is not None and abs(near.x_px - 140) < 0.7 and abs(near.y_px - 120) < 0.7
    truth = half_flux_radius_px(spot)
    assert bright.size_px == pytest.approx(truth, rel=0.12) and bright.disc == (spot.disc_px > 20)
    assert bright.cutout is not None and bright.cutout.max() == 1.0 and max(bright.profile) <= 1.05
    assert one_star(rng.normal(500, 6, (200, 200)), 65_000) is None


def test_the_richest_part_has_the_detail_and_nothing_that_clips() -> None:
    rng = np.random.default_rng(4)
    image = rng.normal(500, 8, (900, 1200))
    tower = gaussian_filter(rng.normal(0, 1, (160, 160)), 2.0)
    image[600:760, 200:360] += 4000 * tower
    image[100:260, 900:1060] += 9000 * tower
    image[104:260:32, 904:1060:32] = 65_535  # lamps all over the sharper one
    left, bottom, columns, rows = richest_part(image, 256) or (0, 0, 0, 0)
    assert columns == rows == 256 and left <= 200 and left + 256 >= 360
    assert bottom <= 600 and bottom + 256 >= 760
    assert richest_part(image[:300, :300], 256) is None, "hardly larger"
    assert richest_part(np.full((900, 1200), 65_535), 256) is None
