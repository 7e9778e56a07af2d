"""The polar axis measured: a frame, a turn in right ascension, a frame, a turn, a frame."""

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from vigil.devices.errors import Refused
from vigil.devices.protocols import MountState
from vigil.documents.polar import AxisWish, PolarRecord, Stood
from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.calibrating import pier_side_of
from vigil.engine.polar.camera import PolarCamera, SolvedFrame
from vigil.planning.polarfield import expected, field_deg
from vigil.planning.polarturns import NEAR_DEG, WELL_NEAR_DEG, Turns, pole_sign, start_for, turns_from
from vigil.polar.attitude import attitude
from vigil.polar.axis import Axis, NoAxis, axis_of
from vigil.polar.error import refracted_pole_deg, told_error, true_pole_deg
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site

_CALL_S, _MOVE_MARGIN_S = 15.0, 20.0
_TRIES, _LONGER = 3, 2.0
"""A frame that isn't solved is taken again, each time twice as long."""
_LONGEST_S = 30.0
_LEAST_MOTION_DEG, _TURN_TOLERANCE = 1.0, 0.05
_SIDEREAL_DEG_S = 15.041067 / 3600
_STEP_WAIT = timedelta(minutes=30)
_GO_ON, _BREAK_OFF = "turn", "stop here"
Tell = Callable[[dict[str, Any], str], Awaitable[None]]


@dataclass(frozen=True, slots=True)
class Measured:
    """What is kept of it."""

    record: PolarRecord
    stood: Stood
    agrees: bool


def site_of(kit: Kit) -> Site:
    """With the air as the weather station has it, else the usual."""
    site, station = kit.rig.site.place(), kit.devices.weather
    state = station.state if station is not None else None
    if state is None or state.temperature_c is None:
        return site
    return replace(site, temperature_c=state.temperature_c)


async def measure(kit: Kit, wish: AxisWish, tell: Tell) -> Measured:
    """Cut off, the mount stands still but for its tracking. Raises ActivityFailed and what devices raise."""
    camera = PolarCamera(kit, wish.camera, wish.exposure_s, wish.gain, wish.binning, wish.filter)
    began = kit.clock.utcnow()
    turns, notes = await _ready(kit, wish, tell)
    await camera.ready()
    notes = expected(kit.rig, wish.camera, wish.filter) + notes
    for words in notes:
        await tell({}, words)
    solved: list[SolvedFrame] = []
    for number in range(1, turns.frames + 1):
        if number > 1:
            if wish.by_steps:
                await _asked(kit, turns, number)
            await turn(kit, turns.turn_deg, wish.rate_deg_s)
        solved.append(await _solved_frame(kit, camera, number, turns, tell))
    try:
        axis = axis_of([one.sighting for one in solved if one.sighting is not None], site_of(kit))
    except NoAxis as problem:
        raise ActivityFailed(f"no axis: {problem}") from None
    notes += _odd_turns(turns, axis, solved)
    if turns.frames == 2:
        notes.append("two frames can't check each other: a third one would")
    if not axis.fits:
        notes.append("the frames don't agree with one axis: was the mount touched, or did declination move?")
    return _measured(kit, wish, axis, solved, began, notes)


# -- before ------------------------------------------------------------------------------------------------


