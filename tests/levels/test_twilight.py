"""Twilight flats: exposures that follow the sky, and each filter's turn."""

import numpy as np
import pytest

from vigil.levels.twilight import SkyCourse, SkyFilter, TwilightLimits, in_order, next_frame, turns
from vigil.sky.brightness import daylight

LIMITS = TwilightLimits(20_000.0, 1.0, 30.0, 3.0)
FILTERS = [
    SkyFilter(name, adu)
    for name, adu in (("L", 9e4), ("R", 3e4), ("G", 3.2e4), ("B", 2.4e4), ("Ha", 900.0), ("OIII", 1100.0))
]


def course(dusk: bool = True, minutes: float = 50.0) -> SkyCourse:
    """A sun that sinks by a degree in five minutes from 1° on, or rises the same way; in units of the
    brightness when it is 4° down."""
    at = np.arange(0.0, 60 * minutes, 5.0)
    sun = -1.0 - at / 300.0
    light = daylight(sun) / daylight(np.array([-4.0]))
    return SkyCourse(at, light if dusk else light[::-1])


def gathered(sky: SkyCourse, at_s: float, exposure_s: float) -> float:
    return float(sky.gathered(at_s + exposure_s) - sky.gathered(at_s))


@pytest.mark.parametrize("dusk", [True, False])
def test_each_frame_gathers_what_was_aimed_at_though_the_sky_changes_under_it(dusk: bool) -> None:
    sky = course(dusk)
    made = {turn.name: turn for turn in turns(FILTERS, sky, LIMITS, 12, 8.0)}
    assert all(len(turn.frames) == 12 for turn in made.values()), {n: len(t.frames) for n, t in made.items()}
    for one in FILTERS:
        for at_s, exposure_s in made[one.name].frames:
            assert 1.0 <= exposure_s <= 30.0
            assert one.adu_s * gathered(sky, at_s, exposure_s) == pytest.approx(20_000.0, rel=1e-3)
        lengths = [exposure_s for _, exposure_s in made[one.name].frames]
        assert (lengths[-1] > lengths[0]) == dusk
    starts = [turn.frames[0][0] for turn in turns(FILTERS, sky, LIMITS, 12, 8.0)]
    assert starts == sorted(starts), "one after the other"


def test_the_darkest_filter_comes_first_at_dusk_and_last_at_dawn() -> None:
    assert in_order(FILTERS, course())[0].name == "Ha"
    assert in_order(FILTERS, course(False))[-1].name == "Ha"


def test_what_comes_too_late_or_never_gets_fewer_frames() -> None:
    short = course(minutes=12)
    made = {turn.name: len(turn.frames) for turn in turns(FILTERS, short, LIMITS, 40, 8.0)}
    assert made["Ha"] > 0 and made["L"] == 0
    dark = SkyFilter("SII", 1e-3)
    assert next_frame(dark, course(), LIMITS, 0.0) is None, "the sky is never bright enough"
    assert next_frame(SkyFilter("L", 9e4), course(False), LIMITS, 2900.0) is None, "it is too bright already"


def test_frames_correct_what_is_believed_of_the_sky() -> None:
    """Believed twice too bright at first: after three frames the next one is right."""
    sky, truth = course(), SkyFilter("R", 3e4)
    believed, at_s, means = SkyFilter("R", 6e4), 0.0, []
    for _ in range(5):
        found = next_frame(believed, sky, LIMITS, at_s)
        assert found is not None
        light = gathered(sky, *found)
        means.append(truth.adu_s * light)
        believed = believed.after(means[-1], believed.adu_s * light)
        at_s = found[0] + found[1] + 3.0
    assert means[0] == pytest.approx(10_000, rel=0.01) and means[3] == pytest.approx(20_000, rel=0.03)
    assert believed.after(0.0, 20_000.0).adu_s > believed.adu_s / 4, "one black frame doesn't turn it over"


def test_a_course_that_can_t_be_is_refused() -> None:
    with pytest.raises(ValueError, match="one after another"):
        SkyCourse(np.array([0.0, 0.0]), np.array([1.0, 1.0]))
