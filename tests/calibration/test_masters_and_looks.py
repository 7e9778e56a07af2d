"""Masters, looks at flats, and flats tried on a light: known answers and properties."""

import numpy as np
import pytest

from vigil.calibration.flatlook import look, set_faults
from vigil.calibration.flatten import flattened, normalised, try_flat
from vigil.calibration.masters import combined, middle_of

SHAPE = (240, 360)
BIAS, FULL = 500.0, 65535.0


def response(vignetting: float = 0.2, across: float = 0.0, corner: float = 0.0) -> "np.ndarray":
    """1 in the middle, darker with the square of the distance, a slope along the rows, one corner dimmed."""
    y, x = np.meshgrid(np.linspace(-1, 1, SHAPE[0]), np.linspace(-1, 1, SHAPE[1]), indexing="ij")
    image = 1 - vignetting * (x**2 + y**2) / 2 + across / 2 * x
    return image * (1 - corner * np.exp(-((x - 1) ** 2 + (y - 1) ** 2) / 0.2))


def flat(seed: int = 1, level: float = 20_000, gain_e: float = 0.8, **shape: float) -> "np.ndarray":
    rng = np.random.default_rng(seed)
    electrons = level * gain_e * response(**shape)
    return BIAS + rng.normal(electrons, np.sqrt(electrons)) / gain_e


def test_the_mean_of_frames_with_an_outlier_is_that_without_it() -> None:
    rng = np.random.default_rng(4)
    stack = rng.normal(100, 5, (20, 30, 40)).astype(np.float32)
    stack[7, 10, 10] = 60_000
    stack[3, :, 5] = 0
    found = combined(stack)
    assert found.image[10, 10] == pytest.approx(np.delete(stack[:, 10, 10], 7).mean(), abs=2.5)
    assert abs(found.image[:, 5].mean() - 100) < 1 and found.left_out >= 31
    assert abs(float(found.image.mean()) - 100) < 0.1, "nothing is pulled to one side"
    noise = float(found.image[:, 6:].std())
    assert noise == pytest.approx(5 / np.sqrt(20), rel=0.1), "hardly more than of a plain mean"


def test_few_frames_are_averaged_as_they_are() -> None:
    stack = np.array([[[1.0, 2.0]], [[3.0, 100.0]]], np.float32)
    found = combined(stack)
    assert found.image.tolist() == [[2.0, 51.0]] and found.left_out == 0
    with pytest.raises(ValueError, match="a stack is frames"):
        combined(np.zeros((0, 4, 4), np.float32))


def test_equal_frames_stay_as_they_are_whatever_the_clipping() -> None:
    stack = np.full((9, 8, 8), 7.0, np.float32)
    assert np.array_equal(combined(stack).image, stack[0]) and combined(stack).left_out == 0


def test_a_good_flat_has_no_faults_and_its_vignetting_is_found() -> None:
    found = look(flat(vignetting=0.3), BIAS, FULL)
    assert found.faults() == []
    assert found.vignetting == pytest.approx(0.3, abs=0.01)
    assert found.level_adu == pytest.approx(20_000 * response(0.3)[middle_of(SHAPE)].mean(), rel=1e-3)
    assert found.gradient < 0.003 and found.uneven < 0.005 and found.bands < 0.0005


@pytest.mark.parametrize("across", [0.07, -0.1])
def test_a_gradient_is_told_from_vignetting(across: float) -> None:
    found = look(flat(across=across), BIAS, FULL)
    assert found.gradient == pytest.approx(abs(across), rel=0.05) and found.gradient_xy[0] * across > 0
    assert found.vignetting == pytest.approx(0.2, abs=0.01)
    assert any("uneven light" in fault for fault in found.faults())


def test_a_dark_corner_is_no_vignetting() -> None:
    found = look(flat(corner=0.2), BIAS, FULL)
    assert found.uneven > 0.05 and any("corners differ" in fault for fault in found.faults())


def test_dust_is_neither_gradient_nor_corner() -> None:
    image = flat()
    y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]]
    image -= 0.1 * (image - BIAS) * (np.hypot(y - 60, x - 250) < 25)
    assert look(image, BIAS, FULL).faults() == []


def test_bands_stand_out_of_noise() -> None:
    bands = 1 + 0.006 * np.sin(2 * np.pi * np.arange(SHAPE[0]) / 9)[:, None]
    found = look(BIAS + (flat() - BIAS) * bands, BIAS, FULL)
    assert found.bands == pytest.approx(0.006 / np.sqrt(2), rel=0.15)
    assert any("flickering" in fault for fault in found.faults())


def test_clipping_is_told_by_colour() -> None:
    image = flat()
    image[0::2, 0::2] = FULL
    found = look(image, BIAS, FULL, "RGGB")
    assert found.clipped["R"] == 1.0 and found.clipped["G"] == found.clipped["B"] == 0.0
    assert found.faults()[0] == "100.0 % of the red pixels are clipped"
    assert set(found.levels_adu) == {"R", "G", "B"} and found.levels_adu["R"] == FULL - BIAS


def test_what_is_no_flat_is_said() -> None:
    with pytest.raises(ValueError, match="too small"):
        look(np.ones((20, 400)), 0.0, FULL)
    with pytest.raises(ValueError, match="no light"):
        look(np.full(SHAPE, BIAS), BIAS, FULL)


def test_a_cloud_and_a_drift_show_in_a_set() -> None:
    steady = [look(flat(seed), BIAS, FULL) for seed in range(4)]
    assert set_faults(steady) == [] and set_faults(steady[:1]) == []
    cloud = [*steady, look(flat(9, across=0.03), BIAS, FULL)]
    assert "a cloud, or a shadow" in set_faults(cloud)[0]
    drifting = [look(flat(seed, level=20_000 * (1 + 0.03 * seed)), BIAS, FULL) for seed in range(4)]
    assert set_faults(drifting)[0].startswith("the level drifted by")


def test_a_flat_evens_the_light_of_its_own_response() -> None:
    light = BIAS + 3000 * response(0.4)
    found = try_flat(light, BIAS, response(0.4).astype(np.float32) * 7)
    assert found.corner_before < 0.75 and found.corner_after == pytest.approx(1.0, abs=0.002)
    assert np.ptp(found.after) < 0.003 and found.distance[0] < 0.1 < 0.9 < found.distance[-1]
    assert normalised(np.full((10, 10), 5, np.float32)).mean() == 1.0
    with pytest.raises(ValueError, match="the flat has 10 × 10 pixels, the light 240 × 360"):
        flattened(light, BIAS, np.ones((10, 10), np.float32))
