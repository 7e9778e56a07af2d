"""Connect every device, all in parallel."""

import asyncio
from dataclasses import dataclass
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import Supervised
from vigil.engine.activity import Activity, ActivityFailed, Kit


@dataclass(frozen=True)
class Connect(Activity):
    KIND = "connect"
    DEVICES = frozenset({"camera", "filter wheel", "focuser", "mount"})
    words = "connecting the rig"
    expected_s = 5.0

    async def run(self, kit: Kit) -> dict[str, Any]:
        problems: list[str] = []

        async def one(device: Supervised[Any, Any]) -> None:
            try:
                await device.connect()
            except DeviceError as problem:
                problems.append(str(problem))
            else:
                await kit.step({"device": device.name}, f"{device.name} connected")

        async with asyncio.TaskGroup() as group:
            for device in kit.devices.all():
                if not device.connected:
                    group.create_task(one(device))
        if problems:
            raise ActivityFailed("; ".join(problems))
        return {}
