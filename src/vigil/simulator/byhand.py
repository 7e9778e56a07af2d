"""The observatory set up by hand for single frames: gear put where it is wanted, without a night's ways."""

import numpy as np

from vigil.devices.errors import Refused
from vigil.devices.protocols import Exposure, RawFrame
from vigil.simulator.chip import main_chip
from vigil.simulator.frame.scene import Scene
from vigil.simulator.lightpath import panel_full_e_s_px
from vigil.simulator.observatory import SimObservatory
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

_WANTED_SHARE = 0.45
_USUAL_HOUR_ANGLE_DEG, _USUAL_DISTANCE_DEG = -15.0, 15.0
_FARTHEST_DEG = 60.0


def set_up(observatory: SimObservatory, filter_name: str, sensor_c: float | None) -> None:
    """Everything connected, cold, open, the filter in; the sensor at its set-point unless said otherwise."""
    gear = observatory.truth.gear
    state, rig, now = gear.state, gear.rig, gear.clock.utcnow()
    for name in rig.device_names:
        state.connected[name] = True
    gear.on_line()
    if rig.wheel is not None and filter_name:
        state.slot = rig.wheel.filter(filter_name).slot or state.slot
        state.wheel_from = state.slot - 1
    cooler = rig.camera.cooler if rig.camera else None
    set_point_c = sensor_c if sensor_c is not None else cooler.set_point_c if cooler else None
    if cooler is not None:
        state.sensor_c, state.sensor_at, state.set_point_c = set_point_c or 0.0, now, set_point_c
    state.shutters |= {"cover": "open", "roof": "open"}


def point(observatory: SimObservatory, near_deg: tuple[float, float] | None) -> float:
    """The frame's centre on an ICRS direction (its mount pointed so that, its errors counted, it truly looks
    there), or somewhere high in the south-east, poleward below the equator. Returns how high that is, in
    degrees."""
    truth = observatory.truth
    gear, now = truth.gear, truth.gear.clock.utcnow()
    site, instants = gear.rig.site.place(), from_datetimes(now)
    if near_deg is None:
        latitude = site.latitude_deg
        dec = latitude - np.copysign(_USUAL_DISTANCE_DEG, latitude)
        ra, declination = unobserve(
            _USUAL_HOUR_ANGLE_DEG, float(np.clip(dec, -_FARTHEST_DEG, _FARTHEST_DEG)), instants, site
        )
        near_deg = float(ra % 360), float(declination)
    altitude_deg = float(observe(*near_deg, instants, site).altitude_deg)
    truth.mount.put(*near_deg)
    return altitude_deg


def panel_level_for(observatory: SimObservatory, exposure: Exposure) -> int:
    """The panel's step that fills a flat to not quite half of what the camera holds, as a person would find
    it."""
    gear = observatory.truth.gear
    chip, panel = main_chip(gear.rig, exposure.gain), gear.rig.panel
    assert panel is not None
    holds_e = min(chip.full_well_e, chip.full_scale_adu / exposure.binning**2 * chip.electrons_per_adu)
    full_e = panel_full_e_s_px(gear, chip, 1) * exposure.exposure_s
    share = min(1.0, _WANTED_SHARE * holds_e / full_e)
    top = max(1, panel.levels)
    return int(np.clip(round(top * share ** (1 / gear.scenario.panel.gamma)), 1, top))


def lay_panel_on(observatory: SimObservatory, level: int) -> None:
    """The flat panel before the telescope, at a step, whoever dims it. Raises Refused."""
    gear = observatory.truth.gear
    panel = gear.rig.panel
    assert panel is not None
    top = max(1, panel.levels)
    if not 0 <= level <= top:
        raise Refused(f"flat panel: step {level} does not exist, it has 0 to {top}")
    gear.state.panel_level, gear.state.panel_laid_on = level, True


async def expose_at(
    observatory: SimObservatory,
    exposure: Exposure,
    focus_offset_steps: float,
    guides: bool = False,
    sensor_c: float | None = None,
) -> tuple[RawFrame, Scene]:
    """A frame so far from the best focus that there is now, the sensor kept at a temperature where one is
    given, and what it was drawn from."""
    gear, camera = (
        observatory.truth.gear,
        observatory.truth.guide_camera if guides else observatory.truth.camera,
    )
    drawn: list[Scene] = []
    before = camera.on_frame

    def look(frame: RawFrame, scene: Scene) -> None:
        drawn.append(scene)
        before(frame, scene)

    now = gear.clock.utcnow()
    gear.state.drawtube_steps = gear.best_focus_steps(gear.state.slot, now) + focus_offset_steps
    if sensor_c is not None:
        gear.state.sensor_c, gear.state.sensor_at = sensor_c, now
    camera.on_frame = look
    try:
        frame = await camera.expose(exposure)
    finally:
        camera.on_frame = before
    return frame, drawn[-1]
