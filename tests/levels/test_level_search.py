"""The search for levels: a few known panels, and a sample of the campaign."""

import numpy as np
import pytest

from campaigns import flatlevels
from campaigns.flatlevels import SimPanel, searched
from vigil.levels.advice import FilterAdvice, Limits
from vigil.levels.search import MOST_TRIALS, Try, next_try
from vigil.levels.trials import Camera, Trial

CAMERA = Camera(500.0, 65535.0)
LIMITS = Limits(1, 255, 0.5, 30.0, CAMERA.share_adu(30), CAMERA.share_adu(40))


def test_a_sample_of_random_panels() -> None:
    told = flatlevels.summarise([flatlevels.one_panel(n) for n in range(0, 500, 48)])
    assert told["wrong"] == []
    assert told["trials_median"] <= 3 and told["trials_95"] <= 4
    assert told["impossible_mended"] > 0


def test_the_first_trial_of_all_is_clean_and_in_the_middle() -> None:
    first = next_try("L", [], CAMERA, LIMITS)
    assert isinstance(first, Try)
    assert 1 < first.level < 255 and first.exposure_s >= LIMITS.least_exposure_s


def test_a_trial_inside_the_window_is_what_will_be_taken() -> None:
    trial = Trial("L", 200, 0.6, CAMERA.share_adu(36))
    found = next_try("L", [trial], CAMERA, LIMITS)
    assert isinstance(found, FilterAdvice) and (found.level, found.exposure_s) == (200, 0.6)


def test_another_filter_begins_where_the_first_one_says() -> None:
    """Through a twentieth of the light twenty times as much of it is wanted."""
    trial = Trial("L", 200, 0.6, CAMERA.share_adu(35))
    first = next_try("Ha", [trial], CAMERA, LIMITS, {"L": 300.0, "Ha": 15.0})
    assert isinstance(first, Try) and first.why == "by the other filters"
    assert first.level * first.exposure_s == pytest.approx(200 * 0.6 * 20, rel=0.2)


def test_a_trial_is_not_taken_again_for_ever() -> None:
    """A lamp that answers at random is given up, with the reason."""
    trials: list[Trial] = []
    levels = [9.0, 70.0, 12.0, 65.0, 20.0, 55.0, 15.0, 80.0, 5.0, 60.0]
    while isinstance(step := next_try("L", trials, CAMERA, LIMITS), Try):
        trials.append(Trial("L", step.level, step.exposure_s, CAMERA.share_adu(levels[len(trials)])))
    assert len(trials) <= MOST_TRIALS and not step.feasible and step.reason and step.change


@pytest.mark.parametrize("name", ["L", "Ha"])
def test_the_shortest_total_within_the_limits_is_preferred(name: str) -> None:
    panel = SimPanel(
        255, 1.0, 0.0, np.zeros(24), 0.0, {"L": 2e5, "Ha": 8e3}, CAMERA, np.random.default_rng(1)
    )
    found, _ = searched(panel, LIMITS, ["L", "Ha"])
    exposure_s, level = found[name].exposure_s, found[name].level
    assert exposure_s is not None and level is not None
    # at the brightest step it would be the shortest that the window allows
    shortest = max(0.5, (LIMITS.low_adu - 500) / panel.factors[name])
    assert exposure_s < 4 * shortest, found[name]
