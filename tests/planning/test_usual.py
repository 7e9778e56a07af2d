"""What is usual for a series, and the limits that engine and window share."""

import pytest

from vigil.documents.plan import StandingOrders
from vigil.planning.usual import off_target_limit_px, size_limit, stars_limit, usual_stars

ORDERS = StandingOrders()
OFF = StandingOrders(focus_grown_by_percent=None, stars_at_least_percent=None, target_keep_arcmin=None)


def test_one_bad_frame_after_focusing_sets_no_limit() -> None:
    assert size_limit([2.0], ORDERS) == pytest.approx(2.3)
    assert size_limit([3.0, 2.0, 2.0, 4.0], ORDERS) == pytest.approx(2.3), "the first one was blurred"
    assert size_limit([], ORDERS) is None and size_limit([2.0], OFF) is None


def test_stars_are_held_against_those_before_the_last_frame() -> None:
    assert usual_stars([100, 100, 100]) is None, "two before it are too few"
    assert usual_stars([100, 110, 90, 5]) == 100
    assert usual_stars([9000, *[100] * 9, 5]) == 100, "the last nine"
    assert stars_limit([100, 100, 100, 5], ORDERS) == pytest.approx(35)
    assert stars_limit([100, 100, 100, 5], OFF) is None


def test_how_far_off_is_told_in_pixels() -> None:
    assert off_target_limit_px(ORDERS, 1.6) == pytest.approx(75)
    assert off_target_limit_px(OFF, 1.6) is None
