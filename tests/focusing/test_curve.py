"""The curve of size against position: known answers, error figures, and what it does with bad points."""

import numpy as np
import pytest

from vigil.focusing.fit import Curve, NoCurve, Point, fit
from vigil.focusing.verdict import judge

BEST, SIZE, SLOPE = 5012.3, 1.8, 0.021
GRID = np.arange(4772, 5253, 60)


def points(grid: np.ndarray = GRID, best: float = BEST, share: float = 0.0, seed: int = 0) -> list[Point]:
    """With sizes that scatter by a share of themselves from frame to frame, and by one percent in a frame."""
    rng = np.random.default_rng(seed)
    sizes = np.hypot(SIZE, SLOPE * (grid - best)) * (1 + share * rng.standard_normal(len(grid)))
    return [Point(float(x), float(s), 0.01 * float(s)) for x, s in zip(grid, sizes, strict=True)]


def test_without_noise_the_curve_is_found_exactly() -> None:
    curve = fit(points())
    assert curve.best == pytest.approx(BEST, abs=1e-6) and curve.best_size == pytest.approx(SIZE, rel=1e-9)
    assert curve.slope == pytest.approx(SLOPE, rel=1e-9) and curve.residual < 1e-9 and not curve.left_out


def test_the_truth_is_in_the_interval_as_often_as_it_says() -> None:
    """A thousand runs whose sizes scatter by 4 %, with the lowest point anywhere in the middle half."""
    rng = np.random.default_rng(17)
    inside, wide = 0, []
    for seed in range(1000):
        best = float(rng.uniform(4892, 5132))
        curve = fit(points(best=best, share=0.04, seed=seed))
        inside += curve.interval[0] <= best <= curve.interval[1]
        wide.append(curve.interval[1] - curve.interval[0])
    assert 930 <= inside <= 970
    assert np.median(wide) < 0.2 * np.ptp(GRID)


def test_scatter_weighs_a_bad_frame_down() -> None:
    """Of five points none can be left out."""
    good, bad = points(GRID[::2]), points(GRID[::2])
    bad[1] = Point(bad[1].position, bad[1].size * 1.1, 0.3 * bad[1].size)
    blind = [Point(p.position, p.size) for p in bad]
    assert abs(fit(bad).best - fit(good).best) < abs(fit(blind).best - fit(good).best) / 3


def test_one_point_that_does_not_belong_is_left_out() -> None:
    spoilt = points(share=0.01, seed=3)
    spoilt[6] = Point(spoilt[6].position, 3 * spoilt[6].size, spoilt[6].scatter)
    curve = fit(spoilt)
    assert curve.left_out == (6,) and abs(curve.best - BEST) < 10


def test_moved_and_stretched_positions_move_and_stretch_the_answer() -> None:
    plain = fit(points(share=0.04, seed=5))
    moved = fit([Point(3 * p.position - 777, p.size, p.scatter) for p in points(share=0.04, seed=5)])
    assert moved.best == pytest.approx(3 * plain.best - 777)
    assert moved.interval == pytest.approx([3 * x - 777 for x in plain.interval])
    mirrored = fit([Point(-p.position, p.size, p.scatter) for p in points(share=0.04, seed=5)])
    assert mirrored.interval == pytest.approx((-plain.interval[1], -plain.interval[0]))


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ([], "only 0 positions"),
        (points()[:4], "at least 5"),
        ([Point(5000, 2.0 + k / 10) for k in range(6)], "at one position"),
        ([Point(4800 + 60 * k, 8 - 0.02 * k**2) for k in range(9)], "don't rise"),
        ([Point(4800 + 60 * k, 2.0 + 0.1 * (-1) ** k + 0.001 * (k - 4) ** 2) for k in range(9)], "anywhere"),
    ],
    ids=["nothing", "too few", "one position", "a hill", "flat"],
)
def test_points_without_a_lowest_point(given: list[Point], said: str) -> None:
    with pytest.raises(NoCurve, match=said):
        fit(given)
    assert not judge(given).accepted


def test_a_good_run_is_accepted_in_numbers() -> None:
    verdict = judge(points(share=0.03, seed=8))
    assert verdict.accepted and isinstance(verdict.curve, Curve) and "95 %" in verdict.reason
    assert min(verdict.rise) > 2 and abs(verdict.symmetry) < 0.1


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (points(GRID + 260), "to its left"),
        (points(GRID - 260), "to its right"),
        (points(np.arange(4992, 5033, 5)), "grow only"),
        (points(share=0.3, seed=4), "scatter"),
    ],
    ids=["all to the right", "all to the left", "too close", "clouds"],
)
def test_a_run_that_can_not_be_believed_says_why(given: list[Point], said: str) -> None:
    verdict = judge(given)
    assert not verdict.accepted and said in verdict.reason
