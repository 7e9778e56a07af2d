"""How long a focus run takes: with the whole field, and with one star in a subframe."""

from vigil.documents.rig import Rig
from vigil.planning.overheads import FOCUS_FRAMES

ONE_STAR_PX = 256
"""Side of the subframe around one star."""
_MOVE_S, _OVERHEAD_S = 1.5, 0.3
"""A focuser's small move, and what a camera needs for a frame whatever its size."""


def run_takes_s(rig: Rig, exposure_s: float, frames_each: int = 1, one_star: bool = False) -> float:
    """Of an ordinary run through a filter that is in already; 0 without camera or focuser."""
    if rig.camera is None or rig.focuser is None:
        return 0.0
    readout_s = rig.readout_s()
    if one_star:
        share = min(1.0, ONE_STAR_PX**2 / (rig.camera.columns * rig.camera.rows))
        readout_s = _OVERHEAD_S + share * max(readout_s - _OVERHEAD_S, 0.0)
    positions, each_s = FOCUS_FRAMES, exposure_s + readout_s
    return positions * (frames_each * each_s + _MOVE_S + rig.focuser.settle_s)
