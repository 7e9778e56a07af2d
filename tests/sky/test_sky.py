"""Known answers and properties of the sky package that need no oracle."""

from datetime import UTC, datetime, timedelta

import erfa
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.bodies import moon_illumination
from vigil.sky.events import crossings, transits, twilights
from vigil.sky.horizontal import air_mass, local_sidereal_deg, observe, unobserve
from vigil.sky.instants import from_datetimes, ut1_minus_utc_s
from vigil.sky.site import Site, standard_pressure_hpa
from vigil.sky.tangent import deproject, project

SITE = Site(47.25, 14.05, 780.0, pressure_hpa=923.0)
NOON = datetime(2027, 1, 12, 11, tzinfo=UTC)


def test_moon_illumination_of_a_worked_example() -> None:
    # Meeus, Astronomical Algorithms, example 48.a: 1992 April 12, 0h TD, k = 0.6786
    assert float(moon_illumination(from_datetimes(datetime(1992, 4, 12, tzinfo=UTC)))) == pytest.approx(
        0.6786, abs=5e-4
    )


def test_sidereal_time_of_a_worked_example() -> None:
    # Meeus, example 12.a: 1987 April 10, 0h UT, apparent 13h 10m 46.1351s at Greenwich; UT1 taken as UTC
    greenwich = Site(0.0, 0.0)
    found = float(local_sidereal_deg(from_datetimes(datetime(1987, 4, 10, tzinfo=UTC)), greenwich))
    assert found == pytest.approx((13 + 10 / 60 + 46.1351 / 3600) * 15, abs=2e-4)


def test_naive_datetimes_are_refused() -> None:
    with pytest.raises(ValueError, match="time zone"):
        from_datetimes(datetime(2027, 1, 12))  # noqa: DTZ001 - that is the point


def test_ut1_outside_the_table_is_zero() -> None:
    assert ut1_minus_utc_s(40000.0) == 0
    assert ut1_minus_utc_s(90000.0) == 0
    assert abs(ut1_minus_utc_s(60000.0)) > 0.001


@given(st.floats(-179, 179), st.floats(-35, 89))
def test_observing_and_back_is_the_same_direction(hour_angle_deg: float, dec_deg: float) -> None:
    now = from_datetimes(NOON)
    bare = SITE.airless()
    ra, dec = unobserve(hour_angle_deg, dec_deg, now, bare)
    seen = observe(ra, dec, now, bare)
    assert float(separation_deg(seen.hour_angle_deg, seen.dec_deg, hour_angle_deg, dec_deg)) < 1e-5


def test_objects_and_instants_broadcast() -> None:
    ra, dec = np.array([[10.0], [80.0], [200.0]]), np.array([[5.0], [34.0], [60.0]])
    moments = from_datetimes([NOON + timedelta(hours=h) for h in range(4)])
    together = observe(ra, dec, moments, SITE).altitude_deg
    assert together.shape == (3, 4)
    alone = observe(80.0, 34.0, from_datetimes(NOON + timedelta(hours=2)), SITE).altitude_deg
    assert together[1, 2] == pytest.approx(float(alone), abs=1e-9)


def test_refraction_lifts_by_the_textbook_amount() -> None:
    # at 45° about 58″ at standard pressure, scaled by 923/1013
    now = from_datetimes(NOON)
    ra, dec = unobserve(-60.0, 35.0, now, SITE.airless())
    lifted = observe(ra, dec, now, SITE).altitude_deg - observe(ra, dec, now, SITE.airless()).altitude_deg
    altitude = observe(ra, dec, now, SITE).altitude_deg
    expected = 58.3 / np.tan(np.radians(altitude)) * 923 / 1013.25 * 283 / 283
    assert 3600 * lifted == pytest.approx(expected, rel=0.03)


def test_air_mass() -> None:
    assert float(air_mass(90.0)) == pytest.approx(1.0, abs=1e-3)
    assert float(air_mass(30.0)) == pytest.approx(1.994, abs=0.005)
    assert float(air_mass(0.0)) == pytest.approx(38.7, abs=1.0)
    assert np.isnan(air_mass(-1.0))


def test_twilights_come_in_order_and_white_nights_have_none() -> None:
    found = twilights(NOON, SITE)
    moments = [
        found.sunset, found.civil_dusk, found.nautical_dusk, found.astronomical_dusk,
        found.astronomical_dawn, found.nautical_dawn, found.civil_dawn, found.sunrise,
    ]  # fmt: skip
    assert moments == sorted(moments)  # type: ignore[type-var]
    midsummer = twilights(datetime(2027, 6, 21, 11, tzinfo=UTC), Site(58.0, 14.0))
    assert midsummer.sunset is not None
    assert midsummer.astronomical_dusk is None


