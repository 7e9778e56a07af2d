"""What is done with each device by hand, one small coroutine an action. They check nothing of the night."""

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any

from vigil.devices.errors import Refused
from vigil.documents.figures import signed
from vigil.engine.activities.centre import Centre
from vigil.engine.activities.moves import filter_to, focuser_to, slew_to, to_stored
from vigil.engine.activities.turn import TurnByHand, TurnCamera
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.hand.limits import DIRECTIONS, within
from vigil.engine.warming import warm_up
from vigil.sky.angles import parse_dec_deg, parse_ra_deg

SIDEREAL_DEG_S = 15.041067 / 3600
_QUICK_S = 10.0
_ROTATOR_DEG_S = 1.0
_TURN_WAIT_MIN = 30.0

Do = Callable[[Kit, dict[str, Any]], Awaitable[str]]


async def connect(kit: Kit, name: str) -> str:
    await kit.devices.named(name).connect()
    return f"{name} connected"


async def disconnect(kit: Kit, name: str) -> str:
    await kit.devices.named(name).disconnect()
    return f"{name} disconnected"


async def stop(kit: Kit, name: str) -> str:
    """Stop a device whatever it does; the camera's exposure is abandoned."""
    device = kit.devices.named(name)
    if name in ("camera", "guide camera"):
        await device.do("abort", _QUICK_S, lambda d: d.abort())
    else:
        await device.do("stop", _QUICK_S, lambda d: d.stop())
    return "stopped"


async def _cool(kit: Kit, values: dict[str, Any]) -> str:
    camera = kit.devices.named("camera")
    await camera.do("cool", _QUICK_S, lambda c: c.cool(values["set_point_c"]))
    return f"cooling to {signed(values['set_point_c'])} °C"


async def _warm(kit: Kit, values: dict[str, Any]) -> str:
    minutes = kit.rig.camera.cooler.warm_minutes_limit if kit.rig.camera and kit.rig.camera.cooler else 1.0
    try:
        async with asyncio.timeout(60 * minutes):
            return await warm_up(kit)
    except TimeoutError:
        raise ActivityFailed(f"not warm within {minutes:g} min") from None


async def _filter(kit: Kit, values: dict[str, Any]) -> str:
    await filter_to(kit, values["filter"])
    return f"{values['filter']} in the beam"


async def _focuser_to(kit: Kit, values: dict[str, Any]) -> str:
    await focuser_to(kit, values["position"])
    return f"at {values['position']}"


async def _focuser_by(kit: Kit, values: dict[str, Any]) -> str:
    focuser, part = kit.devices.focuser, kit.rig.focuser
    if focuser is None or focuser.state is None or part is None:
        raise ActivityFailed("the focuser's position is unknown")
    position = focuser.state.position + values["steps"]
    within("position", position, part.lowest, part.highest)
    await focuser_to(kit, position)
    return f"at {position}"


async def _slew(kit: Kit, values: dict[str, Any]) -> str:
    await slew_to(kit, parse_ra_deg(str(values["ra"])), parse_dec_deg(str(values["dec"])))
    return "there, tracking"


async def _centre(kit: Kit, values: dict[str, Any]) -> str:
    ra_deg, dec_deg = parse_ra_deg(str(values["ra"])), parse_dec_deg(str(values["dec"]))
    await slew_to(kit, ra_deg, dec_deg)
    result = await Centre("", "the place", ra_deg, dec_deg, None, values["reach_px"]).run(kit)
    return str(result["summary"])


async def _frame(kit: Kit, values: dict[str, Any]) -> str:
    """Turned first, since a turn moves the centre."""
    ra_deg, dec_deg = parse_ra_deg(str(values["ra"])), parse_dec_deg(str(values["dec"]))
    await slew_to(kit, ra_deg, dec_deg)
    where = "", "the place", ra_deg, dec_deg, values["angle_deg"] % 360, None, values["within_deg"]
    turn: Activity
    if kit.rig.rotator is not None and kit.rig.rotator.by == "motor":
        turn = TurnCamera(*where)
    else:
        turn = TurnByHand(*where, _TURN_WAIT_MIN, "hold")
    turned = await turn.run(kit)
    centred = await Centre("", "the place", ra_deg, dec_deg, None, values["reach_px"]).run(kit)
    return f"{turned['summary']}; {centred['summary']}"


async def _to_stored(kit: Kit, values: dict[str, Any]) -> str:
    await to_stored(kit, values["position"])
    return f"at {values['position']}, not tracking"


async def _nudge(kit: Kit, values: dict[str, Any]) -> str:
    mount, (axis, sign) = kit.devices.named("mount"), DIRECTIONS[values["direction"]]
    rate = sign * values["rate"] * SIDEREAL_DEG_S
    try:
        await mount.do(f"move {values['direction']}", _QUICK_S, lambda m: m.move_axis(axis, rate))
        await kit.clock.sleep(values["seconds"])
    finally:
        # whoever lets go early stops it too
        await asyncio.shield(mount.do("hold", _QUICK_S, lambda m: m.move_axis(axis, 0.0)))
    moved = abs(rate) * values["seconds"]
    return (
        f"{values['direction']} by {moved:.2f}°"
        if moved >= 0.1
        else f"{values['direction']} by {60 * moved:.1f}′"
    )


