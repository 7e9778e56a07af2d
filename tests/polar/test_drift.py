"""Drift: the rules of the trade, and intervals that are true."""

import numpy as np
import pytest

from vigil.polar.drift import (
    ARCSEC_MIN_PER_ARCMIN,
    AxisName,
    NoDrift,
    drift_of,
    refraction_drift_arcsec_min,
    shown,
)


def test_the_rules_of_the_trade() -> None:
    """Northern hemisphere: near the meridian a star drifts south when the axis is too far east; in the east
    it drifts north when the axis is too high, in the west south. In the south the other way round."""
    assert (
        shown("azimuth", 0.0, 47.0)
        == pytest.approx(-ARCSEC_MIN_PER_ARCMIN)
        == pytest.approx(-0.2625, abs=1e-3)
    )
    assert shown("altitude", -90.0, 47.0) > 0.26 and shown("altitude", 90.0, 47.0) < -0.26
    assert shown("azimuth", 0.0, -33.0) > 0.26 and shown("altitude", -90.0, -33.0) < -0.26
    assert shown("azimuth", 90.0, 47.0) == pytest.approx(0.0, abs=1e-12)


def record(
    error_arcmin: float, seconds: float, seed: int, axis: AxisName = "azimuth", hour_angle_deg: float = 0.0
) -> tuple[np.ndarray, np.ndarray]:
    """A star's places every two seconds, in air that moves it by an arc-second with memories of seconds to a
    quarter of a minute, and now and then a gust."""
    rng = np.random.default_rng(seed)
    at = np.arange(0.0, seconds, 2.0)
    air = rng.normal(0, 0.5, len(at))
    for keep in (0.1, 0.6, 0.87):
        part = rng.normal(0, 0.5)
        for k in range(len(at)):
            part = keep * part + np.sqrt(1 - keep**2) * rng.normal(0, 0.5)
            air[k] += part
    gusts = rng.random(len(at)) < 0.02
    air[gusts] += rng.normal(0, 6.0, gusts.sum())
    rate = error_arcmin * shown(axis, hour_angle_deg, 47.0)
    rate += refraction_drift_arcsec_min(47.0, 0.0, hour_angle_deg)
    return at, rate / 60 * at + air


@pytest.mark.parametrize(("axis", "hour_angle_deg"), [("azimuth", 5.0), ("altitude", -60.0)])
def test_the_interval_is_true_and_narrows(axis: AxisName, hour_angle_deg: float) -> None:
    inside, halves = 0, []
    for seed in range(120):
        at, dec = record(-8.0, 300, seed, axis, hour_angle_deg)
        found = drift_of(at, dec, axis, 47.0, hour_angle_deg)
        inside += found.interval_95[0] <= -8.0 <= found.interval_95[1]
        halves.append((found.interval_95[1] - found.interval_95[0]) / 2)
        assert not found.enough or halves[-1] <= 0.5
    assert 0.9 <= inside / 120 <= 0.99
    at, dec = record(-8.0, 1200, 1, axis, hour_angle_deg)
    longer = drift_of(at, dec, axis, 47.0, hour_angle_deg)
    assert (longer.interval_95[1] - longer.interval_95[0]) / 2 < np.median(halves) / 4
    assert longer.error_arcmin == pytest.approx(-8.0, abs=0.5)


def test_it_says_how_much_longer_it_takes() -> None:
    at, dec = record(4.0, 120, 3)
    early = drift_of(at, dec, "azimuth", 47.0, 0.0)
    assert not early.enough and early.seconds_more > 0
    at, dec = record(4.0, 120 + 1.6 * early.seconds_more, 3)
    assert drift_of(at, dec, "azimuth", 47.0, 0.0).enough


def test_a_large_error_of_one_axis_is_taken_off_the_other() -> None:
    """At 55° with the axis 50′ too high and 40′ east of the pole, on the sky: by the rotation itself."""
    lat, up, east = np.radians(55.0), np.radians(50 / 60), np.radians(40 / 60) / np.cos(np.radians(55.0))
    rate = 15.041067 * 60
    axis = np.array([np.cos(lat + up) * np.sin(east), np.cos(lat + up) * np.cos(east), np.sin(lat + up)])
    pole = np.array([0.0, np.cos(lat), np.sin(lat)])

    def drift(star: np.ndarray) -> np.ndarray:
        """Two seconds of it a sample, in the direction of north."""
        north = pole - (pole @ star) * star
        north /= np.linalg.norm(north)
        return np.arange(0, 300, 2.0) / 60 * rate * float(np.cross(pole - axis, star) @ -north)

    south = np.array([0.0, -np.sin(lat), np.cos(lat)])
    at = np.arange(0, 300, 2.0)
    azimuth = drift_of(at, drift(south), "azimuth", 55.0, 0.0, 0.0, 0.0, 0.5, 50.0, 0.1)
    assert azimuth.error_arcmin == pytest.approx(40.0, abs=0.05)
    blind = drift_of(at, drift(south), "azimuth", 55.0, 0.0, 0.0, 0.0, 0.5, 0.0, 15.0)
    assert abs(blind.error_arcmin - 40.0) > 0.5 and blind.half_arcmin > 0.4 and not blind.enough
    high = np.array([-np.cos(0.3), np.sin(0.3) * pole[1], np.sin(0.3) * pole[2]])
    altitude = drift_of(at, drift(high), "altitude", 55.0, 90.0, np.degrees(0.3), 0.0, 0.5, 40.0, 0.1)
    assert altitude.error_arcmin == pytest.approx(50.0, abs=0.05)


def test_refraction_is_no_error_of_the_axis() -> None:
    """On the meridian it stands still; low in the east a star is lifted less and less."""
    assert refraction_drift_arcsec_min(47.0, 10.0, 0.0) == pytest.approx(0.0, abs=1e-6)
    east = refraction_drift_arcsec_min(47.0, 20.0, -85.0)
    assert -2.0 < east < -0.5 and refraction_drift_arcsec_min(47.0, 20.0, 85.0) == pytest.approx(-east)


def test_what_shows_too_little_is_refused() -> None:
    at, dec = record(4.0, 120, 3)
    with pytest.raises(NoDrift, match="take a star near the meridian"):
        drift_of(at, dec, "azimuth", 47.0, 85.0)
    with pytest.raises(NoDrift, match="take a star far east or west"):
        drift_of(at, dec, "altitude", 47.0, 3.0)
    with pytest.raises(NoDrift, match="12 samples"):
        drift_of(at[:12], dec[:12], "azimuth", 47.0, 0.0)
    with pytest.raises(NoDrift, match="too low"):
        drift_of(at, dec, "altitude", 47.0, -95.0)