def test_one_transit_a_day_at_hour_angle_zero() -> None:
    found = transits(79.12, 34.36, NOON, NOON + timedelta(hours=23), SITE)
    assert len(found) == 1
    seen = observe(79.12, 34.36, from_datetimes(found[0]), SITE)
    assert abs(float(seen.hour_angle_deg)) < 0.001


def test_crossings_of_a_known_function() -> None:
    start = datetime(2027, 1, 1, tzinfo=UTC)

    def wave(seconds: np.ndarray) -> np.ndarray:
        return np.sin((seconds - start.timestamp()) / 3600)

    found = crossings(wave, start + timedelta(seconds=60), start + timedelta(hours=7))
    assert [c.upward for c in found] == [False, True]
    assert (found[0].at - start).total_seconds() == pytest.approx(np.pi * 3600, abs=0.1)


def test_crossings_need_an_interval() -> None:
    with pytest.raises(ValueError, match="not after"):
        crossings(np.sin, NOON, NOON)


@given(st.floats(0, 359.99), st.floats(-89, 89), st.floats(-20, 20), st.floats(-20, 20))
def test_tangent_plane_and_back(ra0: float, dec0: float, xi: float, eta: float) -> None:
    ra, dec = deproject(xi, eta, ra0, dec0)
    assert np.allclose(project(ra, dec, ra0, dec0), (xi, eta), atol=1e-9)


def test_tangent_plane_has_no_far_side() -> None:
    assert np.all(np.isnan(project(180.0, 0.0, 0.0, 0.0)))


@given(st.floats(-1000, 1000))
def test_wrapping(angle: float) -> None:
    wrapped = float(wrap_180(angle))
    assert -180 <= wrapped <= 180
    assert np.cos(np.radians(wrapped - angle)) == pytest.approx(1)


def test_sites_outside_the_earth_are_refused() -> None:
    with pytest.raises(ValueError, match="latitude"):
        Site(91.0, 0.0)
    assert standard_pressure_hpa(0) == pytest.approx(1013.25)
    assert standard_pressure_hpa(2000) == pytest.approx(795.0, abs=0.5)


@pytest.mark.parametrize(
    ("minutes", "within_arcsec"),
    [([0.0], 0.01), ([4.9], 0.01), ([123.4], 0.01), ([0, 9, 18], 0.02), (list(range(0, 1441, 7)), 0.01)],
)
def test_the_shared_parameters_are_true_to_a_fiftieth_of_an_arc_second(
    minutes: list[float], within_arcsec: float
) -> None:
    """Against ERFA's whole chain for each instant: one, a few minutes, a night over midnight."""
    instants = from_datetimes([NOON + timedelta(minutes=m) for m in minutes])
    ra, dec = np.linspace(0, 350, 8)[:, None], np.array([-80.0, -45, -10, 0, 20, 50, 75, 89])[:, None]
    seen = observe(ra, dec, instants, SITE)
    air = (SITE.pressure_hpa, SITE.temperature_c, SITE.relative_humidity, SITE.wavelength_um)
    place = (np.radians(SITE.longitude_deg), np.radians(SITE.latitude_deg), SITE.height_m, 0, 0, *air)
    when = (instants.utc1, instants.utc2, instants.dut1_s)
    star = (np.radians(ra), np.radians(dec), 0, 0, 0, 0)
    azimuth, zenith, *_ = (np.degrees(angle) for angle in erfa.atco13(*star, *when, *place))
    up = zenith < 85
    apart = separation_deg(seen.azimuth_deg, seen.altitude_deg, azimuth, 90 - zenith)
    assert up.any()
    assert 3600 * apart[up].max() < within_arcsec


def test_a_few_minutes_at_once_are_the_same_as_one_by_one() -> None:
    moments = [NOON + timedelta(seconds=37 * n) for n in range(12)]
    together = observe(79.12, 34.36, from_datetimes(moments), SITE)
    for n, moment in enumerate(moments):
        alone = observe(79.12, 34.36, from_datetimes(moment), SITE)
        assert 3600 * abs(float(alone.altitude_deg) - together.altitude_deg[n]) < 0.02
        assert 3600 * abs(float(alone.hour_angle_deg) - together.hour_angle_deg[n]) < 0.03
