"""A sample of the polar campaigns."""

from campaigns import polardrift, polarframes, polarpersons


def test_frames_find_the_axis() -> None:
    told = polarframes.summarise([polarframes.one_set_up(seed) for seed in (1, 4)])
    assert told["three_frames"]["each_axis_within_limit"] == told["three_frames"]["measured"] == 2
    assert told["two_frames"]["each_axis_within_limit"] == 2 and not told["three_frames"]["not_measured"]


def test_a_drift_says_enough_only_when_it_is() -> None:
    told = polardrift.summarise([polardrift.one_set_up(1)])
    assert told["enough"] == told["of_these_within_half_an_arcmin"] == 2
    assert not told["wrong_signs_said"] and not told["enough_while_wide"]


def test_a_person_who_does_what_the_screen_says_arrives() -> None:
    told = polarpersons.summarise([polarpersons.one_set_up(seed) for seed in (1, 5)])
    assert told["under_1_arcmin"] == 2 and told["median_rounds"] >= 1
