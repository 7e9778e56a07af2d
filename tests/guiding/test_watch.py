"""The ladder when guiding goes wrong, and the figures of how well it goes."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vigil.guiding.dithers import WAYS, Way, least_apart_px, next_place
from vigil.guiding.figures import figures_of
from vigil.guiding.settling import (
    Settled,
    Settling,
    overshoot_share,
    too_tight,
    usual_tolerance_arcsec,
)
from vigil.guiding.watch import MOST_CLOUD_S, GuideWatch, Mean

STAR = (0.1, -0.1)


def steady(watch: GuideWatch, frames: int = 30) -> float:
    """Guided well for a while; when that ends."""
    rng = np.random.default_rng(1)
    for k in range(frames):
        error = float(rng.normal(0, 0.4)), float(rng.normal(0, 0.4))
        assert watch.frame(2.0 * k, error, 1000.0).mean is Mean.CORRECT
        watch.corrected(error, (0.5 * error[0], 0.5 * error[1]))
    watch.found_again()
    return 2.0 * frames


def test_one_wild_sample_is_not_chased_two_are_real() -> None:
    watch = GuideWatch()
    at = steady(watch)
    assert watch.frame(at, (6.0, 0.0), 1000.0).mean is Mean.WILD
    assert watch.frame(at + 2, (6.0, 0.0), 1000.0).mean is Mean.CORRECT
    fresh = GuideWatch()
    assert fresh.frame(0.0, (6.0, 0.0), 1000.0).mean is Mean.CORRECT, "nothing is usual yet"


def test_a_star_that_jumps_away_in_full_light_is_searched_and_another_taken() -> None:
    watch, met = GuideWatch(), []
    at = steady(watch)
    for k in range(30):
        mean = watch.frame(at + 2 * k, None, 0.0).mean
        if not met or met[-1] is not mean:
            met.append(mean)
    assert met == [Mean.WAIT, Mean.SEARCH, Mean.OTHER, Mean.HOLD]


def test_a_cloud_is_no_lost_star_and_is_not_waited_for_for_ever() -> None:
    watch = GuideWatch()
    at = steady(watch)
    assert watch.frame(at, STAR, 400.0).words == "60 % dimmer"
    gone = watch.frame(at + 2, None, 0.0)
    assert gone.mean is Mean.CLOUD and gone.wait_s > 0
    assert watch.frame(at + 60, STAR, 900.0).mean is Mean.CORRECT, "it is over"
    assert watch.frame(at + 62, STAR, 300.0).mean is Mean.CORRECT
    assert watch.frame(at + 70 + MOST_CLOUD_S, None, 0.0).mean is Mean.HOLD
    other = GuideWatch()
    other.nothing_there(steady(other))
    assert other.frame(100.0, None, 0.0).mean is Mean.CLOUD, "no star at all is no lost star"


@pytest.mark.parametrize("may", [True, False])
def test_corrections_with_the_wrong_sign_are_stopped_within_ten_frames(may: bool) -> None:
    watch, error = GuideWatch(may_calibrate=may), 1.0
    for k in range(10):
        verdict = watch.frame(2.0 * k, (error, 0.0), 1000.0)
        if verdict.mean is not Mean.CORRECT:
            break
        watch.corrected((error, 0.0), (0.6 * error, 0.0))
        error += 0.6 * error  # it goes the other way
    assert verdict.mean is (Mean.CALIBRATE if may else Mean.HOLD)
    assert "right ascension take the star the wrong way" in verdict.words
    if may:
        watch.calibrated()
        watch.chosen()
        for k in range(10, 30):
            verdict = watch.frame(2.0 * k, (error, 0.0), 1000.0)
            if verdict.mean is not Mean.CORRECT:
                break
            watch.corrected((error, 0.0), (0.6 * error, 0.0))
            error += 0.6 * error
        assert verdict.mean is Mean.HOLD, "once is enough"


def test_bad_air_of_twenty_hours_is_never_taken_for_the_wrong_way() -> None:
    """Air with a memory goes along with a few corrections now and then."""
    rng, watch = np.random.default_rng(0), GuideWatch()
    mount, air, keep = np.zeros(2), np.zeros(2), np.exp(-2 / 12)
    for k in range(20 * 1800):
        air = keep * air + np.sqrt(1 - keep**2) * rng.normal(0, 2.2, 2)
        mount = mount + rng.normal(0, 0.1, 2)
        ra, dec = (float(v) for v in mount + air + rng.normal(0, 0.3, 2))
        verdict = watch.frame(2.0 * k, (ra, dec), 1000.0)
        assert verdict.mean is not Mean.CALIBRATE, (k, verdict.words)
        corrects = verdict.mean is Mean.CORRECT
        sent = tuple(0.6 * v if corrects and abs(v) > 0.2 else 0.0 for v in (ra, dec))
        watch.corrected((ra, dec), (sent[0], sent[1]))
        mount = mount - np.array(sent)


def test_a_drift_that_outruns_its_corrections_is_not_the_wrong_way() -> None:
    watch, error = GuideWatch(), 0.0
    for k in range(60):
        assert watch.frame(2.0 * k, (error, 0.0), 1000.0).mean is Mean.CORRECT
        sent = 0.6 * error
        watch.corrected((error, 0.0), (sent, 0.0))
        error += 1.0 - sent


def test_figures_of_a_stretch() -> None:
    at = np.arange(120.0)
    error = np.where(np.arange(120) % 2 == 0, 0.5, -0.5)
    sent = np.where(np.arange(120) < 60, 0.8 * error, 0.0)
    found = figures_of(at, error, sent)
    assert found is not None and found.rms_arcsec == pytest.approx(0.5)
    assert found.peak_to_peak_arcsec == 1.0 and found.corrected_share == 0.5
    assert found.overshoot_share == 1.0 and found.corrections_min == pytest.approx(60 / (119 / 60), rel=0.01)
    drifting = figures_of(at, np.zeros(120), np.full(120, 0.02))
    assert drifting is not None and drifting.drift_arcsec_min == pytest.approx(1.2)
    counts = np.ones(120, dtype=bool)
    counts[3:] = False
    gust = figures_of(at, error, sent, counts)
    assert gust is not None and figures_of(at, error, sent, np.zeros(120, dtype=bool)) is None


def test_settled_is_inside_for_the_whole_dwell() -> None:
    settling = Settling(tolerance_arcsec=1.0, dwell_s=6.0, longest_s=60.0)
    offs = [5.0, 2.0, 0.8, 1.2, 0.7, 0.5, None, 0.4, 0.3, 0.6, 0.2, 0.1]
    met = [settling.frame(2.0 * k, off) for k, off in enumerate(offs)]
    assert met.index(Settled.YES) == 10 and settling.took_s == 14.0
    never = Settling(0.1, 6.0, 20.0)
    assert [never.frame(2.0 * k, 0.5) for k in range(12)][-1] is Settled.TOO_LONG
    assert usual_tolerance_arcsec(0.6, 4.0) == pytest.approx(1.2) and usual_tolerance_arcsec(None, 4.0) == 4.0
    assert overshoot_share([-5.0, -1.0, 1.5, -0.2], 5.0) == pytest.approx(0.3)
    assert overshoot_share([5.0, 1.0, 0.2], -5.0) == 0.0 and overshoot_share([], 5.0) == 0.0
    assert "hardly ever settle" in too_tight(0.3, 0.8) and not too_tight(1.0, 0.8)


@given(seed=st.integers(0, 10_000), most_px=st.floats(1, 50), way=st.sampled_from(WAYS))
@settings(max_examples=30, deadline=None)
def test_after_twenty_dithers_every_pair_is_apart_and_none_goes_too_far(
    seed: int, most_px: float, way: Way
) -> None:
    rng, places = np.random.default_rng(seed), list[tuple[float, float]]()
    for _ in range(20):
        places.append(next_place(way, most_px, places, rng))
    at = np.array(places)
    assert np.hypot(*at.T).max() <= most_px * 1.0001
    apart = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))[np.triu_indices(20, 1)]
    assert apart.min() >= least_apart_px(most_px) * 0.9999
