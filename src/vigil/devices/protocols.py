"""What each kind of device can do, in the terms of the open device standards.

A method returns when the device has arrived. Cancelling the wait does not stop the device: `stop` or
`abort` does. Coordinates are ICRS degrees; an adapter for hardware that speaks apparent places converts.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from vigil.documents.devicekinds import DEVICE_KINDS


class PierSide(StrEnum):
    """Which side of the pier the tube is on."""

    EAST = "east"
    WEST = "west"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Capabilities:
    """What a device, once connected, says of itself.

    `cannot` gives for each action it is not capable of the reason; `figures` its own word for values that the
    rig document has too, by their path there; `clock_off_s` how far its clock is ahead of the computer's.
    """

    cannot: Mapping[str, str] = field(default_factory=dict)
    figures: Mapping[str, Any] = field(default_factory=dict)
    clock_off_s: float | None = None


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
    """`temperature_c` is None without a probe."""

    position: int
    moving: bool
    temperature_c: float | None


@dataclass(frozen=True, slots=True)
class MountState:
    ra_deg: float
    dec_deg: float
    tracking: bool
    parked: bool
    slewing: bool
    pier_side: PierSide


@dataclass(frozen=True, slots=True)
class RotatorState:
    """`angle_deg` is the mechanical angle, counted as the document says."""

    angle_deg: float
    moving: bool


@dataclass(frozen=True, slots=True)
class PanelState:
    """`level` is 0 when off."""

    level: int


@dataclass(frozen=True, slots=True)
class ShutterState:
    """A cover or a roof: "open", "closed", "opening", "closing" or "stopped"."""

    shutter: str


@dataclass(frozen=True, slots=True)
class WeatherState:
    """What a station measures; None for what it has no sensor for. `measured_at` is its own time."""

    measured_at: datetime
    temperature_c: float | None
    humidity_percent: float | None
    wind_m_s: float | None
    cloud_percent: float | None


@dataclass(frozen=True, slots=True)
class SafetyState:
    measured_at: datetime
    safe: bool


@dataclass(frozen=True, slots=True)
class HeatersState:
    """Level in per cent of each heater, by name."""

    levels_percent: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class PowerState:
    """Whether each outlet is on, by name."""

    on: Mapping[str, bool]


@dataclass(frozen=True, slots=True)
class Exposure:
    """What to expose."""

    exposure_s: float
    gain: int
    offset: int
    binning: int = 1
    light: bool = True
    region: tuple[int, int, int, int] | None = None
    """Of a subframe: its left and bottom pixel, columns and rows, in binned pixels of the whole frame."""


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

    async def capabilities(self) -> Capabilities: ...

    async def read(self) -> Any: ...


class Camera(Device, Protocol):
    """A main or a guide camera."""

    async def read(self) -> CameraState: ...

    async def expose(self, exposure: Exposure) -> RawFrame: ...

    async def abort(self) -> None: ...

    async def cut_short(self) -> None:
        """End the exposure under way and read it out: its frame says how long it was."""
        ...

    async def cool(self, set_point_c: float | None) -> None: ...

    async def pulse(self, direction: str, duration_ms: int) -> None:
        """Through a guide camera's port to the mount; directions are the mount's."""
        ...


class FilterWheel(Device, Protocol):
    async def read(self) -> WheelState: ...

    async def move_to(self, slot: int) -> None: ...


class Focuser(Device, Protocol):
    async def read(self) -> FocuserState: ...

    async def move_to(self, position: int) -> None: ...

    async def stop(self) -> None: ...


class Mount(Device, Protocol):
    """`move_axis` turns at a rate until 0 or `stop` is sent; axis 0 is right ascension (west positive),
    axis 1 declination (north positive). `pulse` moves at the guide rate for a while: "west", "east",
    "north" or "south". `sync` tells it where it looks."""

    async def read(self) -> MountState: ...

    async def unpark(self) -> None: ...

    async def park(self) -> None: ...

    async def track(self, on: bool) -> None: ...

    async def slew(self, ra_deg: float, dec_deg: float) -> None: ...

    async def sync(self, ra_deg: float, dec_deg: float) -> None: ...

    async def move_axis(self, axis: int, rate_deg_s: float) -> None: ...

    async def pulse(self, direction: str, duration_ms: int) -> None: ...

    async def stop(self) -> None: ...


class Rotator(Device, Protocol):
    async def read(self) -> RotatorState: ...

    async def move_to(self, angle_deg: float) -> None: ...

    async def stop(self) -> None: ...


class FlatPanel(Device, Protocol):
    async def read(self) -> PanelState: ...

    async def set_level(self, level: int) -> None: ...


class Shutter(Device, Protocol):
    """A cover or a roof."""

    async def read(self) -> ShutterState: ...

    async def open(self) -> None: ...

    async def close(self) -> None: ...

    async def stop(self) -> None: ...


class WeatherStation(Device, Protocol):
    async def read(self) -> WeatherState: ...


class SafetySensor(Device, Protocol):
    async def read(self) -> SafetyState: ...


class Heaters(Device, Protocol):
    async def read(self) -> HeatersState: ...

    async def set_level(self, heater: str, level_percent: float) -> None: ...


class Power(Device, Protocol):
    async def read(self) -> PowerState: ...

    async def switch(self, outlet: str, on: bool) -> None: ...


@dataclass(frozen=True, slots=True)
class Devices:
    """The devices of a rig, bare; None for those it doesn't have."""

    camera: Camera | None = None
    wheel: FilterWheel | None = None
    focuser: Focuser | None = None
    mount: Mount | None = None
    rotator: Rotator | None = None
    guide_camera: Camera | None = None
    panel: FlatPanel | None = None
    cover: Shutter | None = None
    roof: Shutter | None = None
    weather: WeatherStation | None = None
    safety: SafetySensor | None = None
    heaters: Heaters | None = None
    power: Power | None = None
    others: Mapping[str, Device] = field(default_factory=dict)
    """Of kinds without a field here, by name."""

    def named(self) -> dict[str, Device]:
        """Those that are there, by name, in the table's order."""
        found = {
            name: getattr(self, kind.attribute, None) or self.others.get(name)
            for name, kind in DEVICE_KINDS.items()
        }
        return {name: device for name, device in found.items() if device is not None}
