"""Every device read by itself: one that hangs is waited for by nobody else."""

import asyncio
import logging
from collections.abc import Coroutine
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.devices.supervised import Supervised, SupervisedDevices
from vigil.documents.devicekinds import DEVICE_KINDS

log = logging.getLogger(__name__)

_RESTING_LOOKS = 5
"""Devices that rest, and can't harm anything by themselves, are read every so many times."""


_LOOKED_FOR_EVERY_S = 30.0


class Readers:
    """Reads what is due; the states are the devices' own, with their age. Looks for what the guards need."""

    def __init__(self, devices: SupervisedDevices) -> None:
        self._devices = devices
        self._reading: dict[str, asyncio.Task[None]] = {}
        self._lost: list[Supervised[Any, Any]] = []
        self._looked_for: dict[str, float] = {}
        self._rounds = 0

    async def round(self) -> list[Supervised[Any, Any]]:
        """Read those that are due; returns those that were lost since the last time."""
        self._rounds += 1
        every = self._rounds % _RESTING_LOOKS == 0
        for device in self._devices.all():
            if not device.connected:
                if device.last_seen is not None and DEVICE_KINDS[device.name].guarded:
                    self._look_for(device)
                continue
            if not (every or device.restless):
                continue
            if device.reads_at_once:
                await self._read(device)
            elif device.name not in self._reading:
                self._spawn(device, self._read(device))
        lost, self._lost = self._lost, []
        return lost

    def _look_for(self, device: Supervised[Any, Any]) -> None:
        now = asyncio.get_running_loop().time()
        if device.name in self._reading or device.connecting:
            return
        if now - self._looked_for.get(device.name, -_LOOKED_FOR_EVERY_S) < _LOOKED_FOR_EVERY_S:
            return
        self._looked_for[device.name] = now
        self._spawn(device, self._connect(device))

    async def _connect(self, device: Supervised[Any, Any]) -> None:
        try:
            await device.connect()
        except DeviceError as problem:
            log.info("looked for: %s", problem)

    def _spawn(self, device: Supervised[Any, Any], work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.ensure_future(work)
        self._reading[device.name] = task
        task.add_done_callback(lambda _: self._reading.pop(device.name, None))

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
