"""Footprints and mosaics on the sphere."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from campaigns.mosaicfields import try_mosaic
from vigil.optics.footprint import Footprint, common_area, subtended_deg
from vigil.optics.mosaics import least_overlap, mosaic, panels_to_cover, strip_between
from vigil.sky.angles import separation_deg

angles = st.floats(0, 359.9)
decs = st.floats(-89, 89)


@given(angles, decs, angles, st.floats(-1, 1), st.floats(-1, 1))
def test_the_sensor_and_the_sky_are_each_others_inverse(
    ra: float, dec: float, turn: float, across: float, along: float
) -> None:
    frame = Footprint(ra, dec, turn, 2.0, 1.5)
    back = frame.to_sensor(*frame.to_sky(across, along))
    assert np.allclose(back, (across, along), atol=1e-9)
    assert frame.holds(*frame.to_sky(0.99 * across, 0.99 * along))


def test_up_the_rows_is_the_position_angle() -> None:
    frame = Footprint(80.0, 60.0, 90.0, 1.0, 1.0)
    ra, dec = frame.to_sky(0.0, 0.5)
    assert ra > 80.0 and dec == pytest.approx(60.0, abs=0.01)
    # north up, east is at the lower columns
    ra, _ = Footprint(80.0, 0.0, 0.0, 1.0, 1.0).to_sky(-0.5, 0.0)
    assert ra == pytest.approx(80.25, abs=1e-3)


def test_a_wide_sensor_subtends_less_than_pixels_times_scale() -> None:
    assert subtended_deg(3600, 1) == pytest.approx(1.0, abs=1e-4)
    assert subtended_deg(36, 4000) == pytest.approx(2 * np.degrees(np.arctan(np.radians(40) / 2)))


def test_common_area_of_shifted_and_turned_frames() -> None:
    one = Footprint(10.0, 20.0, 0.0, 1.0, 1.0)
    assert common_area(one, one) == 1.0
    assert common_area(one, Footprint(10.0, 20.5, 0.0, 1.0, 1.0)) == pytest.approx(0.5, abs=0.005)
    assert common_area(one, Footprint(10.0, 20.0, 180.0, 1.0, 1.0)) == pytest.approx(1.0, abs=1e-6)
    turned = Footprint(10.0, 20.0, 1.0, 1.0, 1.0)
    assert common_area(one, turned, 1200) == pytest.approx(1 - _lost(np.radians(1.0)), abs=3e-4)


def _lost(turn: float) -> float:
    """Of a unit square, when an equal one lies on it turned about its middle: four right-angled triangles."""
    s, c = np.sin(turn), np.cos(turn)
    return float((s + c - 1) ** 2 / (2 * s * c))


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("follow_sphere", [True, False])
def test_a_sample_of_the_campaign_of_mosaics(seed: int, follow_sphere: bool) -> None:
    found = try_mosaic(seed * 50, follow_sphere)
    assert found["holes"] == 0 and "refused" not in found
    assert found["overlap_off_percent"] is None or found["overlap_off_percent"] < 1.0


@settings(max_examples=25, deadline=None)
@given(angles, decs, angles, st.integers(1, 5), st.integers(1, 5))
def test_neighbours_share_a_strip_and_panels_are_counted(
    ra: float, dec: float, turn: float, columns: int, rows: int
) -> None:
    made = mosaic(Footprint(ra, dec, turn, 1.4, 1.0), columns, rows, 0.2, follow_sphere=True)
    assert [p.number for p in made.panels] == list(range(1, columns * rows + 1))
    assert len(list(made.neighbours())) == (columns - 1) * rows + columns * (rows - 1)
    for one, other in made.neighbours():
        between = one.footprint.beside(0, 0, 1, 1)
        middle = np.array([(one.footprint.ra_deg, one.footprint.dec_deg)])
        assert separation_deg(*middle[0], other.footprint.ra_deg, other.footprint.dec_deg) < 1.2
        x = 0.9 if one.row == other.row else 0.0
        edge = one.footprint.to_sky(x, 0.9 - x)
        assert strip_between(one, other, np.array([edge[0]]), np.array([edge[1]])).all()
        assert between.width_deg == 1


def test_an_object_is_covered_by_the_panels_said() -> None:
    centre = Footprint(60.0, 36.0, 25.0, 1.35, 1.35)
    columns, rows = panels_to_cover(centre, 3.4, 1.0, 65.0, 0.2)
    made = mosaic(centre, columns, rows, 0.2)
    t = np.linspace(0, 2 * np.pi, 200)
    turn = np.radians(65.0)
    along, across = 1.7 * np.cos(t), 0.5 * np.sin(t)
    east = along * np.sin(turn) + across * np.cos(turn)
    north = along * np.cos(turn) - across * np.sin(turn)
    from vigil.sky.tangent import deproject

    assert made.holds(*deproject(east, north, 60.0, 36.0)).all()
    assert panels_to_cover(centre, 0.5, 0.5, 0, 0.2) == (1, 1)


@pytest.mark.parametrize(
    ("columns", "rows", "overlap", "says"),
    [(0, 1, 0.2, "1 to 10"), (11, 1, 0.2, "1 to 10"), (2, 2, 0.95, "0 to 90"), (10, 1, 0.0, "can be framed")],
)
def test_impossible_mosaics_are_refused(columns: int, rows: int, overlap: float, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        mosaic(Footprint(0, 0, 0, 15, 10), columns, rows, overlap)
    with pytest.raises(ValueError, match="shorter focal length"):
        panels_to_cover(Footprint(0, 0, 0, 0.2, 0.2), 5, 5, 0, 0.2)


@pytest.mark.parametrize("dec", [0.0, 45.0, 75.0, -80.0])
def test_a_camera_that_nothing_turns_keeps_its_angle(dec: float) -> None:
    """Nobody is asked to turn the camera for each panel, and nothing is left out between them."""
    centre = Footprint(80.0, dec, 33.0, 1.35, 1.0)
    made = mosaic(centre, 3, 2, 0.2)
    assert {p.footprint.position_angle_deg for p in made.panels} == {33.0}
    assert least_overlap(made) == pytest.approx(0.2, abs=2e-3)
    turned = mosaic(centre, 3, 2, 0.2, follow_sphere=True)
    if dec:
        assert len({round(p.footprint.position_angle_deg, 3) for p in turned.panels}) > 1


@pytest.mark.parametrize("seed", [16, 64, 148])
def test_nothing_is_left_out_where_four_panels_of_one_angle_meet(seed: int) -> None:
    """Neighbours overlap as they should, and yet their corners, each turned, left a gap."""
    found = try_mosaic(seed, follow_sphere=False)
    assert found["holes"] == 0 and "refused" not in found


def test_where_one_angle_leaves_gaps_it_is_said() -> None:
    with pytest.raises(ValueError, match="follow the sphere"):
        mosaic(Footprint(0, 88, 33, 1.35, 1.0), 10, 10, 0.2)


def test_a_single_panel_has_no_overlap() -> None:
    assert least_overlap(mosaic(Footprint(0, 80, 0, 1, 1), 1, 1, 0.2)) is None
