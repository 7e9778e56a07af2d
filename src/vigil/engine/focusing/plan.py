"""What a focus run is planned from: the rig, and what was asked for."""

from dataclasses import dataclass
from typing import Literal

from vigil.documents.rig import Rig
from vigil.engine.activity import ActivityFailed
from vigil.engine.measuring import FocusOptics
from vigil.focusing.fine import ENDS, LEAST_STARS, FinePlan
from vigil.optics.focus import hfr_slope_px_um, usual_hfr_px

_REACH_ZONES, _REACH_DEPTHS = 12, 10
"""How far from its start a run goes: so many critical focus zones and depths of the curve."""
LONGEST_S = 30.0
_FEW_BLIND, _MOST_BLIND = 3, 12
"""Looks that show nothing: near where focus was before it is a cloud, else it may be the wrong end."""


@dataclass(frozen=True, slots=True)
class Wish:
    """What may be asked for, beside what the rig says; None and 0 leave it to the rig. `anywhere` searches
    the whole travel, whatever reach the rig has."""

    step: int | None = None
    reach: int | None = None
    frames_each: int = 0
    exposure_s: float | None = None
    anywhere: bool = False
    finer: bool = False
    by: Literal["stars", "one star", "sharpness"] = "stars"
    longest_s: float = LONGEST_S
    """Of an exposure, where stars are few."""


def obstruction(rig: Rig) -> float:
    """As a share of the aperture's diameter."""
    scope = rig.telescope
    return scope.obstruction_mm / scope.aperture_mm if scope else 0.0


def fine_plan(rig: Rig, start: int, usual_px: float | None = None, wish: Wish | None = None) -> FinePlan:
    """`usual_px` is the size of stars in focus, by the last run. Raises ActivityFailed."""
    wish = wish or Wish()
    focuser, camera, ratio, zone = rig.focuser, rig.camera, rig.focal_ratio, rig.focus_zone_steps
    if focuser is None or camera is None or ratio is None or zone is None or rig.focal_length_mm is None:
        raise ActivityFailed(f"{rig.name} needs telescope, camera and focuser to be focused")
    covered = obstruction(rig)
    slope = focuser.um_per_step * hfr_slope_px_um(ratio, camera.pixel_um, covered)
    smallest = usual_px or usual_hfr_px(rig.focal_length_mm, camera.pixel_um)
    usual_reach = round(_REACH_ZONES * zone + _REACH_DEPTHS * smallest / slope)
    return FinePlan(
        start=max(focuser.lowest, min(focuser.highest, start)),
        lowest=focuser.lowest,
        highest=focuser.highest,
        upward=focuser.approach == "upward",
        zone_steps=zone,
        slope_px_step=slope,
        usual_px=smallest,
        obstruction=covered,
        step=wish.step or focuser.search_step,
        reach=None if wish.anywhere else wish.reach or focuser.search_reach or usual_reach,
        most_blind=_MOST_BLIND if wish.anywhere else _FEW_BLIND,
        frames_each=wish.frames_each or focuser.search_frames,
        finer=wish.finer,
        starless=wish.by == "sharpness",
        least_stars=1 if wish.by == "one star" else LEAST_STARS,
    )


def focus_optics(rig: Rig, plan: FinePlan, mosaic: bool) -> FocusOptics:
    """For measuring the plan's frames: the median star is cut out as wide as the sweep's ends need."""
    assert rig.camera is not None, "the plan needed one"
    return FocusOptics(
        full_scale_adu=rig.camera.full_scale_adu,
        obstruction=plan.obstruction,
        mosaic=mosaic,
        cut_px=max(8.0, 2.2 * ENDS * max(plan.usual_px, plan.depth * plan.slope_px_step)),
    )
