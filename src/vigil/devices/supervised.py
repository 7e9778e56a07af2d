"""Supervision, written once around every device: time-outs, second tries, last state, lost and found."""

import asyncio
import contextlib
import logging
import math
from collections.abc import Awaitable, Callable, Coroutine
from functools import partial
from typing import Any, Generic, TypeVar

from vigil.devices.errors import DeviceError, DeviceFault, DeviceTimeout, NotCapable, NotConnected
from vigil.devices.protocols import (
    Camera,
    CameraState,
    Capabilities,
    Device,
    Devices,
    FilterWheel,
    FlatPanel,
    Focuser,
    FocuserState,
    Heaters,
    HeatersState,
    Mount,
    MountState,
    PanelState,
    Power,
    PowerState,
    Rotator,
    RotatorState,
    SafetySensor,
    SafetyState,
    Shutter,
    ShutterState,
    WeatherState,
    WeatherStation,
    WheelState,
)
from vigil.documents.devicekinds import DEVICE_KINDS

log = logging.getLogger(__name__)
D = TypeVar("D", bound=Device)
S = TypeVar("S")
R = TypeVar("R")

POLL_S = 1.0
READ_TIMEOUT_S = 5.0
LOST_AFTER_FAILURES = 3
CONNECT_TIMEOUT_S = 30.0
CONNECT_TRIES = 2
CALL_TRIES = 3


class Supervised(Generic[D, S]):
    """A device, its last state and since when, and calls that never wait for ever.

    `recovered` is told, in a sentence, of each call that only came through at a second try.
    """

    def __init__(self, name: str, device: D) -> None:
        self.name = name
        self._device = device
        self._failures = 0
        self._logged = ("", "")
        self._busy: list[str] = []
        self._read_at = -math.inf
        self._connecting = asyncio.Lock()
        self.connected = False
        self.connecting = False
        self.state: S | None = None
        self.last_seen: S | None = None
        """Its state when it was lost: what stood open may stand open still."""
        self.capabilities = Capabilities()
        self.fault: str = ""
        self.recovered: Callable[[str], None] = lambda words: None

    @property
    def lamp(self) -> str:
        """ready, busy, not connected or fault."""
        if self.connecting:
            return "busy"
        if self.fault:
            return "fault"
        if not self.connected:
            return "not connected"
        return "busy" if self._busy else "ready"

    @property
    def doing(self) -> str:
        """What is asked of it now, in words; empty when nothing is."""
        return "connecting" if self.connecting else self._busy[-1] if self._busy else ""

    @property
    def advice(self) -> str:
        """What to check when it has failed."""
        kind = DEVICE_KINDS.get(self.name)
        return f"check {kind.check_first}" if self.fault and kind is not None else ""

    @property
    def reads_at_once(self) -> bool:
        """Whether the device says that its `read` never waits: then no time-out need watch it."""
        return getattr(self._device, "reads_at_once", False) is True

    @property
    def age_s(self) -> float:
        """How long ago the state was read; infinite where it never was."""
        return asyncio.get_running_loop().time() - self._read_at

    @property
    def restless(self) -> bool:
        """Whether it is to be read every second: it has failed to answer, or safety hangs on it."""
        kind = DEVICE_KINDS.get(self.name)
        return self._failures > 0 or (kind is not None and kind.restless)

    def replace_device(self, device: D) -> None:
        """Another object for the same device, after its rig has changed."""
        self._device = device

    async def connect(self) -> None:
        """Connect, find out what it can do, and read the first state. A failure says what was tried."""
        async with self._connecting:
            if not self.connected:  # somebody else may have been quicker
                await self._connect()

    async def _connect(self) -> None:
        self.connecting, self.fault = True, ""
        try:
            for attempt in range(1, CONNECT_TRIES + 1):
                try:
                    await self._within("connect", CONNECT_TIMEOUT_S, lambda: self._device.connect())
                    self.capabilities = await self._within(
                        "say what it can do", READ_TIMEOUT_S, lambda: self._device.capabilities()
                    )
                    self._failures = 0
                    await self.refresh()
                except DeviceTimeout as problem:
                    if attempt == CONNECT_TRIES:
                        self.fault = f"{problem}, tried {attempt} times"
                        raise DeviceTimeout(f"{self.fault}; {self.advice}") from None
                    continue
                self.connected, self.last_seen = True, None
                if attempt > 1:
                    self.recovered(f"{self.name}: connected at try {attempt}")
                return
        except DeviceError as problem:
            self.fault = self.fault or str(problem)
            raise
        finally:
            self.connecting = False

    async def disconnect(self) -> None:
        self.connected = False
        self.state, self.last_seen, self.fault = None, None, ""
        await self._within("disconnect", READ_TIMEOUT_S, lambda: self._device.disconnect())

    def need(self, action: str) -> None:
        """Raises NotConnected or NotCapable, with the reason, when an action can't be asked for."""
        if not self.connected:
            raise NotConnected(f"{self.name}: {action}: not connected")
        if action in self.capabilities.cannot:
            raise NotCapable(f"{self.name}: {action}: {self.capabilities.cannot[action]}")

    async def do(
        self,
        what: str,
        timeout_s: float,
        call: Callable[[D], Awaitable[R]],
        before_again: Callable[[D], Awaitable[None]] | None = None,
        tries: int = CALL_TRIES,
    ) -> R:
        """Ask the device for something and wait; the state is fresh afterwards.

        A call that times out is made again, after `before_again` has stopped what may still be under way: so
        it must bear being made twice, or have `tries` 1. Raises DeviceTimeout with what was expected and the
        last state seen, and what the device raises.
        """
        if not self.connected:
            raise NotConnected(f"{self.name}: {what}: not connected")
        self._busy.append(what)
        try:
            for attempt in range(1, tries + 1):
                try:
                    result = await self._within(what, timeout_s, lambda: call(self._device))
                except DeviceTimeout:
                    if attempt == tries or not self.connected:
                        raise
                    if before_again is not None:
                        with contextlib.suppress(DeviceError):
                            await self._within("stop", READ_TIMEOUT_S, partial(before_again, self._device))
                    continue
                if attempt > 1:
                    self.recovered(
                        f"{self.name}: {what} timed out after {timeout_s:.0f} s, done at try {attempt}"
                    )
                break
        finally:
            self._busy.remove(what)
        # it has done what was asked; a read that fails twice is the poll's business
        for _ in range(2):
            with contextlib.suppress(DeviceError):
                await self.refresh()
                break
        return result

    async def refresh(self) -> None:
        """Read the state now. Raises DeviceError."""
        if self.reads_at_once:
            try:
                self.state = _at_once(self._device.read())
            except Exception as problem:
                raise self._typed("read", problem) from problem
        else:
            self.state = await self._within("read", READ_TIMEOUT_S, lambda: self._device.read())
        self._read_at = asyncio.get_running_loop().time()
        self._failures = 0
        self._logged = ("", "")

    async def poll(self) -> bool:
        """Read the state; True when the device has just been lost after repeated failures."""
        if not self.connected:
            return False
        try:
            await self.refresh()
        except DeviceError as problem:
            self._failures += 1
            if self._failures >= LOST_AFTER_FAILURES:
                self.last_seen = self.state
                self.connected, self.state, self.fault = False, None, str(problem)
                return True
        return False

    async def _within(self, what: str, timeout_s: float, call: Callable[[], Awaitable[R]]) -> R:
        """The one place where a driver is waited for: whatever it throws becomes a DeviceError."""
        limit = asyncio.timeout(timeout_s)
        try:
            async with limit:
                return await call()
        except asyncio.CancelledError as problem:
            task = asyncio.current_task()
            if task is not None and task.cancelling():
                raise
            raise self._typed(what, problem) from problem  # the driver's own, nobody cancelled us
        except Exception as problem:
            if isinstance(problem, TimeoutError) and limit.expired():
                log.warning("%s: %s not done; last state seen: %s", self.name, what, self.state)
                raise DeviceTimeout(f"{self.name}: {what} not done within {timeout_s:g} s") from None
            raise self._typed(what, problem) from problem

    def _typed(self, what: str, problem: BaseException) -> DeviceError:
        """A driver's exception as one of ours; what it said itself is in the log."""
        if isinstance(problem, DeviceError):
            return problem
        said = str(problem).strip() or type(problem).__name__
        if self._logged != (what, said):  # a device may stay lost all night
            log.warning("%s: %s failed", self.name, what, exc_info=problem)
            self._logged = (what, said)
        return DeviceFault(f"{self.name}: {what} failed: {said}")


