"""What conditions look at: one consistent snapshot."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vigil.devices.protocols import CameraState, FocuserState, MountState, WheelState
from vigil.documents.night import FocusRecord, NightState
from vigil.documents.plan import StandingOrders
from vigil.documents.rig import Rig
from vigil.engine.wanted import Wanted


@dataclass(frozen=True, slots=True)
class View:
    """The night at one moment. `states` has those of the connected devices by name."""

    at: datetime
    rig: Rig
    orders: StandingOrders
    """In force for the wanted frame."""
    night: NightState
    wanted: Wanted
    states: Mapping[str, Any]
    free_bytes: int
    tube_c: float | None = None
    """The focuser's temperature, averaged as the plan says."""
    sun_under: Callable[[float], datetime | None] = lambda altitude_deg: None
    """When the sun will have sunk under an altitude; None while it has."""
    disk_trouble: str = ""
    """Why frames can't be written, in words."""

    @property
    def camera(self) -> CameraState | None:
        return self.states.get("camera")

    @property
    def wheel(self) -> WheelState | None:
        return self.states.get("filter wheel")

    @property
    def focuser(self) -> FocuserState | None:
        return self.states.get("focuser")

    @property
    def mount(self) -> MountState | None:
        return self.states.get("mount")

    def focus_position_for(self, filter_name: str) -> int | None:
        """Where the focuser belongs for a filter, from the last good focus and the offsets; None without."""
        return self._reduced(self.night.focus, filter_name)

    def last_good_position_for(self, filter_name: str) -> int | None:
        """The same by the last good focus of the night, however long ago."""
        return self._reduced(self.night.last_focus, filter_name)

    def _reduced(self, focus: FocusRecord | None, filter_name: str) -> int | None:
        wheel = self.rig.wheel
        if focus is None or self.rig.focuser is None:
            return None
        if wheel is None or not filter_name or not focus.filter:
            return focus.position
        offset = wheel.filter(filter_name).focus_offset_steps - wheel.filter(focus.filter).focus_offset_steps
        return focus.position + offset
