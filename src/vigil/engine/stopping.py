"""A person's emergency stop: everything stands still at once, and nobody moves anything until the person lets
go, or has been silent for too long."""

import asyncio
import logging
from datetime import datetime, timedelta
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import Supervised, SupervisedDevices
from vigil.documents.devicekinds import names_of
from vigil.engine.arbiter import Arbiter, Urgency
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)

SILENT_LIMIT = timedelta(minutes=10)
"""Then the guards may shut and park again: nobody may be there any more."""
_QUICK_S = 10.0
WORDS = "the emergency stop"


class EmergencyStop:
    """At most one at a time."""

    def __init__(self, devices: SupervisedDevices, arbiter: Arbiter, clock: Clock) -> None:
        self._devices, self._arbiter, self._clock = devices, arbiter, clock
        self._released = asyncio.Event()
        self._holding: asyncio.Task[None] | None = None
        self.until: datetime | None = None
        """When the guards may act again; None while nothing is stopped."""

    @property
    def on(self) -> bool:
        return self._holding is not None and not self._holding.done()

    async def stop(self) -> list[str]:
        """Stop every device that moves; returns what would not stop."""
        self.until = self._clock.utcnow() + SILENT_LIMIT
        if self.on:
            self._released.set()
        self._released = asyncio.Event()
        self._holding = asyncio.ensure_future(self._hold(self._released))
        stops = names_of(lambda kind: kind.stops)
        moving = [d for d in self._devices.all() if d.name in stops and d.connected]
        told = await asyncio.gather(*(self._still(device) for device in moving))
        return [words for words in told if words]

    def release(self) -> bool:
        """Let go; whether there was anything to let go of."""
        was = self.on
        self._released.set()
        return was

    async def _still(self, device: Supervised[Any, Any]) -> str:
        try:
            await device.do("stop", _QUICK_S, lambda d: d.stop())
            if device.name == "mount":
                await device.do("stop tracking", _QUICK_S, lambda m: m.track(False))
        except DeviceError as problem:
            log.error("emergency stop: %s", problem)
            return str(problem)
        return ""

    async def _hold(self, released: asyncio.Event) -> None:
        async with self._arbiter.claim(names_of(lambda kind: kind.moves), WORDS, Urgency.STOP):
            try:
                async with asyncio.timeout(SILENT_LIMIT.total_seconds()):
                    await released.wait()
            except TimeoutError:
                log.warning("nobody has spoken since the emergency stop: guards may shut and park again")
        if self._released is released:
            self.until = None
