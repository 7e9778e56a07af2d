"""What the focus bench has measured, put into a rig."""

import math
from collections.abc import Mapping

from vigil.documents.rig.rig import Rig

_OVER_BACKLASH = 1.3
"""An overshoot takes up the backlash with some to spare: gears don't have the same play everywhere."""


def with_offsets(rig: Rig, offsets: Mapping[str, int]) -> Rig:
    """Filter offsets of the set in use, in steps against its reference; filters not named keep theirs. Raises
    ValueError without a wheel."""
    if rig.wheel is None:
        raise ValueError(f"{rig.name} has no filter wheel for offsets")
    used = rig.wheel.current
    reference = used.reference or used.focus_through
    own = rig.wheel.filter(reference).focus_offset_steps
    filters = [
        f.model_copy(update={"focus_offset_steps": own + offsets[f.name]}) if f.name in offsets else f
        for f in used.filters
    ]
    changed = used.model_copy(update={"filters": filters})
    sets = [changed if s.name == used.name else s for s in rig.wheel.sets]
    return rig.model_copy(update={"wheel": rig.wheel.model_copy(update={"sets": sets})})


def overshoot_for(backlash_steps: float) -> int:
    """How far beyond a position the focuser goes when it comes from the other side."""
    return math.ceil(_OVER_BACKLASH * max(backlash_steps, 0.0))


def with_backlash(rig: Rig, backlash_steps: float) -> Rig:
    """Vigil makes up for it with an overshoot; where none shows, the controller does. Raises ValueError
    without a focuser."""
    if rig.focuser is None:
        raise ValueError(f"{rig.name} has no focuser")
    if backlash_steps < 1:
        values: dict[str, object] = {"backlash_by": "controller"}
    else:
        values = {
            "backlash_by": "Vigil",
            "overshoot_steps": overshoot_for(backlash_steps),
            "controller_steps": 0,
        }
    return rig.model_copy(update={"focuser": rig.focuser.model_copy(update=values)})


def slope_values(steps_per_c: float, half: float, scatter: float) -> dict[str, float]:
    """Fields of the focuser for a temperature model: steps for each °C, half of their 95 % interval, and the
    runs' scatter about it, which is taken for what focus wanders besides in an hour."""
    return {
        "steps_per_c": round(steps_per_c, 2),
        "steps_per_c_error": round(half / 1.96, 2),
        "wanders_steps_h": round(scatter, 2),
    }


def with_slope(rig: Rig, steps_per_c: float, half: float, scatter: float) -> Rig:
    """A temperature model. Raises ValueError without a focuser."""
    if rig.focuser is None:
        raise ValueError(f"{rig.name} has no focuser")
    focuser = rig.focuser.model_copy(update=slope_values(steps_per_c, half, scatter))
    return rig.model_copy(update={"focuser": focuser})
