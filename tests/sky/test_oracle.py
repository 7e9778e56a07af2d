"""A sample of the sky campaign, with the limits that the project sets itself."""

import pytest

from campaigns.skyoracle import illumination_difference, one_night


@pytest.mark.parametrize("number", [0, 7, 13])
def test_places_and_times_agree_with_astropy(number: int) -> None:
    night = one_night(number)
    assert night["stars_arcsec"] < 2
    assert night["sun_arcsec"] < 2
    assert night["moon_arcsec"] < 2
    assert night["times_s"] < 10
    assert night["dut1_ms"] < 5


def test_moon_illumination_agrees_with_astropy() -> None:
    assert illumination_difference(3) < 1e-3
