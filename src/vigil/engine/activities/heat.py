"""Set the dew heaters."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Any

from vigil.devices.protocols import Heaters
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
            await heaters.do(f"{name} to {level:g} %", 5.0, heated(name, level))
        return {}


def heated(name: str, percent: float) -> Callable[[Heaters], Awaitable[None]]:
    """The call that sets a heater."""
    return lambda heaters: heaters.set_level(name, percent)
