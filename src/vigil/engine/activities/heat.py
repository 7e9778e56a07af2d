"""Set the dew heaters."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activity import Activity, ActivityFailed, Kit


@dataclass(frozen=True)
class Heat(Activity):
    KIND = "heat"
    DEVICES = frozenset({"heaters"})
    words = "setting the heaters"
    expected_s = 3.0

    levels: tuple[tuple[str, float], ...]

    async def run(self, kit: Kit) -> dict[str, Any]:
        heaters = kit.devices.heaters
        if heaters is None:
            raise ActivityFailed("the rig has no heaters")
        for name, level in self.levels:
            await heaters.do(f"{name} to {level:g} %", 5.0, lambda h, n=name, x=level: h.set_level(n, x))
        return {}