async def _ready(kit: Kit, wish: AxisWish, tell: Tell) -> tuple[Turns, list[str]]:
    """The mount tracks near the pole, both turns are clear. Returns them, and what people should know."""
    part, mount = kit.rig.mount, kit.devices.mount
    if part is None or mount is None or mount.state is None:
        raise ActivityFailed("the mount's position is unknown: connect it first")
    if part.kind == "alt-azimuth":
        raise ActivityFailed(f"{part.name} stands on an alt-azimuth: it has no polar axis")
    notes = []
    if mount.state.parked:
        if not wish.goes:
            raise ActivityFailed("the mount is parked: let it go near the pole first")
        await mount.do("unpark", _CALL_S, lambda m: m.unpark())
        await tell({}, "the mount was parked: it is unparked")
    if wish.goes:
        ra, dec, there = start_for(kit.rig, kit.clock.utcnow(), wish.turn_deg, wish.way, wish.frames)
        if there.turns is None:
            raise ActivityFailed(f"nowhere near the pole are two turns clear: {there.why}")
        await tell({}, "going near the pole")
        await slew_to(kit, ra, dec)
    state = _state(kit)
    if not state.tracking:
        await mount.do("track", _CALL_S, lambda m: m.track(True))
        notes.append("tracking was off: it is on now")
    from_pole = state.dec_deg * pole_sign(kit.rig)
    if from_pole < NEAR_DEG:
        raise ActivityFailed(
            f"the mount says that it looks {90 - from_pole:.0f}° from the pole: go nearer than "
            f"{90 - NEAR_DEG:.0f}°, best within {90 - WELL_NEAR_DEG:.0f}°"
        )
    side = pier_side_of(kit)
    choice = turns_from(
        kit.rig, state.ra_deg, state.dec_deg, side, kit.clock.utcnow(), wish.turn_deg, wish.way, wish.frames
    )
    if choice.turns is None:
        raise ActivityFailed(f"no two turns are clear from here: {choice.why}; let it go near the pole first")
    if choice.why:
        notes.append(f"{choice.why}; so {choice.turns.words}")
    await tell({"turns": choice.turns.turn_deg}, f"{choice.turns.frames} frames, {choice.turns.words}")
    return choice.turns, notes


def _state(kit: Kit) -> MountState:
    mount = kit.devices.mount
    if mount is None or mount.state is None:
        raise ActivityFailed("the mount's position is unknown")
    state: MountState = mount.state
    return state


# -- turning -----------------------------------------------------------------------------------------------


async def turn(kit: Kit, by_deg: float, rate_deg_s: float | None = None) -> None:
    """In right ascension alone, + west, with declination at rest: a slew would move that too. It has settled
    then. Raises DeviceError."""
    mount, part = kit.devices.mount, kit.rig.mount
    assert mount is not None and part is not None, "asked for before"
    rate = min(rate_deg_s or part.slew_deg_s, part.slew_deg_s)
    signed = rate if by_deg > 0 else -rate
    kit.progress.run("turn", f"turning by {abs(by_deg):.0f}°", abs(by_deg) / rate + part.settle_s)
    try:
        try:
            await mount.do("turn", _CALL_S, lambda m: m.move_axis(0, signed), tries=1)
            await kit.clock.sleep(abs(by_deg) / rate)
        finally:
            await asyncio.shield(mount.do("stop turning", _CALL_S, lambda m: m.stop()))
    except Refused as problem:
        raise ActivityFailed(f"the mount didn't turn: {problem}") from None
    await mount.poll()
    if mount.state is not None and not mount.state.tracking:
        await mount.do("track", _CALL_S, lambda m: m.track(True))
    await kit.clock.sleep(part.settle_s)


async def _asked(kit: Kit, turns: Turns, number: int) -> None:
    """By steps: a person says when."""
    words = (
        f"Frame {number - 1} is solved. Turn by {abs(turns.turn_deg):.0f}° {turns.way} now? Mind the cables."
    )
    async with kit.questions.ask(words, (_GO_ON, _BREAK_OFF), _STEP_WAIT, "it ends") as question:
        answer = await question.wait(kit.clock.utcnow() + _STEP_WAIT)
    if answer != _GO_ON:
        raise ActivityFailed(f"ended after frame {number - 1}, as it was asked")


# -- frames ------------------------------------------------------------------------------------------------


