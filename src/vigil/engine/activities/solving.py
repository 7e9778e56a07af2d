"""Frames taken to be solved: for centring, and for the camera's angle."""

from typing import Any

from vigil.devices.protocols import Exposure
from vigil.engine.activities.moves import (
    filter_to,
    focuser_to,
    frame_exposure,
    is_mosaic,
    slew_to,
    take,
)
from vigil.engine.activity import ActivityFailed, Kit
from vigil.sky.angles import separation_deg
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint
from vigil.solving.solution import Solution
from vigil.solving.wcs import Wcs

_SCALE_TOLERANCE = 0.05
_SEARCH_DEG = 3.0
# blind, the field is still that of the rig
_BREADTH = 1.3


async def ready_to_solve(kit: Kit, focus_position: int | None) -> Exposure:
    """The rig's filter for solving in the beam, and its focus where one is known; how to expose then."""
    wheel = kit.rig.wheel
    if wheel is not None:
        await filter_to(kit, wheel.solve_through)
    exposure = frame_exposure(kit, kit.rig.solve_exposure_s, "solving")
    if focus_position is not None:
        await focuser_to(kit, focus_position)
    return exposure


async def near_enough(kit: Kit, ra_deg: float, dec_deg: float) -> tuple[float, float]:
    """Where the mount says it looks, once that is near a place: it is sent there when it is far."""
    state = kit.devices.mount.state if kit.devices.mount else None
    if state is None:
        raise ActivityFailed("the mount's position is unknown")
    if separation_deg(state.ra_deg, state.dec_deg, ra_deg, dec_deg) > _SEARCH_DEG:
        await slew_to(kit, ra_deg, dec_deg)
        return ra_deg, dec_deg
    return state.ra_deg, state.dec_deg


async def solved_frame(
    kit: Kit, exposure: Exposure, aim: tuple[float, float], number: int
) -> tuple[Solution, Wcs]:
    """Take a frame and solve it near where the mount looks, else over the whole sky. Raises
    ActivityFailed."""
    frame = await take(kit, exposure)
    scale = kit.rig.scale_arcsec_px(exposure.binning)
    hint = Hint(*aim, scale * (1 - _SCALE_TOLERANCE), scale * (1 + _SCALE_TOLERANCE), within_deg=_SEARCH_DEG)
    side_deg = min(frame.image.shape) * scale / 3600
    breadth = Breadth(side_deg / _BREADTH, side_deg * _BREADTH)
    solution = await kit.measurer.solve(frame.image, hint, breadth, is_mosaic(kit, frame))
    if solution.wcs is None:
        raise ActivityFailed(f"frame {number} not solved: {solution.reason}")
    return solution, solution.wcs


def solved_values(solution: Solution, wcs: Wcs) -> dict[str, Any]:
    """What a step records of a solved frame."""
    return {
        "ra_deg": wcs.ra_deg,
        "dec_deg": wcs.dec_deg,
        "scale_arcsec_px": wcs.scale_arcsec_px,
        "position_angle_deg": wcs.position_angle_deg,
        "matched": solution.stars_matched,
        "method": solution.method,
    }
