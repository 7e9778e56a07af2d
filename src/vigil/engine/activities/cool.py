"""Cool the camera to its set-point."""

from dataclasses import dataclass
from typing import Any

from vigil.documents.figures import signed
from vigil.engine.activity import Activity, ActivityFailed, Kit

_LOOK_EVERY_S = 5.0
_STEADY_S = 30.0


@dataclass(frozen=True)
class Cool(Activity):
    KIND = "cool"
    DEVICES = frozenset({"cooler"})

    set_point_c: float
    within_c: float
    minutes: float

    @property
    def words(self) -> str:
        return f"cooling the camera to {signed(self.set_point_c)} °C"

    @property
    def expected_s(self) -> float:
        return 60 * self.minutes

    async def run(self, kit: Kit) -> dict[str, Any]:
        """Set the cooler and wait until the sensor has been there for half a minute."""
        camera = kit.devices.camera
        if camera is None:
            raise ActivityFailed("the rig has no camera")
        await camera.do("cool", 10.0, lambda c: c.cool(self.set_point_c))
        began = kit.clock.utcnow()
        steady_s = 0.0
        limit_s = 2 * self.expected_s
        while steady_s < _STEADY_S:
            waited_s = (kit.clock.utcnow() - began).total_seconds()
            state = camera.state
            if state is None:
                raise ActivityFailed("the camera was lost while it cooled")
            if waited_s > limit_s:
                raise ActivityFailed(
                    f"the camera reached {signed(state.temperature_c, 1)} °C in {waited_s / 60:.0f} min, "
                    f"wanted {signed(self.set_point_c)}, cooler at {100 * state.cooler_power:.0f} %: "
                    "choose a warmer set-point"
                )
            await kit.clock.sleep(_LOOK_EVERY_S)
            near = abs(state.temperature_c - self.set_point_c) <= self.within_c
            steady_s = steady_s + _LOOK_EVERY_S if near else 0.0
        return {"temperature_c": camera.state.temperature_c if camera.state else None}
