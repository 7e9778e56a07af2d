"""Unpark and track."""

from dataclasses import dataclass
from typing import Any

from vigil.engine.activity import Activity, Kit


@dataclass(frozen=True)
class WakeMount(Activity):
    KIND = "wake mount"
    DEVICES = frozenset({"mount"})
    DISTURBS = ("pointing",)
    words = "unparking the mount"
    expected_s = 5.0

    async def run(self, kit: Kit) -> dict[str, Any]:
        mount = kit.devices.mount
        if mount is None:
            return {}
        if mount.state is None or mount.state.parked:
            await mount.do("unpark", 60.0, lambda m: m.unpark())
        await mount.do("start tracking", 10.0, lambda m: m.track(True))
        return {}
