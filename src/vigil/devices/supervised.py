"""Supervision, written once around every device: finite time-outs, last state, lost and found."""

import asyncio
import contextlib
from collections.abc import Awaitable, Callable
from typing import Any, Generic, TypeVar

from vigil.devices.errors import DeviceError, DeviceTimeout, NotConnected
from vigil.devices.protocols import (
    Camera,
    CameraState,
    Device,
    Devices,
    FilterWheel,
    Focuser,
    FocuserState,
    Mount,
    MountState,
    WheelState,
)

D = TypeVar("D", bound=Device)
S = TypeVar("S")
R = TypeVar("R")

POLL_S = 1.0
READ_TIMEOUT_S = 5.0
LOST_AFTER_FAILURES = 3
CONNECT_TIMEOUT_S = 30.0


class Supervised(Generic[D, S]):
    """A device, its last state and since when, and calls that never wait for ever."""

    def __init__(self, name: str, device: D) -> None:
        self.name = name
        self._device = device
        self._failures = 0
        self._busy = 0
        self.connected = False
        self.state: S | None = None
        self.fault: str = ""

    @property
    def lamp(self) -> str:
        """ready, busy, not connected or fault."""
        if self.fault:
            return "fault"
        if not self.connected:
            return "not connected"
        return "busy" if self._busy else "ready"

    async def connect(self) -> None:
        """Connect and read the first state."""
        await self._within("connect", CONNECT_TIMEOUT_S, self._device.connect())
        self.connected, self.fault, self._failures = True, "", 0
        await self.refresh()

    async def disconnect(self) -> None:
        self.connected = False
        self.state = None
        await self._within("disconnect", READ_TIMEOUT_S, self._device.disconnect())

    async def do(self, what: str, timeout_s: float, call: Callable[[D], Awaitable[R]]) -> R:
        """Ask the device for something and wait; the state is fresh afterwards.

        Raises DeviceTimeout with what was expected and the last state seen, and what the device raises.
        """
        if not self.connected:
            raise NotConnected(f"{self.name}: {what}: not connected")
        self._busy += 1
        try:
            result = await self._within(what, timeout_s, call(self._device))
        finally:
            self._busy -= 1
        # it has done what was asked; a failing read is the poll's business
        with contextlib.suppress(DeviceError):
            await self.refresh()
        return result

    async def refresh(self) -> None:
        """Read the state now. Raises DeviceError."""
        self.state = await self._within("read", READ_TIMEOUT_S, self._device.read())
        self._failures = 0

    async def poll(self) -> bool:
        """Read the state; True when the device has just been lost after repeated failures."""
        if not self.connected:
            return False
        try:
            await self.refresh()
        except DeviceError as problem:
            self._failures += 1
            if self._failures >= LOST_AFTER_FAILURES:
                self.connected, self.state, self.fault = False, None, str(problem)
                return True
        return False

    async def _within(self, what: str, timeout_s: float, waiting: Awaitable[R]) -> R:
        try:
            async with asyncio.timeout(timeout_s):
                return await waiting
        except TimeoutError:
            raise DeviceTimeout(
                f"{self.name}: {what} not done within {timeout_s:g} s; last state seen: {self.state}"
            ) from None


class Rigged:
    """The supervised devices of a rig."""

    def __init__(self, devices: Devices) -> None:
        self.camera: Supervised[Camera, CameraState] = Supervised("camera", devices.camera)
        self.wheel: Supervised[FilterWheel, WheelState] = Supervised("filter wheel", devices.wheel)
        self.focuser: Supervised[Focuser, FocuserState] = Supervised("focuser", devices.focuser)
        self.mount: Supervised[Mount, MountState] = Supervised("mount", devices.mount)

    def all(self) -> tuple[Supervised[Any, Any], ...]:
        return self.camera, self.wheel, self.focuser, self.mount

    def lamps(self) -> dict[str, str]:
        return {device.name: device.lamp for device in self.all()}
