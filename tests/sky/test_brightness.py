"""How bright the sky is: moon, twilight, day, town lights, against the papers' own figures."""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from vigil.sky.brightness import (
    ORDINARY,
    StillMoon,
    daylight,
    moonlight,
    night_light,
    optical_path,
    sky_mag_arcsec2,
    zenith_mag_arcsec2,
)
from vigil.sky.site import Site

SITE = Site(47.25, 14.05, 780.0)
DARK = datetime(2027, 1, 8, 0, 0, tzinfo=UTC)


def mag(light: object) -> np.ndarray:
    return np.asarray(-2.5 * np.log10(light))


def test_a_dark_sky_is_that_of_its_lights() -> None:
    assert zenith_mag_arcsec2(np.array([-40.0]), np.array([-30.0]), 0.5)[0] == pytest.approx(21.30, abs=0.005)
    natural = replace(ORDINARY, pollution_mag=None)
    assert mag(night_light(90.0, 0.0, natural)) == pytest.approx(21.9)
    # a glowing layer at z = 60° is 1.85 times as deep, less what the air takes
    assert optical_path(30.0) == pytest.approx(1.89, abs=0.01)
    assert mag(night_light(30.0, 0.0, natural)) == pytest.approx(
        21.9 - 2.5 * np.log10(1.89) + 0.178, abs=0.01
    )


def test_a_town_glows_on_its_side() -> None:
    town = replace(ORDINARY, town_azimuth_deg=90.0)
    towards, away = (mag(night_light(20.0, azimuth, town)) for azimuth in (90.0, 270.0))
    assert away - towards > 0.5
    assert mag(night_light(90.0, 0.0, town)) == pytest.approx(21.3, abs=0.01)


def test_moonlight_as_krisciunas_and_schaefer_give_it() -> None:
    # full moon 40° away and 45° high, looking at 74°: 2036 nL by hand (docs/formulas.md)
    light = moonlight(1.0, 40.0, 45.0, 74.0, 0.2)
    assert mag(light) == pytest.approx(18.06, abs=0.01)
    assert moonlight(1.0, 40.0, -5.0, 74.0, 0.2) == 0
    assert moonlight(0.5, 40.0, 45.0, 74.0, 0.2) < 0.15 * light, "half a moon is a ninth of a full one"
    nearer, farther = moonlight(1.0, 10.0, 45.0, 74.0, 0.2), moonlight(1.0, 90.0, 45.0, 74.0, 0.2)
    assert nearer > 2 * light > 2 * farther


def test_twilight_falls_as_patat_measured_and_day_is_bright() -> None:
    sun = np.array([-6.0, -9.0, -12.0])
    assert mag(daylight(sun)) == pytest.approx([13.30, 17.01, 19.84], abs=0.02)
    altitudes = np.linspace(60, -20, 500)
    assert np.all(np.diff(daylight(altitudes)) < 0), "never brighter as the sun sinks"
    # Krochmann: 3239 cd/m² overhead with the sun 45° high
    assert mag(daylight(45.0)) == pytest.approx(-2.5 * np.log10(3239 / 10.8e4), abs=0.01)


def test_each_light_can_be_switched_off_and_a_moon_placed() -> None:
    direction = 79.1, 34.4
    none = replace(ORDINARY, moonlight=False, twilight=False)
    bare = sky_mag_arcsec2(*direction, DARK, SITE, none)
    assert bare == pytest.approx(21.3, abs=0.2)
    placed = replace(ORDINARY, moon=StillMoon(1.0, 40.0, 45.0))
    assert sky_mag_arcsec2(*direction, DARK, SITE, placed) < 18.5
    noon = datetime(2027, 1, 8, 11, 0, tzinfo=UTC)
    assert sky_mag_arcsec2(*direction, noon, SITE) < 6
    assert sky_mag_arcsec2(*direction, noon, SITE, none) > 19.5
