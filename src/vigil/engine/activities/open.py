"""Open the roof or the cover."""

from dataclasses import dataclass
from typing import Any

from vigil.devices.protocols import Shutter, ShutterState
from vigil.devices.supervised import Supervised
from vigil.engine.activity import Activity, ActivityFailed, Kit


@dataclass(frozen=True)
class Open(Activity):
    KIND = "open"
    DEVICES = frozenset({"roof", "cover", "mount"})

    device: str
    moves_in_s: float

    @property
    def words(self) -> str:
        return f"opening the {self.device}"

    @property
    def expected_s(self) -> float:
        return self.moves_in_s

    async def run(self, kit: Kit) -> dict[str, Any]:
        shutter: Supervised[Shutter, ShutterState] = kit.devices.named(self.device)
        limit_s = 2 * self.moves_in_s + 10.0
        await shutter.do("open", limit_s, lambda s: s.open(), before_again=lambda s: s.stop())
        if shutter.state is None or shutter.state.shutter != "open":
            found = shutter.state.shutter if shutter.state else "unknown"
            raise ActivityFailed(f"the {self.device} is {found}, not open")
        return {}
