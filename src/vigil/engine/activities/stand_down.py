"""The mount that nobody wants for a while stands still, or parks: as the rig has it."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activity import Activity, Kit
from vigil.engine.shutting import park


@dataclass(frozen=True)
class StandDown(Activity):
    KIND = "stand down"
    DEVICES = frozenset({"mount"})
    DISTURBS = ("pointing",)
    expected_s = 5.0

    parks: bool

    @property
    def words(self) -> str:
        return "parking the mount" if self.parks else "stopping the mount"

    async def run(self, kit: Kit) -> dict[str, Any]:
        mount = kit.devices.mount
        if mount is None:
            return {}
        if self.parks:
            return {"summary": await park(kit)}
        await mount.do("stop tracking", 10.0, lambda m: m.track(False))
        return {"summary": "the mount stands still"}
