"""How a german mount stands in space."""

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from campaigns.demo import demo_rig
from vigil.documents.rig.change import with_values
from vigil.planning.flip import hour_angle_min, rule_for
from vigil.planning.mountpose import (
    FROM_EAST,
    Camera,
    Frame,
    along_pole,
    countdowns,
    place_before_flip,
    pose_at,
    saddle_of,
    side_words,
)
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

RIG = demo_rig()
AT = datetime(2027, 1, 12, 21, tzinfo=UTC)
EAST, NORTH, UP = np.eye(3)


@pytest.mark.parametrize("latitude", [47.0, -33.0])
@pytest.mark.parametrize(("hours", "dec"), [(-3.0, 20.0), (0.5, -40.0), (5.0, 60.0)])
def test_directions_are_those_of_the_sky(latitude: float, hours: float, dec: float) -> None:
    rig = with_values(RIG, {("site", "latitude_deg"): latitude})
    site = rig.site.place().airless()
    ra, dec_deg = unobserve(15 * hours, dec, from_datetimes(AT), site)
    seen = observe(float(ra), float(dec_deg), from_datetimes(AT), site)
    there = Frame.at(latitude).towards(60 * hours, dec)
    altitude, azimuth = np.radians(float(seen.altitude_deg)), np.radians(float(seen.azimuth_deg))
    flat = math.cos(altitude)
    wanted = [flat * math.sin(azimuth), flat * math.cos(azimuth), math.sin(altitude)]
    assert there == pytest.approx(wanted, abs=1e-4)


@pytest.mark.parametrize("latitude", [47.0, -33.0])
@pytest.mark.parametrize("side", ["west", "east"])
@pytest.mark.parametrize("minutes", [-200.0, -1.0, 10.0, 300.0])
def test_the_saddle_is_square_to_tube_and_axis_and_on_its_side(
    latitude: float, side: str, minutes: float
) -> None:
    frame = Frame.at(latitude)
    saddle, tube = saddle_of(frame, minutes, side), frame.towards(minutes, 30.0)
    assert saddle @ frame.pole == pytest.approx(0, abs=1e-12)
    assert saddle @ tube == pytest.approx(0, abs=1e-12) and np.linalg.norm(saddle) == pytest.approx(1)
    assert (saddle[0] < 0) == (side == "west")
    # the counterweight is down before the meridian with the tube west, after it with the tube east
    assert (saddle[2] > 0) == ((minutes < 0) == (side == "west"))


def direction(minutes: float, dec: float = 34.0) -> tuple[float, float]:
    site = RIG.site.place().airless()
    ra, dec_deg = unobserve(minutes / 4, dec, from_datetimes(AT), site)
    return float(ra) % 360, float(dec_deg)


def test_both_meanings_of_the_side_are_said() -> None:
    before = pose_at(RIG, *direction(-30), "west", AT)
    assert side_words(before) == ("tube west of the pier", "looking east of the meridian")
    past = pose_at(RIG, *direction(12), "west", AT)
    assert "counterweight up" in side_words(past)[1] and past.counterweight_up
    assert pose_at(RIG, *direction(12), "", AT).side == "east", "one that doesn't tell has it down"


def test_countdowns_are_those_of_the_window() -> None:
    rule = rule_for(RIG)
    assert rule is not None
    place = direction(-30)
    told = countdowns(RIG, pose_at(RIG, *place, "west", AT), AT)
    assert told.meridian is not None and told.may_flip is not None and told.limit is not None
    for moment, wanted in (
        (told.meridian, 0.0),
        (told.may_flip, rule.wanted_min),
        (told.limit, rule.limit_min),
    ):
        assert hour_angle_min(*place, RIG, moment) == pytest.approx(wanted, abs=0.05)
    flipped = countdowns(RIG, pose_at(RIG, *direction(15), "east", AT), AT)
    assert (flipped.meridian, flipped.may_flip, flipped.limit) == (None, None, None)


@pytest.mark.parametrize("minutes", [0.5, 5.0, 40.0, -1.0])
def test_put_me_before_the_flip(minutes: float) -> None:
    ra, dec = direction(-100)
    there = place_before_flip(RIG, ra, minutes, hour_angle_min(ra, dec, RIG, AT))
    rule = rule_for(RIG)
    assert rule is not None
    at = AT + timedelta(minutes=minutes)
    assert hour_angle_min(there, dec, RIG, at) == pytest.approx(rule.wanted_min, abs=0.05)
    bare = with_values(RIG, {("mount", "flip"): None})
    with pytest.raises(ValueError, match="no flip window"):
        place_before_flip(bare, ra, minutes, 0.0)


def test_the_two_sides_it_is_drawn_from() -> None:
    pole = along_pole(47.0)
    assert pole.seen(EAST)[0] == pytest.approx([1, 0, 0], abs=1e-12)
    assert pole.seen(Frame.at(47.0).pole)[0] == pytest.approx([0, 0, -1], abs=1e-12)
    assert along_pole(-33.0).seen(EAST)[0] == pytest.approx([-1, 0, 0], abs=1e-12)
    assert FROM_EAST.seen([NORTH, UP, EAST]) == pytest.approx(np.eye(3), abs=1e-12)
    turned = Camera(270, 0).turned(30, 200)
    assert (turned.azimuth_deg, turned.altitude_deg) == (300, 89)
