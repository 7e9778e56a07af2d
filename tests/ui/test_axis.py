"""The shared time axis, and how numbers are written."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from campaigns.demo import demo_rig
from vigil.planning.spans import local_noon_before
from vigil.sky.night import night_sky
from vigil.ui import words
from vigil.ui.span import TimeAxis

RIG = demo_rig()
NOON = local_noon_before(datetime(2027, 1, 12, 20, tzinfo=UTC), RIG.site.time_zone)
SKY = night_sky(NOON, RIG.site.place())
AXIS = TimeAxis.of(SKY, RIG.site.time_zone)


@given(st.floats(0, 1), st.floats(0, 1))
def test_moments_and_shares_are_inverse_and_in_order(one: float, other: float) -> None:
    assert AXIS.share(AXIS.moment(one)) == pytest.approx(one, abs=1e-6)
    if one < other:
        assert AXIS.moment(one) <= AXIS.moment(other)


def test_the_dark_hours_are_wide() -> None:
    assert SKY.sun.sunset is not None and SKY.sun.sunrise is not None
    dark = AXIS.share(SKY.sun.sunrise) - AXIS.share(SKY.sun.sunset)
    assert dark > 0.8 > (SKY.sun.sunrise - SKY.sun.sunset) / timedelta(days=1)
    assert AXIS.share(AXIS.begins - timedelta(hours=1)) == 0.0
    assert not AXIS.holds(AXIS.ends + timedelta(seconds=1))


def test_hours_have_room_and_are_local() -> None:
    wide, narrow = AXIS.hours(1248), AXIS.hours(300)
    assert [label for _, label in wide][:3] == ["16", "17", "18"]
    assert len(narrow) < len(wide)
    gaps = np.diff([share * 300 for share, _ in narrow])
    assert gaps.min() >= 34


def test_where_the_sun_does_not_set_the_axis_is_even() -> None:
    polar = RIG.site.place().__class__(78.0, 15.0, 0.0, 1010.0)
    summer = night_sky(datetime(2027, 6, 21, 11, tzinfo=UTC), polar)
    axis = TimeAxis.of(summer, "UTC")
    assert axis.share(axis.begins + timedelta(hours=6)) == pytest.approx(0.25)


def test_darkness_is_one_tone_of_sun_and_moon() -> None:
    midnight = SKY.at(SKY.zenith_mag_arcsec2, datetime(2027, 1, 13, 1, tzinfo=UTC))
    dusk = SKY.at(SKY.zenith_mag_arcsec2, datetime(2027, 1, 12, 16, tzinfo=UTC))
    assert midnight == pytest.approx(21.3, abs=0.1) and dusk < 15
    full = night_sky(datetime(2027, 1, 22, 11, tzinfo=UTC), RIG.site.place())
    assert full.moon_illumination > 0.97
    assert full.at(full.zenith_mag_arcsec2, datetime(2027, 1, 22, 23, tzinfo=UTC)) < 19.5


def test_numbers_as_people_write_them() -> None:
    moment = datetime(2027, 1, 12, 22, 42, 5, tzinfo=UTC)
    assert words.clock(moment, "Europe/Vienna") == "23:42"
    assert words.both_clocks(moment, "Europe/Vienna") == "23:42:05 CET · 22:42:05 UTC"
    assert words.signed(-9.96) == "−10.0" and words.signed(-0.01) == "0.0"
    assert words.duration(194) == "3:14" and words.duration(7500) == "2 h 05"
    assert words.duration(3599.7) == "1 h 00"
    assert words.arc(0.5) == "30″" and words.arc(30) == "30′" and words.arc(160) == "2.7°"
    assert words.grouped(12345) == "12\u2009345"
