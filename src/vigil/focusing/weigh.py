"""Whether focusing anew is worth the minutes it costs.

A defocus d makes stars of the size s₀ into √(s₀² + (slope · d)²), and exposure time counts by the inverse
square of the size: the share lost is 1 − s₀²/s². Refocusing every T seconds costs (C + ∫ lost dt) / T, which
is least where T · lost(T) − ∫ lost dt = C (the renewal argument of Barlow & Hunter 1960, Oper. Res. 8, 90).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class Known:
    """Of the last run: its smallest size (px), how fast sizes grow (px a step) and how well its position is
    known (standard error, steps). Of the rig: steps per °C that no one follows and the standard error of
    those that are followed or not, and what focus wanders besides (steps in an hour, growing with its root).
    """

    best_size: float
    slope: float
    sigma_steps: float
    unfollowed_steps_per_c: float = 0.0
    sigma_steps_per_c: float = 0.0
    wanders_steps_h: float = 0.0


@dataclass(frozen=True, slots=True)
class Weighed:
    """`lost` is the share of exposure time that is lost now; `gain_s` what the rule has gathered for a run,
    and `cost_s` what the run takes: it is due when the one reaches the other."""

    lost: float
    gain_s: float
    cost_s: float

    @property
    def due(self) -> bool:
        return self.gain_s >= self.cost_s


def defocus_steps(known: Known, colder_c: float, hours: float) -> float:
    """Root of the expected squared distance from focus, after a change of temperature and some hours."""
    drift = known.unfollowed_steps_per_c * colder_c
    unsure = known.sigma_steps_per_c * colder_c
    wandered = known.wanders_steps_h**2 * hours
    return float(np.sqrt(drift**2 + unsure**2 + known.sigma_steps**2 + wandered))


def lost_share(known: Known, steps: float) -> float:
    """Of exposure time, by a distance from focus."""
    grown = (known.slope * steps / known.best_size) ** 2
    return grown / (1 + grown)


def weigh(known: Known, since: Sequence[tuple[float, float]], cost_s: float) -> Weighed:
    """`since` are moments after the run, in order: (seconds, change of temperature in °C). What was lost at
    once, because the run itself is only so good, no other run would mend: it doesn't count."""
    if not since:
        return Weighed(0.0, 0.0, cost_s)
    at = lost_share(known, known.sigma_steps)
    seconds = np.array([0.0, *(s for s, _ in since)])
    steps = [defocus_steps(known, change, s / 3600) for s, change in since]
    lost = np.maximum(np.array([at, *(lost_share(known, d) for d in steps)]) - at, 0.0)
    gain = seconds[-1] * lost[-1] - np.trapezoid(lost, seconds)
    return Weighed(float(lost[-1] + at), float(max(gain, 0.0)), cost_s)
