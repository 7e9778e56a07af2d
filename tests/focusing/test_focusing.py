"""The V-curve, its search and its judgement."""

from collections.abc import Callable

import numpy as np
import pytest

from vigil.focusing.search import FocusRefused, Found, Measure, SearchPlan, confirm, next_step
from vigil.focusing.vcurve import NoCurve, Sample, VCurve, fit_vcurve

FLOOR, SLOPE = 0.95, 0.055


def sample(position: int, best: float, rng: np.random.Generator | None = None, noise: float = 0.04) -> Sample:
    size = float(np.hypot(FLOOR, SLOPE * (position - best)))
    if rng is not None:
        size *= 1 + float(rng.normal(0, noise))
    return Sample(position, size, noise * size, 60)


def search(plan: SearchPlan, look: Callable[[int], Sample]) -> tuple[Found | FocusRefused, list[int]]:
    tried: list[int] = []
    samples: list[Sample] = []
    while isinstance(step := next_step(plan, tried, samples), Measure):
        tried.append(step.position)
        samples.append(look(step.position))
        assert len(tried) < 40
    return step, tried


def test_an_exact_curve_is_found_exactly() -> None:
    curve = fit_vcurve([sample(p, 5012.3) for p in range(4850, 5200, 40)])
    assert curve.best == pytest.approx(5012.3, abs=1e-6)
    assert curve.floor_px == pytest.approx(FLOOR, abs=1e-6)
    assert curve.slope_px_step == pytest.approx(SLOPE, abs=1e-8)
    assert float(curve.hfr_px(5100)) == pytest.approx(sample(5100, 5012.3).hfr_px)


def test_its_uncertainty_is_true() -> None:
    """Over many noisy curves the error found has the size that each fit claims."""
    rng = np.random.default_rng(1)
    errors, claims = [], []
    for _ in range(300):
        best = float(rng.uniform(4980, 5020))
        curve = fit_vcurve([sample(p, best, rng) for p in range(4840, 5161, 40)])
        errors.append(curve.best - best)
        claims.append(curve.best_sigma)
    assert np.std(errors) == pytest.approx(np.mean(claims), rel=0.3)
    assert np.std(errors) < 1.5
    assert abs(np.mean(errors)) < 0.3


def test_one_spoilt_frame_is_left_out() -> None:
    rng = np.random.default_rng(2)
    samples = [sample(p, 5000, rng) for p in range(4840, 5161, 40)]
    samples[6] = Sample(samples[6].position, samples[6].hfr_px * 2, samples[6].sigma_px, 60)
    curve = fit_vcurve(samples)
    assert curve.left_out == 6
    assert curve.best == pytest.approx(5000, abs=4)


def test_a_hill_is_no_valley() -> None:
    with pytest.raises(NoCurve, match="both sides"):
        fit_vcurve([Sample(p, 8 - abs(p - 5000) / 50, 0.1, 50) for p in range(4840, 5161, 40)])
    with pytest.raises(NoCurve, match="at least 7"):
        fit_vcurve([sample(p, 5000) for p in (4900, 5000, 5100)])


@pytest.mark.parametrize("upward", [True, False])
def test_positions_come_from_one_side(upward: bool) -> None:
    found, tried = search(SearchPlan(5000, 40, 0, 10000, upward), lambda p: sample(p, 5010))
    assert isinstance(found, Found)
    assert found.curve.best == pytest.approx(5010, abs=0.1)
    assert tried == sorted(tried, reverse=not upward)
    assert len(tried) == 9


@pytest.mark.parametrize("best", [4700, 5290])
def test_a_lowest_point_at_the_end_is_followed(best: int) -> None:
    rng = np.random.default_rng(3)
    found, tried = search(SearchPlan(5000, 40, 0, 10000, True), lambda p: sample(p, best, rng))
    assert isinstance(found, Found)
    assert found.curve.best == pytest.approx(best, abs=6)
    assert 9 < len(tried) <= 15


def test_too_far_out_is_refused() -> None:
    refused, tried = search(SearchPlan(5000, 20, 0, 10000, True), lambda p: sample(p, 8000))
    assert isinstance(refused, FocusRefused) and "6 further frames" in refused.reason
    assert len(tried) == 15


def test_the_end_of_the_range_is_said() -> None:
    refused, tried = search(SearchPlan(200, 40, 0, 10000, True), lambda p: sample(p, -200))
    assert isinstance(refused, FocusRefused) and "range ends at 0" in refused.reason
    assert min(tried) >= 0


def test_a_cloud_is_refused() -> None:
    refused, _ = search(SearchPlan(5000, 40, 0, 10000, True), lambda p: Sample(p, 2.0, 0.2, 2))
    assert isinstance(refused, FocusRefused) and "cloud" in refused.reason
    rng = np.random.default_rng(4)
    refused, _ = search(
        SearchPlan(5000, 40, 0, 10000, True),
        lambda p: Sample(p, sample(p, 5000).hfr_px * float(rng.uniform(0.5, 2.5)), 0.05, 40),
    )
    assert isinstance(refused, FocusRefused)


def test_a_flat_curve_is_refused() -> None:
    refused, _ = search(
        SearchPlan(5000, 4, 0, 10000, True), lambda p: sample(p, 5000, np.random.default_rng(p), 0.01)
    )
    assert isinstance(refused, FocusRefused) and "grow only" in refused.reason


def test_the_confirming_frame_must_agree() -> None:
    curve = VCurve(5000, 1.0, 1.0, 0.05, 1.0)
    assert confirm(curve, Sample(5000, 1.1, 0.03, 50)) is None
    assert "promised" in str(confirm(curve, Sample(5000, 1.6, 0.03, 50)))
    assert "only 2 stars" in str(confirm(curve, Sample(5000, 1.0, 0.03, 2)))


@pytest.mark.parametrize("bad", [{"step": 0}, {"count": 5}, {"start": 99999}])
def test_impossible_searches_are_refused(bad: dict[str, int]) -> None:
    with pytest.raises(ValueError):
        SearchPlan(**({"start": 5000, "step": 40, "lowest": 0, "highest": 10000, "upward": True} | bad))  # type: ignore[arg-type]
