"""The camera warmed up: at the end of a night, and by hand."""

from vigil.documents.figures import signed
from vigil.engine.activity import Kit

_LOOK_EVERY_S = 5.0
_IDLE_POWER = 0.02
_QUICK_S = 10.0


async def warm_up(kit: Kit) -> str:
    """Warm the sensor by the camera's ramp, then switch the cooler off; whoever calls sets a time limit."""
    camera, cooler = kit.devices.camera, kit.rig.camera.cooler if kit.rig.camera else None
    if camera is None or cooler is None:
        return "there is no cooler"
    goal_c = cooler.warm_to_c
    if not camera.connected:
        await camera.connect()
    if camera.state is not None and camera.state.set_point_c is None:
        return f"the cooler was off, {signed(camera.state.temperature_c, 1)} °C"
    await camera.do("warm up", _QUICK_S, lambda c: c.cool(goal_c))
    while camera.state is not None:
        # colder air than the goal: the sensor is as warm as it can get when the cooler has nothing to do
        if camera.state.temperature_c >= goal_c - 0.5 or camera.state.cooler_power <= _IDLE_POWER:
            break
        await kit.clock.sleep(_LOOK_EVERY_S)
    await camera.do("cooler off", _QUICK_S, lambda c: c.cool(None))
    return f"{signed(camera.state.temperature_c, 1)} °C, cooler off" if camera.state else "cooler off"
