"""Connect every device, all in parallel; cooling begins as soon as the camera is there."""

import asyncio
from dataclasses import dataclass
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import Supervised
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.engine.activity import Activity, ActivityFailed, Kit


@dataclass(frozen=True)
class Connect(Activity):
    KIND = "connect"
    DEVICES = frozenset()
    words = "connecting the rig"
    expected_s = 5.0

    names: tuple[str, ...]
    """Those that are missing: the others go on with what they do."""

    @property
    def claims(self) -> frozenset[str]:
        return frozenset({*self.names, *(("cooler",) if "camera" in self.names else ())})

    async def run(self, kit: Kit) -> dict[str, Any]:
        problems: dict[str, str] = {}
        cooler = kit.rig.camera.cooler if kit.rig.camera else None

        async def one(device: Supervised[Any, Any]) -> None:
            try:
                await device.connect()
            except DeviceError as problem:
                if DEVICE_KINDS[device.name].needed:
                    problems[device.name] = str(problem)
                else:
                    await kit.step({"device": device.name}, f"the night goes on without it: {problem}")
                return
            await kit.step({"device": device.name}, f"{device.name} connected")
            if device.name == "flat panel" and device.state is not None and device.state.level:
                await device.do("off", 10.0, lambda p: p.set_level(0))
                await kit.step({"device": device.name}, "the flat panel was on: it is off now")
            if device.name == "camera" and cooler is not None:  # while the others still connect
                await device.do("cool", 10.0, lambda c: c.cool(cooler.set_point_c))

        async with asyncio.TaskGroup() as group:
            for device in kit.devices.all():
                if not device.connected and device.name in self.names:
                    group.create_task(one(device))
        if problems:
            raise ActivityFailed("; ".join(problems.values()), silent=sorted(problems))
        return {}
