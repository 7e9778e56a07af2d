"""A small sample of the guiding campaigns."""

from campaigns import guidecalibrations, guidestars, guidestudies, guidetroubles


def test_places_near_the_bound_and_groups_by_their_root() -> None:
    results = [guidestars.one_star(2.0, 4.0, 1.0, snr, frames=120) for snr in (10.0, 200.0)]
    results.append(guidestars.one_group(4, frames=500))
    told = guidestars.summarise(results)
    assert told["worst_of_bound"] <= 1.2 and told["lost"] == 0
    assert 0.9 < told["groups_times_root"]["4"] < 1.1


def test_calibrations_on_both_sides() -> None:
    told = guidecalibrations.summarise([guidecalibrations.one_set_up(n) for n in (0, 6, 13)])
    assert told["found"] == told["good"] == told["angles_within_1_degree"] == 3
    assert told["rates_within_2_percent"] == 3 and len(told["sides"]) == 2


def test_a_study_s_advice_on_what_came_afterwards() -> None:
    # a large worm, a rough gear and bad air: the law that learns is worth it
    told = guidestudies.summarise([guidestudies.one_night(191, (2.0, 4.0))])
    assert told["star_within_5_percent_of_the_best"] == 1 and told["star_median_of_default"] < 0.92
    assert told["star_worse_than_default_by_over_2_percent"] == 0
    assert told["median_predicted_off_percent"] < 10


def test_troubles_are_got_over_or_named() -> None:
    told = guidetroubles.summarise([guidetroubles.one_run(n) for n in (8, 13)])
    assert told["right"] == told["runs"] == 2, told["wrong"]
    assert told["went_on"]["star lost"] == told["went_on"]["stale calibration"] == "1 of 1"
