"""The line above which a site sees the sky, and files that hold one."""

from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigil.sky.events import above_line_deg, line_crossings
from vigil.sky.horizon import Horizon, parse_horizon
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site


def test_straight_lines_between_points_closed_over_north() -> None:
    line = Horizon(((90.0, 10.0), (180.0, 30.0), (350.0, 20.0)), 5.0)
    heights = line.altitude_deg(np.array([90.0, 135.0, 180.0, 350.0, 40.0, 400.0]))
    assert heights == pytest.approx([10, 20, 30, 20, 15, 15])
    assert line.highest_deg == 30
    assert Horizon((), 17.0).altitude_deg(123.0) == 17
    assert Horizon(((0.0, 2.0),), 5.0).altitude_deg(np.array([0.0, 200.0])) == pytest.approx([5, 5])


@given(st.lists(st.tuples(st.integers(0, 359), st.floats(0, 80)), min_size=1, max_size=12))
def test_never_under_the_minimum_nor_over_its_highest(points: list[tuple[int, float]]) -> None:
    known = tuple(sorted({float(a): h for a, h in points}.items()))
    line = Horizon(known, 12.0)
    heights = line.altitude_deg(np.arange(0, 360, 7.3))
    assert np.all(heights >= 12) and np.all(heights <= max(12, line.highest_deg) + 1e-9)


def test_a_target_rises_where_the_horizon_is_not_the_minimum() -> None:
    site = Site(47.25, 14.05, 780, 923)
    start, end = datetime(2027, 1, 12, 12, tzinfo=UTC), datetime(2027, 1, 13, 12, tzinfo=UTC)
    hills = Horizon(((0.0, 5.0), (60.0, 40.0), (90.0, 40.0), (200.0, 5.0)), 10.0)
    over_hills = line_crossings(79.0, 34.0, start, end, site, hills)
    over_minimum = line_crossings(79.0, 34.0, start, end, site, Horizon((), 10.0))
    rises = [next(c.at for c in found if c.upward) for found in (over_hills, over_minimum)]
    assert rises[0] > rises[1]
    for crossing in over_hills:
        above = above_line_deg(79.0, 34.0, from_datetimes(crossing.at), site, hills)
        assert abs(float(above)) < 0.001


@pytest.mark.parametrize(
    ("text", "points"),
    [
        ("0 10\n90 20", [(0, 10), (90, 20)]),
        ("azimuth;altitude\n270;5,\n-90 7\n", [(270, 7)]),
        ("# trees\n360, 12.5 # north\n\n45\t30\n", [(0, 12.5), (45, 30)]),
    ],
)
def test_horizons_from_text(text: str, points: list[tuple[float, float]]) -> None:
    assert parse_horizon(text) == points


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("0 10\nten twenty", "line 2: 'ten twenty' is not an azimuth and an altitude"),
        ("0 10\n400 20", "line 2: azimuth 400° must be between 0 and 360"),
        ("0 95", "line 1: altitude 95° must be between −5 and 90"),
        ("0 10 20", "line 1"),
        ("# nothing", "no line with an azimuth and an altitude"),
    ],
)
def test_horizons_that_cannot_be_used(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        parse_horizon(text)
