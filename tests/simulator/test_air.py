"""The air: wandering values, seeing that dances, clouds that pass, dew that gathers."""

from datetime import timedelta

import numpy as np
import pytest

from campaigns.demo import quick_rig
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.simulator.air.dew import gathered
from vigil.simulator.air.seeing import Seeing, motion_rms_arcsec
from vigil.simulator.air.wandering import Mixture, Wanderer, variance_of_mean
from vigil.simulator.air.weather import Weather

START = quick_rig().simulated.starts_at  # type: ignore[union-attr]
MIDNIGHT = START + timedelta(hours=6)


def weather(seed: int = 1, **air: object) -> Weather:
    return Weather(seed, START, AirEffects(**air))


def test_a_wanderer_is_the_same_from_wherever_it_is_asked() -> None:
    wanderer = Wanderer(1, 2, 1.0, 0.1)
    long, late = wanderer.series(100, 103), wanderer.series(102, 103)
    assert late == pytest.approx(long[20:], abs=2e-3)
    values = wanderer.series(0, 4000)
    assert values.std() == pytest.approx(1, abs=0.05)
    after = np.corrcoef(values[:-10], values[10:])[0, 1]
    assert after == pytest.approx(np.exp(-1), abs=0.05), "a memory of one second"


@pytest.mark.parametrize("over_s", [0.1, 1.0, 4.0])
def test_longer_exposures_average_the_dance_out(over_s: float) -> None:
    mixture = Mixture(((0.6, 0.3), (0.4, 2.0)), 5, 7)
    means = [mixture.mean(k * 20.0, k * 20.0 + over_s) for k in range(700)]
    assert np.std(means) == pytest.approx(np.sqrt(mixture.variance_of_mean(over_s)), rel=0.08)
    assert variance_of_mean(1.0, 1e-9) == 1.0 and variance_of_mean(1.0, 100.0) == pytest.approx(
        0.02, rel=0.02
    )


def test_the_dance_is_kolmogorovs() -> None:
    # 2″ of seeing, 80 mm: D/r₀ = 1.44, λ/D = 1.418″, σ = √0.182 · 1.418″ · 1.44^(5/6)
    assert motion_rms_arcsec(2.0, 80.0) == pytest.approx(0.82, abs=0.02)
    assert motion_rms_arcsec(2.0, 320.0) == pytest.approx(motion_rms_arcsec(2.0, 80.0) * 4 ** (-1 / 6))


def test_a_short_exposure_is_sharper_than_a_long_one() -> None:
    air = weather(seeing_arcsec=2.5, seeing_wanders=0, wind_m_s=0)
    seeing = Seeing(air, 1, 1.0)
    sizes = [
        seeing.dance(MIDNIGHT, air.seconds(MIDNIGHT), t, 1.0, 80.0).fwhm_arcsec for t in (0.05, 2.0, 120.0)
    ]
    assert sizes[0] < sizes[1] < sizes[2] == pytest.approx(2.5, rel=0.02)
    low = seeing.dance(MIDNIGHT, air.seconds(MIDNIGHT), 120.0, 2.0, 80.0).fwhm_arcsec
    assert low / sizes[2] == pytest.approx(2**0.6, rel=0.02)


def test_both_cameras_see_the_same_dance_each_as_much_as_its_aperture_lets_through() -> None:
    air = weather(wind_m_s=0)
    seeing = Seeing(air, 1, 1.0)
    main, guide = (seeing.dance(MIDNIGHT, 900.0, 2.0, 1.0, aperture) for aperture in (80.0, 45.0))
    ratio = (45 / 80) ** (-1 / 6)
    assert guide.across_arcsec / main.across_arcsec == pytest.approx(ratio)
    assert guide.up_arcsec / main.up_arcsec == pytest.approx(ratio)


