"""What the focus bench has measured, as values of a rig's fields by their paths, and put into a rig."""

import math
from collections.abc import Mapping
from typing import Any

from vigil.documents.rig.change import Path, with_values
from vigil.documents.rig.rig import Rig

_OVER_BACKLASH = 1.3
"""An overshoot takes up the backlash with some to spare: gears don't have the same play everywhere."""
_SIGMAS = 1.96
Values = dict[Path, Any]


def offset_values(rig: Rig, offsets: Mapping[str, int]) -> Values:
    """Filter offsets of the set in use, in steps against its reference; filters not named keep theirs. Raises
    ValueError without a wheel."""
    if rig.wheel is None:
        raise ValueError(f"{rig.name} has no filter wheel for offsets")
    used = rig.wheel.current
    own = rig.wheel.filter(used.reference or used.focus_through).focus_offset_steps
    at = next(k for k, s in enumerate(rig.wheel.sets) if s.name == used.name)
    return {
        ("wheel", "sets", at, "filters", k, "focus_offset_steps"): own + offsets[f.name]
        for k, f in enumerate(used.filters)
        if f.name in offsets
    }


def overshoot_for(backlash_steps: float) -> int:
    """How far beyond a position the focuser goes when it comes from the other side."""
    return math.ceil(_OVER_BACKLASH * max(backlash_steps, 0.0))


def backlash_values(backlash_steps: float) -> Values:
    """Vigil makes up for it with an overshoot; where none shows, the controller does."""
    if backlash_steps < 1:
        return {("focuser", "backlash_by"): "controller"}
    return {
        ("focuser", "backlash_by"): "Vigil",
        ("focuser", "overshoot_steps"): overshoot_for(backlash_steps),
        ("focuser", "controller_steps"): 0,
    }


def slope_values(steps_per_c: float, half: float, scatter: float) -> Values:
    """For a temperature model: steps for each °C, half of their 95 % interval, and the runs' scatter about
    it, which is taken for what focus wanders besides in an hour."""
    return {
        ("focuser", "steps_per_c"): round(steps_per_c, 2),
        ("focuser", "steps_per_c_error"): round(half / _SIGMAS, 2),
        ("focuser", "wanders_steps_h"): round(scatter, 2),
    }


def with_offsets(rig: Rig, offsets: Mapping[str, int]) -> Rig:
    """Raises ValueError without a wheel."""
    return with_values(rig, offset_values(rig, offsets))


def with_backlash(rig: Rig, backlash_steps: float) -> Rig:
    return with_values(rig, backlash_values(backlash_steps))


def with_slope(rig: Rig, steps_per_c: float, half: float, scatter: float) -> Rig:
    return with_values(rig, slope_values(steps_per_c, half, scatter))
