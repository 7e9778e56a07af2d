"""A fine run, frame by frame, on a telescope that is one formula."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import pytest

from vigil.focusing.fine import Done, FinePlan, Measure, Taken, Wait, fine_run

BEST, SMALLEST, SLOPE, ZONE = 5012.3, 1.4, 0.045, 40.0
PLAN = FinePlan(
    start=5040, lowest=0, highest=10_000, upward=True, zone_steps=ZONE, slope_px_step=SLOPE, usual_px=1.5
)


@dataclass
class Telescope:
    """Stars as a formula has them; `alter` changes a frame by its number, counted from 0."""

    seed: int = 1
    scatter: float = 0.04
    best: float = BEST
    stars: int = 60
    alter: Callable[[int, Taken], Taken] = lambda number, taken: taken
    positions: list[int] = field(default_factory=list)
    whys: list[str] = field(default_factory=list)
    waited: list[str] = field(default_factory=list)

    def run(self, plan: FinePlan = PLAN) -> Done:
        rng = np.random.default_rng(self.seed)
        run, frames = fine_run(plan), []
        step = next(run)
        try:
            while True:
                if isinstance(step, Wait):
                    self.waited.append(step.words)
                else:
                    self.positions.append(step.position)
                    self.whys.append(step.why)
                    frames.append(self._taken(step, rng, len(frames)))
                step = run.send(tuple(frames))
        except StopIteration as end:
            done: Done = end.value
            return done

    def _taken(self, step: Measure, rng: np.random.Generator, number: int) -> Taken:
        size = math.hypot(SMALLEST, SLOPE * (step.position - self.best))
        noisy = size * math.exp(self.scatter * rng.normal())
        return self.alter(number, Taken(step.position, noisy, 0.01 * size, self.stars))


def test_runs_find_the_lowest_point_and_say_how_well() -> None:
    inside = 0
    for seed in range(120):
        telescope = Telescope(seed)
        start = round(BEST + np.random.default_rng(seed).uniform(-8, 8) * ZONE)
        done = telescope.run(replace(PLAN, start=start, upward=bool(seed % 2)))
        assert done.accepted, (seed, done.reason)
        assert abs(done.position - BEST) < ZONE / 6, (seed, done.position)
        low, high = done.curve.interval if done.curve else (0.0, 0.0)
        inside += low <= BEST <= high
    assert 108 <= inside <= 119


def test_positions_come_from_the_side_of_arrival_and_the_last_frame_confirms() -> None:
    for upward in (True, False):
        telescope = Telescope()
        assert telescope.run(replace(PLAN, start=5013, upward=upward)).accepted
        sweep = [p for p, why in zip(telescope.positions, telescope.whys, strict=True) if why == "sweep"]
        assert sweep == sorted(sweep, reverse=not upward) and len(sweep) == 9
        assert telescope.whys[-1] == "confirm"


def test_a_step_by_hand_several_frames_each_and_a_reach_are_kept_to() -> None:
    telescope = Telescope()
    done = telescope.run(replace(PLAN, start=5020, step=15, frames_each=2, reach=200))
    sweep = [p for p, why in zip(telescope.positions, telescope.whys, strict=True) if why == "sweep"]
    assert done.accepted and sweep == sorted(2 * list(range(4960, 5081, 15)))
    far = Telescope(best=5900)
    refused = far.run(replace(PLAN, start=5020, reach=200))
    assert not refused.accepted and all(4820 <= p <= 5220 for p in far.positions)


@pytest.mark.parametrize("upward", [True, False])
@pytest.mark.parametrize("off", [-45, 45])
def test_the_first_frame_of_a_sweep_says_on_which_side_focus_is(off: int, upward: bool) -> None:
    # a look that is near, and larger than usual: before, such sweeps had to be led on frame by frame
    telescope = Telescope()
    done = telescope.run(replace(PLAN, start=round(BEST) + off, upward=upward))
    sweep = [p for p, why in zip(telescope.positions, telescope.whys, strict=True) if why == "sweep"]
    assert done.accepted and "further" not in telescope.whys
    assert min(sweep) < BEST - 40 and max(sweep) > BEST + 40


def test_again_finer_is_closer_and_more_exact() -> None:
    first = Telescope(scatter=0.02).run()
    assert first.curve is not None
    plan = replace(PLAN, start=first.position, finer=True)
    again = Telescope(2, scatter=0.02).run(plan)
    assert plan.spacing(plan.depth) < PLAN.spacing(PLAN.depth) and again.accepted and again.curve is not None
    assert abs(again.position - BEST) < ZONE / 12


def test_a_lowest_point_outside_the_sweep_is_followed_within_the_travel() -> None:
    # what is usual is wrong: the sweep is too narrow and begins beside it
    telescope = Telescope()
    assert telescope.run(replace(PLAN, start=5100, usual_px=0.6, step=6)).accepted
    beyond = Telescope(best=10_150).run(replace(PLAN, start=9900))
    assert not beyond.accepted and beyond.position == 9900 and "end of the travel" in beyond.reason


def test_a_cloud_is_waited_for_and_one_that_stays_is_a_refusal() -> None:
    def dimmed(frames: range) -> Callable[[int, Taken], Taken]:
        return lambda n, t: replace(t, light=0.3, stars=5) if n in frames else t

    passing = Telescope(alter=dimmed(range(5, 7)))
    assert passing.run().accepted
    assert len(passing.waited) == 2 and "lost 70 % of their light: cloud" in passing.waited[0]
    staying = Telescope(alter=dimmed(range(5, 99)))
    done = staying.run()
    assert not done.accepted and "cloud" in done.reason and done.position == PLAN.start
    blind = Telescope(alter=lambda n, t: replace(t, size=0.0, stars=0) if n >= 6 else t).run()
    assert not blind.accepted and "cloud" in blind.reason


def test_a_gust_s_frame_is_taken_again() -> None:
    gusty = Telescope(alter=lambda n, t: replace(t, size=1.5 * t.size, elongation=1.9) if n == 6 else t)
    done = gusty.run()
    assert done.accepted and 6 not in done.used and "a gust" in gusty.waited[0]
    # of stars hardly larger than a pixel nobody can say
    tiny = Telescope(
        alter=lambda n, t: replace(t, size=0.3 * t.size, elongation=1.9 if t.size < 0.6 / 0.3 else 1.1)
    )
    assert tiny.run(replace(PLAN, slope_px_step=0.3 * SLOPE, usual_px=0.45)).accepted and not tiny.waited
    # wind that doesn't end costs frames, no run
    windy = Telescope(alter=lambda n, t: replace(t, elongation=1.9) if n >= 4 else t)
    assert windy.run().accepted


def test_an_outlier_is_measured_once_more() -> None:
    telescope = Telescope(scatter=0.02, alter=lambda n, t: replace(t, size=2.2 * t.size) if n == 5 else t)
    done = telescope.run(replace(PLAN, start=5013))
    again = telescope.positions[telescope.whys.index("again")]
    assert done.accepted and 5 not in done.used and again == telescope.positions[5]


def test_what_is_no_focus_is_refused_with_the_reason() -> None:
    stuck = Telescope(alter=lambda n, t: replace(t, size=3.0 * (1 + 0.02 * math.sin(7 * n))))
    done = stuck.run()
    assert not done.accepted and done.position == PLAN.start and done.reason
    two = Telescope(stars=2).run()
    assert not two.accepted and "nothing to see in 3 looks" in two.reason
    assert Telescope(stars=3).run().accepted


@pytest.mark.parametrize("worse", [1.25, 1.6])
def test_a_confirming_frame_that_is_worse_undoes_it(worse: float) -> None:
    telescope = Telescope(scatter=0.02)
    telescope.alter = lambda n, t: replace(t, size=worse * t.size) if telescope.whys[-1] == "confirm" else t
    done = telescope.run()
    assert not done.accepted and done.reason.endswith("undone") and done.position == PLAN.start
    assert telescope.whys[-2:] == ["confirm", "confirm"]


def test_stars_that_get_no_smaller_than_usual_are_taken_as_they_are() -> None:
    """On a tilted sensor, or in bad air, near is where they are smaller than on both sides."""
    telescope = Telescope(scatter=0.02)
    # a third of what they are: by their size alone no place is near
    done = telescope.run(replace(PLAN, usual_px=0.45, zone_steps=9.0, start=5150))
    assert done.accepted and abs(done.position - BEST) < 3, done.reason
    assert telescope.whys.count("look") < 12


def test_a_run_without_stars_begins_where_it_is_asked_to() -> None:
    """Blurs of any subject are in units of their own, and say nothing of how far focus is."""
    telescope = Telescope(scatter=0.01)
    telescope.alter = lambda n, t: replace(t, size=40 * t.size, scatter=40 * t.scatter, stars=99)
    done = telescope.run(replace(PLAN, start=5030, starless=True, step=25))
    assert done.accepted and abs(done.position - BEST) < 4
    assert telescope.whys[:2] == ["look", "sweep"]


def _sparse(start: int, seen_within: float, stars: int, seed: int = 1) -> tuple[Telescope, Done]:
    """A field with few stars: farther out than so many steps they can't be told from the sky any more, but
    show as a disc."""

    def fades(number: int, taken: Taken) -> Taken:
        away = abs(taken.position - BEST)
        if away < seen_within:
            return replace(taken, stars=max(1, round(stars * (1 - 0.7 * away / seen_within))), scatter=0.03)
        return replace(taken, size=0.0, stars=0, radius_px=away * SLOPE * math.sqrt(2))

    telescope = Telescope(seed, alter=fades)
    return telescope, telescope.run(replace(PLAN, start=start, most_blind=12))


def test_a_field_with_two_stars_is_enough_where_discs_told_the_way() -> None:
    for seed in range(10):
        _, done = _sparse(5400, 120.0, 2, seed)
        assert done.accepted, done.reason
        assert abs(done.position - BEST) < ZONE / 4


def test_it_does_not_look_again_and_again_where_stars_have_faded() -> None:
    for seed in range(10):
        telescope, done = _sparse(5300, 62.0, 8, seed)
        dark = [p for p in telescope.positions if abs(p - BEST) > 62]
        assert done.accepted and len(dark) <= 10, (seed, done.reason, dark)
