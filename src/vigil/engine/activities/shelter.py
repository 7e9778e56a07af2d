"""Shelter from an unsafe sky: cover shut, mount parked, roof shut; the camera stays cold."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.rig import Rig
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.shutting import PARK_LIMIT_S, SHUTTER_LIMIT_S, close_cover, close_roof, park


def unsheltered(rig: Rig, states: Mapping[str, Any]) -> list[str]:
    """What of cover, mount and roof is open or awake, in words. `states` are those of the devices by name, of
    those that were lost the last: of one that was never there nothing is known."""
    found = []
    for name, part in (("cover", rig.cover), ("roof", rig.roof)):
        state = states.get(name)
        if part is not None and state is not None and state.shutter != "closed":
            found.append(f"{name} {state.shutter}")
    mount = states.get("mount")
    if rig.mount is not None and mount is not None and not mount.parked:
        found.append("mount not parked")
    return found


@dataclass(frozen=True)
class Shelter(Activity):
    """Cover and mount at once, and the roof as soon as the mount is out of its way. One that fails keeps the
    others from nothing."""

    KIND = "shelter"
    URGENCY = Urgency.SHELTER
    DEVICES = frozenset({"mount", "roof", "cover"})
    DISTURBS = ("pointing",)
    words = "shutting and parking"
    expected_s = 90.0

    async def run(self, kit: Kit) -> dict[str, Any]:
        roof = kit.rig.roof
        problems: list[str] = []

        async def one(what: str, limit_s: float, do: Any) -> None:
            try:
                async with asyncio.timeout(limit_s):
                    said = await do(kit)
            except TimeoutError:
                problems.append(f"{what}: not done within {limit_s:.0f} s")
            except (DeviceError, ActivityFailed) as problem:
                problems.append(str(problem))
            else:
                await kit.step({"part": what}, f"{what}: {said}")

        async def mount_and_roof() -> None:
            await one("mount", PARK_LIMIT_S, park)
            if roof is not None and not roof.clears_telescope:
                await one("roof", SHUTTER_LIMIT_S, close_roof)

        async with asyncio.TaskGroup() as group:
            if kit.rig.cover is not None:
                group.create_task(one("cover", SHUTTER_LIMIT_S, close_cover))
            group.create_task(mount_and_roof())
            if roof is not None and roof.clears_telescope:
                group.create_task(one("roof", SHUTTER_LIMIT_S, close_roof))
        if problems:
            raise ActivityFailed("; ".join(problems))
        return {"summary": "shut and parked"}