def test_wind_shakes_as_its_square_and_gusts() -> None:
    calm, windy = weather(wind_m_s=4, gusts=0), weather(wind_m_s=8, gusts=0)
    assert windy.shake_rms_arcsec(MIDNIGHT) == pytest.approx(4 * calm.shake_rms_arcsec(MIDNIGHT))
    gusty = weather(wind_m_s=8, gusts=0.5)
    speeds = [gusty.wind_m_s(MIDNIGHT + timedelta(seconds=10 * k)) for k in range(300)]
    assert np.std(speeds) == pytest.approx(4, rel=0.3) and min(speeds) >= 0
    shaken = Seeing(windy, 1, 1.0).dance(MIDNIGHT, 1000.0, 60.0, 1.0, 80.0).fwhm_arcsec
    assert shaken > Seeing(calm, 1, 1.0).dance(MIDNIGHT, 1000.0, 60.0, 1.0, 80.0).fwhm_arcsec


def test_a_cloud_arrives_covers_and_passes() -> None:
    air = weather(clouds=[Cloud(arrives_min=60, minutes=40, thickness_mag=3, edge_min=10)])
    told = [air.cloud_mag(START + timedelta(minutes=m)) for m in (59, 63, 80, 97, 101)]
    assert told[0] == told[-1] == 0
    assert 0 < told[1] < told[2] > told[3] > 0
    assert air.cloud_percent(START + timedelta(minutes=80)) > 80 > 20 > air.cloud_percent(START)
    assert weather(overcast_mag=1.0).cloud_mag(MIDNIGHT) > 0.2


def test_values_that_are_set_hold_and_others_follow_the_seed() -> None:
    still = weather(seeing_arcsec=3.0, seeing_wanders=0, evening_c=8, falls_c=0, humidity_percent=77)
    assert (still.seeing_arcsec(MIDNIGHT), still.temperature_c(MIDNIGHT)) == (3.0, 8.0)
    assert still.humidity_percent(MIDNIGHT) == 77
    assert weather(1).seeing_arcsec(MIDNIGHT) != weather(2).seeing_arcsec(MIDNIGHT)
    probe = [weather(probe_gusts_c=0.5).probe_c(MIDNIGHT + timedelta(minutes=3 * k)) for k in range(200)]
    assert np.std(np.diff(probe)) == pytest.approx(0.5 * np.sqrt(2), rel=0.25)


def test_the_dew_point() -> None:
    # 10 °C at 80 %: 6.7 °C (Magnus)
    damp = weather(evening_c=10, falls_c=0, humidity_percent=80)
    assert damp.dew_point_c(MIDNIGHT) == pytest.approx(6.71, abs=0.05)


def test_dew_gathers_unless_a_heater_is_on_and_dries_again() -> None:
    damp, dry = (weather(evening_c=5, falls_c=0, humidity_percent=p) for p in (95, 50))
    hour = timedelta(hours=1)
    wet = gathered(damp, 0.0, MIDNIGHT, MIDNIGHT + hour, 0.0)
    assert wet > 0.15
    assert gathered(damp, 0.0, MIDNIGHT, MIDNIGHT + hour, 60.0) == 0
    assert gathered(dry, wet, MIDNIGHT, MIDNIGHT + hour, 0.0) == 0
    halves = gathered(
        damp,
        gathered(damp, 0.0, MIDNIGHT, MIDNIGHT + hour / 2, 0.0),
        MIDNIGHT + hour / 2,
        MIDNIGHT + hour,
        0.0,
    )
    assert halves == pytest.approx(wet, rel=0.02)


def test_of_a_mean_over_many_memories_only_the_spread_is_drawn_and_it_is_right() -> None:
    wanderer = Wanderer(3, 11, 0.5, 0.1)
    for over_s in (49.0, 51.0, 200.0):
        means = np.array([wanderer.mean(1000.0 * n, 1000.0 * n + over_s) for n in range(600)])
        wanted = variance_of_mean(0.5, over_s) ** 0.5
        assert means.std() == pytest.approx(wanted, rel=0.1), over_s
        assert abs(means.mean()) < 4 * wanted / 600**0.5
    assert wanderer.mean(5.0, 100.0) == wanderer.mean(5.0, 100.0), "the same whenever asked"
