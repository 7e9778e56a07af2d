"""What each kind of device can do, in the terms of the open device standards.

A method returns when the device has arrived. Cancelling the wait does not stop the device: `stop` or
`abort` does. Coordinates are ICRS degrees; an adapter for hardware that speaks apparent places converts.
"""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray


class PierSide(StrEnum):
    """Which side of the pier the tube is on."""

    EAST = "east"
    WEST = "west"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class CameraState:
    temperature_c: float
    set_point_c: float | None
    cooler_power: float
    activity: str


@dataclass(frozen=True, slots=True)
class WheelState:
    slot: int | None


@dataclass(frozen=True, slots=True)
class FocuserState:
    position: int
    moving: bool
    temperature_c: float


@dataclass(frozen=True, slots=True)
class MountState:
    ra_deg: float
    dec_deg: float
    tracking: bool
    parked: bool
    slewing: bool
    pier_side: PierSide


@dataclass(frozen=True, slots=True)
class Exposure:
    """What to expose."""

    exposure_s: float
    gain: int
    offset: int
    binning: int = 1
    light: bool = True


@dataclass(frozen=True, slots=True)
class RawFrame:
    """What came off the camera: uint16 [row, column], row 0 at the bottom."""

    image: NDArray[np.uint16]
    started_at: datetime
    exposure: Exposure
    temperature_c: float


class Device(Protocol):
    """Common to all kinds."""

    async def connect(self) -> None: ...

    async def disconnect(self) -> None: ...

    async def read(self) -> Any: ...


class Camera(Device, Protocol):
    async def read(self) -> CameraState: ...

    async def expose(self, exposure: Exposure) -> RawFrame: ...

    async def abort(self) -> None: ...

    async def cool(self, set_point_c: float | None) -> None: ...


class FilterWheel(Device, Protocol):
    async def read(self) -> WheelState: ...

    async def move_to(self, slot: int) -> None: ...


class Focuser(Device, Protocol):
    async def read(self) -> FocuserState: ...

    async def move_to(self, position: int) -> None: ...

    async def stop(self) -> None: ...


class Mount(Device, Protocol):
    async def read(self) -> MountState: ...

    async def unpark(self) -> None: ...

    async def park(self) -> None: ...

    async def track(self, on: bool) -> None: ...

    async def slew(self, ra_deg: float, dec_deg: float) -> None: ...

    async def stop(self) -> None: ...


@dataclass(frozen=True, slots=True)
class Devices:
    """The devices of a rig, bare."""

    camera: Camera
    wheel: FilterWheel
    focuser: Focuser
    mount: Mount
