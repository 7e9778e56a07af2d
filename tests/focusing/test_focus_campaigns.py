"""A small sample of each focus campaign; the whole ones are in docs/figures."""

from campaigns import focuslearning, focustroubles
from campaigns.focusing import one_finding, one_run, summarise_findings, summarise_runs
from campaigns.refocusing import summarise as summarise_nights


def test_quick_runs_and_one_with_pixels_end_in_focus() -> None:
    results = [{**one_run(n, False), "pixels": False} for n in range(8)]
    results.append({**one_run(5000, True), "pixels": True})
    told = summarise_runs(results)
    assert told["quick"]["both"] == 8 and told["pixels"]["both"] == 1, results
    assert told["quick"]["frames_median"] <= 20


def test_focus_is_found_from_anywhere() -> None:
    results = [one_finding(n, pixels=False) for n in range(6)]
    told = summarise_findings(results)
    assert told["in_focus"] == 6 and told["frames_median"] <= 20, told


def test_under_troubles_no_run_is_accepted_that_is_worse() -> None:
    quick = [n for n in range(18) if n % 6 < 3]
    told = focustroubles.summarise([focustroubles.one_trouble(n) for n in quick])
    assert told["accepted_though_worse"] == 0 and told["without_a_reason"] == 0, told["worse"]
    assert told["stuck"]["accepted"] <= 1


def test_what_is_learnt_is_true() -> None:
    results = [focuslearning.one_history(n) for n in range(60)]
    # of these two, one has a backlash so long that the first frame of a sweep shows discs
    results += [focuslearning.one_backlash(3), focuslearning.one_backlash(15), focuslearning.one_offsets(0)]
    told = focuslearning.summarise(results)
    assert told["history"]["median_error_percent"] <= 5 and told["history"]["interval_true_percent"] >= 88
    assert told["backlash"]["within_5_percent"] == 2
    assert told["offsets"]["within_a_sixth_of_the_zone"] == 1


def test_nights_are_summed_up() -> None:
    nights = [
        {
            "hourly": {"focus_s": 900.0, "runs": 10, "frames": 90, "mean_size_px": 1.0},
            "weighed": {"focus_s": 300.0, "runs": 3, "frames": 95, "mean_size_px": 0.99},
        }
    ]
    told = summarise_nights(nights)
    assert told["time_ratio"] == 0.333 and told["size_ratio"] == 0.99
    assert told["nights_with_half_the_time"] == 1
