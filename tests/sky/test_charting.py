"""The chart's plane, and what is drawn on it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigil.files.overlays import bright_stars, constellations, milky_way
from vigil.sky.angles import position_angle_deg, separation_deg
from vigil.sky.charting import ChartPlane

angles, decs = st.floats(0, 359.9), st.floats(-90, 90)


@given(angles, decs, angles, st.floats(10 / 60, 200), st.floats(0, 668), st.floats(0, 474))
def test_chart_and_sky_are_each_others_inverse(
    ra: float, dec: float, up: float, height: float, x: float, y: float
) -> None:
    plane = ChartPlane(ra, dec, height, up, 668, 474)
    back = plane.place(*plane.sky(x, y))
    if np.isfinite(back[0]):
        assert np.allclose(back, (x, y), atol=1e-4 * max(1.0, height))


@given(decs, st.floats(0.2, 60))
def test_the_height_is_the_angle_from_bottom_to_top(dec: float, height: float) -> None:
    plane = ChartPlane(120.0, dec, height, 33.0, 600, 480)
    top, bottom = plane.sky(300, 0), plane.sky(300, 480)
    assert float(separation_deg(*top, *bottom)) == pytest.approx(height, rel=1e-6)
    assert float(separation_deg(*plane.sky(0, 0), 120.0, dec)) == pytest.approx(plane.radius_deg, rel=1e-6)


def test_north_is_up_and_east_to_the_left_until_it_is_turned() -> None:
    plane = ChartPlane(80.0, 30.0, 4.0, 0.0, 600, 400)
    assert plane.place(80.0, 31.0)[1] < 200 and plane.place(81.0, 30.0)[0] < 300
    east_up = ChartPlane(80.0, 30.0, 4.0, 90.0, 600, 400)
    assert east_up.place(81.0, 30.0)[1] < 200 and east_up.place(80.0, 31.0)[0] > 300
    assert plane.px_per_deg == pytest.approx(100, rel=1e-3)


@pytest.mark.parametrize("dec", [0.0, 60.0, 89.995, -89.995])
@pytest.mark.parametrize("angle", [0.0, 40.0, 200.0])
def test_position_angles_stand_on_the_chart_as_on_the_sky(dec: float, angle: float) -> None:
    plane = ChartPlane(80.0, dec, 3.0, 25.0, 600, 400)
    clockwise = plane.angle_on_chart_deg(80.0, dec, angle)
    # position angles run counter-clockwise as the sky is seen; 25° points up
    assert (clockwise + angle - 25.0 + 180) % 360 - 180 == pytest.approx(0, abs=0.6)


def test_what_lies_behind_is_not_drawn() -> None:
    plane = ChartPlane(80.0, 30.0, 200.0, 0.0, 600, 400)
    assert np.isnan(plane.place(260.0, -30.0)[0]) and np.isfinite(plane.place(200.0, -30.0)[0])
    inside = plane.inside(np.array([10.0, -5.0, 700.0]), np.array([10.0, 10.0, 10.0]), 8.0)
    assert inside.tolist() == [True, True, False]


def test_angles_from_one_direction_to_another() -> None:
    assert position_angle_deg(10, 20, 10, 30) == pytest.approx(0)
    assert position_angle_deg(10, 0, 20, 0) == pytest.approx(90)
    assert position_angle_deg(10, 20, 10, 10) == pytest.approx(180)
    assert position_angle_deg(0, 89, 180, 89) == pytest.approx(0, abs=1e-9), "over the pole"


def test_the_overlays_are_whole() -> None:
    figures = constellations()
    assert len(figures) == 88 and all(f.name and f.bounds for f in figures)
    hunter = next(f for f in figures if f.short == "Ori")
    assert float(separation_deg(hunter.ra_deg, hunter.dec_deg, 84, 0)) < 10
    for ra, dec in hunter.bounds:
        step = np.hypot(np.diff(np.unwrap(ra, period=360)), np.diff(dec))
        assert step.max() < 3, "long legs are divided"
    stars = bright_stars()
    sirius = stars.names.index("Sirius")
    assert stars.stars.mag[sirius] < -1 and stars.designations[sirius] == "α CMa"
    assert len(milky_way()) == 5 and all(len(level) for level in milky_way())