async def _solved_frame(kit: Kit, camera: PolarCamera, number: int, turns: Turns, tell: Tell) -> SolvedFrame:
    """Raises ActivityFailed for one that won't be solved."""
    longer, found = 1.0, None
    for attempt in range(_TRIES):
        kit.progress.run("frame", f"frame {number} of {turns.frames}", camera.exposure.exposure_s * longer)
        found = await camera.take(longer=longer)
        if found.wcs is not None:
            break
        again = camera.exposure.exposure_s * longer * _LONGER <= _LONGEST_S and attempt < _TRIES - 1
        if not again:
            break
        longer *= _LONGER
        seconds = camera.exposure.exposure_s * longer
        await tell({}, f"frame {number} not solved ({found.solution.reason}): again with {seconds:g} s")
    assert found is not None, "it was tried"
    if found.wcs is None:
        raise ActivityFailed(
            f"frame {number} not solved: {found.solution.reason}. A cloud, a cover, no focus, or a narrow "
            "filter? The mount tracks where it is"
        )
    wcs = found.wcs
    across, high = field_deg(kit.rig, camera.name)
    told = {
        "number": number,
        "ra_deg": round(wcs.ra_deg, 5),
        "dec_deg": round(wcs.dec_deg, 5),
        "position_angle_deg": round(wcs.position_angle_deg, 3),
        "field_deg": [round(across, 4), round(high, 4)],
        "stars": found.solution.stars_matched,
        "at": found.at.isoformat(),
    }
    await tell(
        {"frame": told},
        f"frame {number} of {turns.frames} solved by {found.solution.stars_matched} stars: "
        f"{90 - abs(wcs.dec_deg):.2f}° from the pole, turned {wcs.position_angle_deg:.1f}°",
    )
    return found


def _odd_turns(turns: Turns, axis: Axis, solved: list[SolvedFrame]) -> list[str]:
    """Turns that differ from those that were asked for: a clutch, play, a motor that stood."""
    told = []
    for number, (found, one, other) in enumerate(
        zip(axis.turns_deg, solved, solved[1:], strict=False), start=1
    ):
        went = found - _SIDEREAL_DEG_S * (other.at - one.at).total_seconds()
        if abs(went - turns.turn_deg) > max(_LEAST_MOTION_DEG, _TURN_TOLERANCE * abs(turns.turn_deg)):
            told.append(
                f"turn {number} was {went:+.1f}° where {turns.turn_deg:+.0f}° were asked for: a slipping "
                "clutch, play, or rates that aren't what the mount says. The axis is right all the same"
            )
    return told


def _measured(
    kit: Kit, wish: AxisWish, axis: Axis, solved: list[SolvedFrame], began: datetime, notes: list[str]
) -> Measured:
    site, last = site_of(kit), solved[-1]
    assert last.sighting is not None, "an axis was found of it"
    at = from_datetimes(last.at)
    error = told_error(axis, true_pole_deg(site), site)
    seen = told_error(axis, refracted_pole_deg(site, at), site)
    state, now = _state(kit), kit.clock.utcnow()
    hour = observe(last.sighting.ra_deg, last.sighting.dec_deg, at, site).hour_angle_deg
    record = PolarRecord(
        at=now,
        method="frames",
        camera=wish.camera,
        altitude_arcmin=round(error.altitude_arcmin, 3),
        azimuth_arcmin=round(error.azimuth_arcmin, 3),
        sigma_altitude_arcmin=round(error.sigma_altitude_arcmin, 3),
        sigma_azimuth_arcmin=round(error.sigma_azimuth_arcmin, 3),
        refracted_altitude_arcmin=round(seen.altitude_arcmin, 3),
        total_arcmin=round(error.total_arcmin, 3),
        took_s=round((now - began).total_seconds(), 1),
        hour_angle_deg=round(float(hour), 3),
        dec_deg=round(last.sighting.dec_deg, 4),
        frames=len(solved),
        turns_deg=tuple(round(t, 4) for t in axis.turns_deg),
        notes=tuple(notes),
    )
    stood = Stood(
        at=last.at,
        camera=wish.camera,
        attitude=tuple(_three(row) for row in attitude(last.sighting, site)),
        axis=_three(axis.direction),
        mount_ra_deg=state.ra_deg,
        mount_dec_deg=state.dec_deg,
    )
    return Measured(record, stood, axis.fits)


def _three(row: "np.ndarray[Any, np.dtype[np.float64]]") -> tuple[float, float, float]:
    x, y, z = (float(v) for v in row)
    return x, y, z
