"""Every device read by itself: one that hangs is waited for by nobody else."""

import asyncio
import logging
from typing import Any

from vigil.devices.supervised import Rigged, Supervised

log = logging.getLogger(__name__)

_RESTING_LOOKS = 5
"""Devices that rest, and can't harm anything by themselves, are read every so many times."""


class Readers:
    """Reads what is due; the states are the devices' own, with their age."""

    def __init__(self, devices: Rigged) -> None:
        self._devices = devices
        self._reading: dict[str, asyncio.Task[None]] = {}
        self._lost: list[Supervised[Any, Any]] = []
        self._rounds = 0

    async def round(self) -> list[Supervised[Any, Any]]:
        """Read those that are due; returns those that were lost since the last time."""
        self._rounds += 1
        every = self._rounds % _RESTING_LOOKS == 0
        for device in self._devices.all():
            if not device.connected or not (every or device.restless):
                continue
            if device.reads_at_once:
                await self._read(device)
            elif device.name not in self._reading:
                task = asyncio.ensure_future(self._read(device))
                self._reading[device.name] = task
                task.add_done_callback(lambda _, name=device.name: self._reading.pop(name, None))
        lost, self._lost = self._lost, []
        return lost

    async def _read(self, device: Supervised[Any, Any]) -> None:
        try:
            if await device.poll():
                self._lost.append(device)
        except Exception:
            log.exception("%s could not be read", device.name)

    def stop(self) -> None:
        """No read goes on without its guards."""
        for task in self._reading.values():
            task.cancel()
