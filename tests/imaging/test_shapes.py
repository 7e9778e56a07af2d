"""Stars' shapes over the field, and clipped pixels."""

import numpy as np
import pytest

from tests.imaging.test_stars import starry
from vigil.imaging.shapes import Shapes, clipped, over_field, shapes_of
from vigil.imaging.stars import bright_shapes, find_stars


def shapes(image: np.ndarray) -> Shapes:
    stars, _, _, data = find_stars(image)
    return bright_shapes(stars, data)


def test_long_stars_say_which_way() -> None:
    image, *_ = starry(4.0, elongation=1.5)
    along = shapes(image)
    across = shapes(np.ascontiguousarray(image.T))
    for found, wanted in ((along, 0.0), (across, 90.0)):
        assert np.median(found.elongation) == pytest.approx(1.5, rel=0.06)
        off = np.abs((found.angle_deg - wanted + 90) % 180 - 90)
        assert np.median(off) < 4


def test_the_field_in_parts_round_where_stars_are_round() -> None:
    long_one, *_ = starry(4.0, elongation=1.5)
    round_one, *_ = starry(4.0, seed=2)
    both = np.hstack([long_one, round_one])
    ticks = over_field(shapes(both), both.shape, columns=4)
    left = ticks.x_px < both.shape[1] / 2
    assert left.any() and (~left).any() and len(ticks.x_px) <= 8
    assert np.all(ticks.elongation[left] > 1.35)
    assert np.all(ticks.elongation[~left] < 1.1), "noise has no direction"
    assert np.all(np.abs((ticks.angle_deg[left] + 90) % 180 - 90) < 10)


def test_nothing_to_show() -> None:
    none = np.empty(0)
    empty = shapes_of(np.zeros((64, 64), np.float32), none, none, none)
    assert over_field(empty, (64, 64)).x_px.size == 0
    near_edge = shapes_of(np.ones((64, 64), np.float32), np.array([3.0]), np.array([30.0]), np.array([2.0]))
    assert near_edge.x_px.size == 0


def test_clipped_pixels() -> None:
    image = np.zeros((8, 9), np.uint16)
    image[2, 5] = 65535
    image[7, 0] = 65000
    columns, rows = clipped(image, 64000.0)
    assert sorted(zip(columns.tolist(), rows.tolist(), strict=True)) == [(0, 7), (5, 2)]
    assert clipped(image, 70000.0)[0].size == 0
