"""A night shared out."""

import numpy as np
import pytest

from campaigns.schedules import large, small, summarise
from vigil.scheduling.night import IDLE, Costs, Option, greedy, share_out, value_of

FREE = Costs(0.0, 0.0)


def option(
    name: str, worth: list[float], wanted_h: float = 99.0, target: str = "", weight: float = 1
) -> Option:
    return Option(name, target or name, np.array(worth), wanted_h, weight)


def test_each_when_it_is_worth_most() -> None:
    found = share_out([option("early", [1, 0.8, 0.2, 0]), option("late", [0.2, 0.5, 0.9, 1])], 1.0, FREE)
    assert found.choice == (0, 0, 1, 1) and found.value == pytest.approx(3.7) and found.proven


def test_what_sets_comes_first_though_the_other_is_worth_more_then() -> None:
    sets, stays = option("sets", [0.7, 0.7, 0, 0], 2), option("stays", [1, 1, 0.9, 0.9], 2)
    found = share_out([sets, stays], 1.0, FREE)
    assert found.choice == (0, 0, 1, 1)
    assert greedy([sets, stays], 1.0, FREE).value < found.value


def test_going_to_and_fro_costs() -> None:
    one, other = option("one", [1, 0.9, 1, 0.9]), option("other", [0.9, 1, 0.9, 1])
    found = share_out([one, other], 1.0, Costs(0.5, 0.1))
    assert len(set(found.choice)) == 1
    two_filters = [option("a", [1, 0.9, 1, 0.9], target="t"), option("b", [0.9, 1, 0.9, 1], target="t")]
    assert share_out(two_filters, 1.0, Costs(0.5, 0.01)).choice == (0, 1, 0, 1)


def test_no_more_than_is_wanted_and_the_best_of_it() -> None:
    found = value_of([0, 0, 0], [option("x", [0.5, 1.0, 0.8], 1.5)], 1.0, FREE)
    assert found.useful_h == pytest.approx(1.0 + 0.5 * 0.8)
    assert share_out([option("x", [0.5, 1.0, 0.8], 1.0)], 1.0, FREE).choice == (IDLE, 0, IDLE)


def test_nothing_to_be_had() -> None:
    assert share_out([], 1.0, FREE).choice == ()
    assert share_out([option("x", [0, 0])], 1.0, FREE).choice == (IDLE, IDLE)
    assert share_out([option("x", [1, 1], 0.0)], 1.0, FREE).value == 0


def test_a_stretch_is_not_shorter_than_asked() -> None:
    options = [option("a", [1, 0.5, 1, 0.5], target="t"), option("b", [0.5, 1, 0.5, 1], target="t")]
    found = share_out(options, 1.0, FREE, least_slots=2)
    assert found.choice in {(0, 0, 1, 1), (0, 0, 0, 0), (1, 1, 1, 1), (1, 1, 0, 0), (0, 0, 0, 1)}
    assert found.choice[2:] != (0, 1)


def test_weights_count() -> None:
    two = [option("a", [1.0, 1.0], weight=0.8), option("b", [0.9, 0.9])]
    assert share_out(two, 1.0, FREE).choice == (1, 1)


def test_a_sample_of_the_campaign() -> None:
    found = summarise([*(small(n) for n in range(4)), large(5)])
    assert found["worst_short_of_the_optimum_percent"] < 2
    assert found["worse_than_greedy"] == 0
