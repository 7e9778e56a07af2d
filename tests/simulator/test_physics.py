"""A sample of the physics campaign, each figure within the limit that is set for the whole."""

from pathlib import Path

import numpy as np
import pytest

from campaigns import physics
from campaigns.demo import demo_rig, quick_rig
from campaigns.shooting import shoot
from vigil.files.fits import read_frame

RIG, SMALL = demo_rig(), quick_rig()


@pytest.mark.parametrize("gain", [0, 150, 300])
def test_photon_transfer_gives_gain_and_read_noise_back(gain: int) -> None:
    found = physics.photon_transfer(SMALL, gain)
    # a ninth of the pixels: three times the campaign's scatter
    assert abs(found["gain_error_percent"]) < 0.5
    assert abs(found["read_noise_error_percent"]) < 1.0 and found["read_noise_adu"] > 0.6


@pytest.mark.parametrize("sensor_c", [-10.0, 0.0])
def test_darks_give_the_dark_current_back(sensor_c: float) -> None:
    assert abs(physics.dark_current(SMALL, sensor_c)["error_percent"]) < 2.0


def test_a_star_has_as_many_electrons_as_a_sum_by_hand_says() -> None:
    assert abs(physics.bright_star()["error_percent"]) < 0.5


@pytest.mark.parametrize("moon_apart_deg", [None, 40.0])
def test_the_sky_is_as_bright_as_a_sum_by_hand_says(moon_apart_deg: float | None) -> None:
    assert abs(physics.sky_level(moon_apart_deg)["error_percent"]) < 0.5


PLACES = {name: values for name, *values in physics.positions_to_try(RIG)}


@pytest.mark.parametrize("name", ["20° high, -6°", "80° high, +6°", "south pole, +6°"])
def test_stars_stand_where_astropy_says(name: str) -> None:
    found = physics.star_places(*PLACES[name])
    assert found["stars"] >= 8 and found["worst_px"] < 0.05


def test_focus_follows_a_hyperbola_about_the_models_best() -> None:
    found = physics.focus_curve(RIG, reach_steps=150, step=50)
    assert found["residual_percent"] < 3.0 and found["asymmetry_percent"] < 1.0
    assert found["minimum_off_zones"] < 0.02
    assert found["most_px"] > 5 * found["least_px"]


def test_unguided_the_mount_shows_its_worm_its_drift_and_the_seeing() -> None:
    found = physics.unguided(SMALL, worms=1)
    # a third of the time of the campaign's three worm periods
    assert abs(found["order_1_error_percent"]) < 5 and abs(found["drift_error_percent"]) < 8
    assert abs(found["order_2_error_percent"]) < 8
    assert abs(found["seeing_error_percent"]) < 15


def test_the_same_seed_draws_the_same_frames_to_the_bit(tmp_path: Path) -> None:
    words = ("--exposure", "20", "--count", "2", "--seed", "9")
    frames = [shoot(tmp_path / name, *words, rig=SMALL) for name in ("one", "two")]
    for (one, told), (other, _) in zip(*frames, strict=True):
        assert np.array_equal(one, other)
        assert read_frame(Path(told["file"])).header["EXPTIME"] == 20
    first, second = (image for image, _ in frames[0])
    assert not np.array_equal(first, second), "noise doesn't repeat from frame to frame"
    [(else_image, _)] = shoot(tmp_path / "three", "--exposure", "20", "--seed", "10", rig=SMALL)
    assert not np.array_equal(first, else_image)


def test_kinds_of_frames_do_not_share_their_noise(tmp_path: Path) -> None:
    """A bias taken off a dark must not take its noise off too."""
    [(bias, _)] = shoot(tmp_path, "--kind", "bias", rig=SMALL)
    [(dark, _)] = shoot(tmp_path, "--kind", "dark", "--exposure", "1", rig=SMALL)
    together = np.corrcoef(bias.ravel(), dark.ravel())[0, 1]
    assert abs(together) < 0.01
