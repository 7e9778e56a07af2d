"""Work by hand as an errand: one thing asked of one device, or of all of them."""

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from itertools import count
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.deeds import LOOP
from vigil.documents.errands import BY_HAND
from vigil.documents.hand import ALL
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, PlainErrand, Workplace
from vigil.engine.hand import deeds
from vigil.engine.hand.frames import take_frame
from vigil.engine.hand.limits import OutOfLimits

Finished = Callable[[str, str, tuple[str, ...], str], Awaitable[None]]
"""Device, action, what is unknown afterwards, and how it went in words."""


class HandWork(PlainErrand):
    """What a person asked for, checked already. A roof must be shut though the disk is full."""

    KIND = BY_HAND
    URGENCY = Urgency.HAND
    MUST = True

    def __init__(
        self,
        place: Workplace,
        recorder: ErrandRecorder,
        words: str,
        claims: frozenset[str],
        asked: str,
        device: str,
        action: str,
        values: Mapping[str, Any],
        finished: Finished,
        names: list[str] | None = None,
    ) -> None:
        """`names` are the devices meant by "all"; `finished` is told what a night has to know."""
        given = {"device": device, "action": action, **({"values": dict(values)} if values else {})}
        super().__init__(place, recorder, words, claims, asked, given)
        self.device, self.action, self._values, self._names = device, action, dict(values), names or []
        self._finished = finished

    async def before_its_end(self, reason: str) -> None:
        """A night that is resumed at the next word must know what isn't known any more."""
        disturbs = deeds.DISTURBS.get(self.device, ())
        await self._finished(self.device, self.action, disturbs, f"{self.words}: {reason}")

    async def work(self, kit: Kit) -> dict[str, Any]:
        if self.device == ALL:
            return {"summary": await self._all(kit)}
        if self.action == "connect":
            return {"summary": await deeds.connect(kit, self.device)}
        if self.action == "disconnect":
            return {"summary": await deeds.disconnect(kit, self.device)}
        if self.action == "stop":
            return {"summary": await deeds.stop(kit, self.device)}
        if self.action == "take":
            return await self._frame(kit, None)
        if self.action == "loop":
            for number in count(1):
                self.sample(LOOP, {**await self._frame(kit, number), "number": number})
        try:
            return {"summary": await deeds.DEEDS[(self.device, self.action)](kit, self._values)}
        except OutOfLimits as problem:
            raise ActivityFailed(str(problem)) from None

    async def _frame(self, kit: Kit, number: int | None) -> dict[str, Any]:
        said, figures = await take_frame(
            kit, self._place.workshop, self._place.folder, self.device, self._values, number
        )
        return {**figures, "summary": said}

    async def _all(self, kit: Kit) -> str:
        """All in parallel; with "ready" cooling begins while the others still connect."""
        problems: list[str] = []
        does = deeds.disconnect if self.action == "disconnect" else deeds.connect
        cooler = kit.rig.camera.cooler if kit.rig.camera else None

        async def one(name: str) -> None:
            try:
                said = await does(kit, name)
                if name == "camera" and self.action == "ready" and cooler is not None:
                    said += ", " + await deeds.DEEDS[("camera", "cool")](
                        kit, {"set_point_c": cooler.set_point_c}
                    )
                await self.step({"device": name}, said)
            except DeviceError as problem:
                problems.append(str(problem))

        async with asyncio.TaskGroup() as group:
            for name in self._names:
                group.create_task(one(name))
        if problems:
            raise ActivityFailed("; ".join(problems))
        return f"{', '.join(self._names)} {'dis' if self.action == 'disconnect' else ''}connected"


class StopDevice(HandWork):
    """Claims nothing: it is what frees a device. Nor does it wait for its own record."""

    RECORD_LIMIT_S = 0.0
