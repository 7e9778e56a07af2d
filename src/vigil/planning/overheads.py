"""How long things take that are not exposures, in seconds: by the rig's own nights, else by its document."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from statistics import median

from vigil.documents.conditions import guides
from vigil.documents.events import Event, Kind
from vigil.documents.rig import Rig

SLEW_S = 40.0
CENTRE_S = 60.0
FILTER_S = 15.0
FLIP_S = 90.0
DITHER_S = 15.0
GUIDE_S = 25.0
CALIBRATE_S, POLAR_S = 400.0, 120.0
FOCUS_FRAMES = 12
FOCUS_FRAME_S = 17.0
FOCUS_S = FOCUS_FRAMES * FOCUS_FRAME_S

_FEWEST = 2
"""One that took its time says nothing yet."""


@dataclass(frozen=True, slots=True)
class Overheads:
    """What the timetable reckons with."""

    slew_s: float = SLEW_S
    centre_s: float = CENTRE_S
    filter_s: float = FILTER_S
    flip_s: float = FLIP_S
    dither_s: float = DITHER_S
    guide_s: float = 0.0
    """Guiding begun and settled, after whatever moved the mount, and after a dither."""
    focus_s: float = FOCUS_S


_KINDS = {
    "slew": "slew_s",
    "centre": "centre_s",
    "change filter": "filter_s",
    "flip": "flip_s",
    "dither": "dither_s",
    "guide": "guide_s",
    "focus": "focus_s",
}


_SOLVED_FRAMES, _SOLVE_S, _FOCUSER_MOVE_S, _WHEEL_S, _SLEW_DEG = 2.2, 1.0, 1.5, 3.0, 75.0
_GUIDE_FRAMES, _GUIDE_DEAD_S, _GUIDED_DITHER_S = 5, 0.6, 1.0
"""What a rig's document doesn't say: frames that centring takes, solving one, a focuser's small move, a
wheel's turn, and how far from target to target, a change of sides now and then among them."""


def usual_overheads(rig: Rig) -> Overheads:
    """From the rig's exposures for focusing and solving, its readout, its mount's speed and settling."""
    camera, mount, wheel, focuser = rig.camera, rig.mount, rig.wheel, rig.focuser
    if camera is None or mount is None:
        return Overheads()
    solve_s = _SOLVE_S + rig.solve_exposure_s + rig.readout_s(camera.settings_for("solving").binning)
    focus_s = rig.focus_exposure_s(wheel.focus_through if wheel else "")
    focus_s += rig.readout_s()
    move_s = _FOCUSER_MOVE_S + focuser.settle_s if focuser else 0.0
    turn_s = (_WHEEL_S if wheel is not None and wheel.kind == "wheel" else 0.0) + move_s
    correct_s = mount.settle_s + 1.0
    return Overheads(
        slew_s=_SLEW_DEG / mount.slew_deg_s + mount.settle_s,
        centre_s=turn_s + _SOLVED_FRAMES * solve_s + (_SOLVED_FRAMES - 1) * correct_s,
        filter_s=turn_s,
        flip_s=180 / mount.slew_deg_s + mount.settle_s + turn_s + solve_s,
        dither_s=_GUIDED_DITHER_S if guides(rig) else correct_s,
        guide_s=_settling_s(rig),
        focus_s=turn_s + FOCUS_FRAMES * (focus_s + move_s) if focuser else 0.0,
    )


def _settling_s(rig: Rig) -> float:
    """Frames to choose stars by and to move the star with, and the dwell; 0 where nothing guides."""
    if rig.guider is None or not guides(rig):
        return 0.0
    return _GUIDE_FRAMES * (rig.guider.exposure_s + _GUIDE_DEAD_S) + rig.guider.settle_dwell_s


def overheads_of(events: Iterable[Event], rig: Rig) -> Overheads:
    """The median of what each took in a night, of those that were done at least twice; the others as the
    rig's document has it."""
    took: dict[str, list[float]] = {}
    for event in events:
        values = event.values
        if event.kind is Kind.ACTIVITY_ENDED and values["outcome"] == "done" and values["kind"] in _KINDS:
            took.setdefault(_KINDS[values["kind"]], []).append(float(values["took_s"]))
    known = {name: median(times) for name, times in took.items() if len(times) >= _FEWEST}
    return replace(usual_overheads(rig), **known)
