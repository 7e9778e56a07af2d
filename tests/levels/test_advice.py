"""Flats advised from trials: panels of many kinds, against what they really do."""

from dataclasses import dataclass

import numpy as np
import pytest

from vigil.levels.advice import Limits, advise
from vigil.levels.panel import fit_panel
from vigil.levels.trials import Camera, Trial

CAMERA = Camera(500.0, 65535.0)
LIMITS = Limits(1, 255, 0.5, 30.0, CAMERA.share_adu(30), CAMERA.share_adu(40))


@dataclass
class Panel:
    """Brightness of a filter in proportion to (level − threshold)^power."""

    power: float
    threshold: float
    factors: dict[str, float]

    def mean(self, name: str, level: int, exposure_s: float) -> float:
        rate = self.factors[name] * (max(level - self.threshold, 0.3) / 255) ** self.power
        return min(CAMERA.full_scale_adu, CAMERA.bias_adu + rate * exposure_s)

    def trial(self, name: str, level: int, exposure_s: float, off: float = 0.0) -> Trial:
        return Trial(name, level, exposure_s, self.mean(name, level, exposure_s) * (1 + off))


@pytest.mark.parametrize("power", [0.6, 1.0, 1.8])
def test_each_filter_lands_in_its_window(power: float) -> None:
    panel = Panel(power, 1.0, {"L": 4e5, "B": 9e4, "Ha": 4e3})
    trials = [
        panel.trial("L", 20, 0.5), panel.trial("L", 60, 0.5), panel.trial("B", 60, 1.0),
        panel.trial("B", 160, 1.0), panel.trial("Ha", 160, 10.0), panel.trial("Ha", 250, 10.0),
    ]  # fmt: skip
    for found in advise(trials, CAMERA, LIMITS):
        assert found.feasible and found.level is not None and found.exposure_s is not None, found.reason
        mean = panel.mean(found.filter, found.level, found.exposure_s)
        assert LIMITS.low_adu <= mean <= LIMITS.high_adu, found
        assert mean == pytest.approx(found.predicted_mean_adu, rel=3 * found.sigma_share + 0.01)
        assert LIMITS.least_exposure_s <= found.exposure_s <= LIMITS.most_exposure_s


def test_one_curve_serves_all_filters() -> None:
    """A filter with one trial is known elsewhere by the curve of the others."""
    panel = Panel(1.7, 0.0, {"L": 4e5, "B": 9e4, "Ha": 4e3})
    others = [panel.trial("L", level, 0.5) for level in (5, 15, 30)]
    alone = fit_panel([panel.trial("Ha", 200, 10.0)], CAMERA)
    together = fit_panel([*others, panel.trial("Ha", 200, 10.0)], CAMERA)
    assert alone is not None and together is not None
    truth = (panel.mean("Ha", 100, 1.0) - CAMERA.bias_adu) / 1.0
    off_alone = abs(alone.brightness("Ha", 100).rate_adu_s / truth - 1)
    off_together = abs(together.brightness("Ha", 100).rate_adu_s / truth - 1)
    assert off_together < 0.3 * off_alone
    assert together.brightness("Ha", 100).sigma_share < 0.5 * alone.brightness("Ha", 100).sigma_share
    with pytest.raises(KeyError, match="no trial says how bright OIII is"):
        together.brightness("OIII", 100)


def test_what_can_t_be_done_is_named_with_the_change_that_makes_it_fit() -> None:
    panel = Panel(1.0, 0.0, {"L": 3e7, "Ha": 300.0, "R": 2e5})
    trials = [
        panel.trial("L", 1, 0.1), panel.trial("L", 2, 0.1), panel.trial("Ha", 255, 10.0),
        panel.trial("Ha", 255, 30.0), panel.trial("R", 100, 0.5), panel.trial("R", 200, 0.5),
    ]  # fmt: skip
    bright, dark, good = advise(trials, CAMERA, LIMITS)
    assert not bright.feasible and bright.reason.startswith("too bright")
    assert not dark.feasible and dark.reason.startswith("too dark") and good.feasible
    factor = float(bright.change.split("1/")[1].split(",")[0])
    dimmed = Panel(1.0, 0.0, {"L": 3e7 / factor})
    again = advise([dimmed.trial("L", 1, 0.5), dimmed.trial("L", 2, 0.5)], CAMERA, LIMITS)
    assert again[0].feasible, "the diffuser that was advised does it"
    longest = float(dark.change.split("up to ")[1].split(" s")[0])
    longer = Limits(1, 255, 0.5, longest, LIMITS.low_adu, LIMITS.high_adu)
    assert advise(trials, CAMERA, longer)[1].feasible, "and so do the exposures"


def test_clipped_and_dark_trials_tell_what_they_can() -> None:
    panel = Panel(1.0, 0.0, {"L": 3e9, "R": 2e6, "Ha": 1e-3})
    trials = [
        panel.trial("L", 1, 0.5), panel.trial("R", 255, 30.0), panel.trial("Ha", 255, 30.0),
        panel.trial("Ha", 20, 1.0),
    ]  # fmt: skip
    light, red, narrow = advise(trials, CAMERA, LIMITS)
    assert light.reason.startswith("too bright: every trial is clipped"), "also at the lowest step"
    assert red.reason.startswith("not known yet") and "a trial at level" in red.change
    assert narrow.reason.startswith("too dark: every trial is dark")


def test_random_panels_are_seldom_missed() -> None:
    """Two trials a filter, the second by the first; off by as much as lamps flicker."""
    inside, all_ = 0, 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        names = ("L", "R", "G", "B", "Ha", "OIII")
        factors = {name: 10 ** float(rng.uniform(3.5, 5.8)) for name in names}
        panel = Panel(float(rng.uniform(0.6, 2.0)), float(rng.uniform(0, 3)), factors)
        trials = []
        for name in names:
            level, exposure_s = int(rng.integers(40, 200)), 1.0
            for _ in range(2):
                made = panel.trial(name, level, exposure_s, float(rng.normal(0, 0.003)))
                trials.append(made)
                light = max(made.mean_adu - CAMERA.bias_adu, 1.0)
                exposure_s = float(np.clip(exposure_s * 0.3 * CAMERA.full_scale_adu / light, 0.5, 30))
                level = int(np.clip(level * (0.2 if made.clipped(CAMERA) else 1.2), 1, 255))
        for found in advise(trials, CAMERA, LIMITS):
            if found.feasible and found.sigma_share < 0.05:
                assert found.level is not None and found.exposure_s is not None
                mean = panel.mean(found.filter, found.level, found.exposure_s)
                inside, all_ = inside + (LIMITS.low_adu <= mean <= LIMITS.high_adu), all_ + 1
    assert all_ > 200 and inside / all_ > 0.97