def _at_once(reading: Coroutine[Any, Any, R]) -> R:
    """The result of a coroutine that doesn't wait for anything."""
    try:
        reading.send(None)
    except StopIteration as done:
        result: R = done.value
        return result
    reading.close()
    raise RuntimeError("a read that was to be done at once waits for something")


class SupervisedDevices:
    """The supervised devices of a rig; None for those that it doesn't have."""

    camera: Supervised[Camera, CameraState] | None
    wheel: Supervised[FilterWheel, WheelState] | None
    focuser: Supervised[Focuser, FocuserState] | None
    mount: Supervised[Mount, MountState] | None
    rotator: Supervised[Rotator, RotatorState] | None
    guide_camera: Supervised[Camera, CameraState] | None
    panel: Supervised[FlatPanel, PanelState] | None
    cover: Supervised[Shutter, ShutterState] | None
    roof: Supervised[Shutter, ShutterState] | None
    weather: Supervised[WeatherStation, WeatherState] | None
    safety: Supervised[SafetySensor, SafetyState] | None
    heaters: Supervised[Heaters, HeatersState] | None
    power: Supervised[Power, PowerState] | None

    def __init__(self, devices: Devices) -> None:
        self._by_name: dict[str, Supervised[Any, Any]] = {}
        self.renew(devices)

    def renew(self, devices: Devices) -> None:
        """Take over the devices of a changed rig; those that stay keep their connection."""
        before, self._by_name = self._by_name, {}
        for name, device in devices.named().items():
            if name in before:
                before[name].replace_device(device)
            self._by_name[name] = before.get(name) or Supervised(name, device)
        for name, kind in DEVICE_KINDS.items():
            setattr(self, kind.attribute, self._by_name.get(name))

    def named(self, name: str) -> Supervised[Any, Any]:
        """The device of a name. Raises KeyError with those there are."""
        if name not in self._by_name:
            raise KeyError(f"the rig has no {name}; it has {', '.join(self._by_name) or 'no devices'}")
        return self._by_name[name]

    def all(self) -> tuple[Supervised[Any, Any], ...]:
        return tuple(self._by_name.values())

    def lamps(self) -> dict[str, str]:
        return {device.name: device.lamp for device in self.all()}
