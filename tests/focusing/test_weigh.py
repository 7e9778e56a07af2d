"""When a run is worth its time."""

import numpy as np
import pytest

from vigil.focusing.weigh import Known, defocus_steps, lost_share, weigh

KNOWN = Known(best_size=1.8, slope=0.02, sigma_steps=3.0, unfollowed_steps_per_c=-7.0)


def test_a_share_lost_by_hand() -> None:
    # 90 steps of 0.02 px are 1.8 px: stars √2 times as large, half of the time is lost
    assert lost_share(KNOWN, 90.0) == pytest.approx(0.5)
    assert defocus_steps(KNOWN, -2.0, 5.0) == pytest.approx(np.hypot(14, 3))


def test_the_moment_is_the_best_one() -> None:
    """Against the mean loss of every fixed rhythm, the night falling by 1 °C an hour."""
    cost_s = 240.0
    seconds = np.arange(60.0, 6 * 3600.0, 60.0)
    since = [(float(s), -float(s) / 3600) for s in seconds]
    due_s = next(s for k, s in enumerate(seconds) if weigh(KNOWN, since[: k + 1], cost_s).due)

    def mean_loss(every_s: float) -> float:
        inside = seconds[seconds <= every_s]
        lost = [lost_share(KNOWN, defocus_steps(KNOWN, -s / 3600, s / 3600)) for s in inside]
        return (cost_s + float(np.trapezoid(lost, inside))) / every_s

    best_s = min(seconds[5:], key=mean_loss)
    assert due_s == pytest.approx(best_s, abs=180)
    assert 3600 < due_s < 4 * 3600


def test_an_even_night_needs_no_run() -> None:
    assert not weigh(KNOWN, [(s, 0.0) for s in range(60, 36000, 60)], 240.0).due
    assert not weigh(KNOWN, [], 240.0).due


def test_uncertainty_and_wandering_bring_it_nearer() -> None:
    since = [(60.0 * k, -0.25 * k / 60) for k in range(1, 240)]
    plain = weigh(KNOWN, since, 240.0).gain_s
    for more in ({"sigma_steps_per_c": 3.0}, {"wanders_steps_h": 4.0}):
        other = Known(KNOWN.best_size, KNOWN.slope, KNOWN.sigma_steps, KNOWN.unfollowed_steps_per_c, **more)
        assert weigh(other, since, 240.0).gain_s > plain