async def _track(kit: Kit, values: dict[str, Any]) -> str:
    await kit.devices.named("mount").do("track", _QUICK_S, lambda m: m.track(values["on"]))
    return "tracking" if values["on"] else "tracking off"


async def _park(kit: Kit, values: dict[str, Any]) -> str:
    mount = kit.devices.named("mount")
    await mount.do("park", 300.0, lambda m: m.park(), before_again=lambda m: m.stop())
    return "parked"


async def _unpark(kit: Kit, values: dict[str, Any]) -> str:
    await kit.devices.named("mount").do("unpark", 60.0, lambda m: m.unpark())
    return "unparked"


async def _rotate_to(kit: Kit, values: dict[str, Any]) -> str:
    return await _rotate(kit, values["angle_deg"])


async def _rotate_by(kit: Kit, values: dict[str, Any]) -> str:
    rotator, part = kit.devices.rotator, kit.rig.rotator
    if rotator is None or rotator.state is None or part is None:
        raise ActivityFailed("the rotator's angle is unknown")
    angle = rotator.state.angle_deg + values["degrees"]
    within("angle", angle, part.lowest_deg, part.highest_deg, "°")
    return await _rotate(kit, angle)


async def _rotate(kit: Kit, angle_deg: float) -> str:
    rotator = kit.devices.named("rotator")
    limit_s = 20.0 + 360 / _ROTATOR_DEG_S
    await rotator.do(
        f"turn to {angle_deg:g}°", limit_s, lambda r: r.move_to(angle_deg), before_again=lambda r: r.stop()
    )
    return f"at {angle_deg:g}°"


async def _panel_level(kit: Kit, values: dict[str, Any]) -> str:
    return await _panel(kit, values["step"])


async def _panel_on(kit: Kit, values: dict[str, Any]) -> str:
    return await _panel(kit, kit.rig.panel.top if kit.rig.panel else 1)


async def _panel_off(kit: Kit, values: dict[str, Any]) -> str:
    return await _panel(kit, 0)


async def _panel(kit: Kit, level: int) -> str:
    await kit.devices.named("flat panel").do(f"level {level}", _QUICK_S, lambda p: p.set_level(level))
    return f"at step {level}" if level else "off"


def _shutter(name: str, way: str) -> Do:
    async def move(kit: Kit, values: dict[str, Any]) -> str:
        shutter, part = kit.devices.named(name), kit.rig.roof if name == "roof" else kit.rig.cover
        limit_s = 2 * (part.moves_in_s if part else 60.0) + 10.0
        await shutter.do(way, limit_s, lambda s: getattr(s, way)(), before_again=lambda s: s.stop())
        found = shutter.state.shutter if shutter.state else "unknown"
        if found not in ("open", "closed"):
            raise Refused(f"{name}: {found}")
        return str(found)

    return move


async def _heater(kit: Kit, values: dict[str, Any]) -> str:
    name, percent = values["heater"], values["percent"]
    await kit.devices.named("heaters").do(
        f"{name} to {percent:g} %", _QUICK_S, lambda h: h.set_level(name, percent)
    )
    return f"{name} at {percent:g} %"


async def _outlet(kit: Kit, values: dict[str, Any]) -> str:
    name, on = values["outlet"], values["on"]
    await kit.devices.named("power").do(
        f"{name} {'on' if on else 'off'}", _QUICK_S, lambda p: p.switch(name, on)
    )
    return f"{name} {'on' if on else 'off'}"


DEEDS: dict[tuple[str, str], Do] = {
    ("camera", "cool"): _cool,
    ("camera", "warm"): _warm,
    ("filter wheel", "to"): _filter,
    ("focuser", "to"): _focuser_to,
    ("focuser", "by"): _focuser_by,
    ("mount", "slew"): _slew,
    ("mount", "centre"): _centre,
    ("mount", "frame"): _frame,
    ("mount", "to"): _to_stored,
    ("mount", "nudge"): _nudge,
    ("mount", "track"): _track,
    ("mount", "park"): _park,
    ("mount", "unpark"): _unpark,
    ("rotator", "to"): _rotate_to,
    ("rotator", "by"): _rotate_by,
    ("flat panel", "on"): _panel_on,
    ("flat panel", "off"): _panel_off,
    ("flat panel", "level"): _panel_level,
    ("cover", "open"): _shutter("cover", "open"),
    ("cover", "close"): _shutter("cover", "close"),
    ("roof", "open"): _shutter("roof", "open"),
    ("roof", "close"): _shutter("roof", "close"),
    ("heaters", "level"): _heater,
    ("power", "switch"): _outlet,
}
CLAIMS: dict[tuple[str, str], frozenset[str]] = {
    ("camera", "cool"): frozenset({"cooler"}),
    ("camera", "warm"): frozenset({"cooler"}),
    ("mount", "centre"): Centre.DEVICES,
    ("mount", "frame"): TurnCamera.DEVICES,
    ("roof", "close"): frozenset({"roof", "mount"}),
    ("roof", "open"): frozenset({"roof", "mount"}),
}
"""What an action claims, where that is more or other than its device."""
DISTURBS: dict[str, tuple[str, ...]] = {"mount": ("pointing", "angle"), "rotator": ("pointing", "angle")}
"""What is unknown after work by hand on a device."""
