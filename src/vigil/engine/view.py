"""What conditions look at: one consistent snapshot."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vigil.devices.protocols import CameraState, FocuserState, MountState, WheelState
from vigil.documents.night import FocusRecord, NightState
from vigil.documents.plan import StandingOrders
from vigil.documents.polar import PolarRecord
from vigil.documents.rig import Rig
from vigil.engine.guiding.guided import Guided
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
    guided: Guided | None = None
    """How guiding stands; None for a night without."""
    polar: PolarRecord | None = None
    """The last measurement of the mount's polar axis, of this night or before it."""
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

    @property
    def probe_c(self) -> float | None:
        """The focuser's temperature: averaged, else as it reads."""
        if self.tube_c is not None:
            return self.tube_c
        return self.focuser.temperature_c if self.focuser is not None else None

    @property
    def follows(self) -> bool:
        """Whether the focuser goes with the temperature between exposures."""
        focuser = self.rig.focuser
        return self.orders.focus_follows and focuser is not None and focuser.steps_per_c is not None

    def focus_position_for(self, filter_name: str) -> int | None:
        """Where the focuser belongs for a filter, from the last good focus, the offsets, and the temperature
        where the plan has it followed; None without."""
        return self._reduced(self.night.focus, filter_name, self.follows)

    def focus_expected_for(self, filter_name: str) -> int | None:
        """Where a run should begin: with the temperature wherever the rig knows how focus goes with it."""
        return self._reduced(self.night.focus, filter_name, True)

    def last_good_position_for(self, filter_name: str) -> int | None:
        """The same by the last good focus of the night, however long ago."""
        return self._reduced(self.night.last_focus, filter_name, True)

    def _reduced(self, focus: FocusRecord | None, filter_name: str, by_warmth: bool) -> int | None:
        wheel, focuser = self.rig.wheel, self.rig.focuser
        if focus is None or focuser is None:
            return None
        position = focus.position + (self._warmth_steps(focus) if by_warmth else 0)
        if wheel is None or not filter_name or not focus.filter:
            return max(focuser.lowest, min(focuser.highest, position))
        offset = wheel.filter(filter_name).focus_offset_steps - wheel.filter(focus.filter).focus_offset_steps
        return max(focuser.lowest, min(focuser.highest, position + offset))

    def _warmth_steps(self, focus: FocusRecord) -> int:
        """Whole steps by which focus has moved with the temperature since a run."""
        focuser, now_c = self.rig.focuser, self.probe_c
        if focuser is None or focuser.steps_per_c is None or now_c is None or focus.temperature_c is None:
            return 0
        return round(focuser.steps_per_c * (now_c - focus.temperature_c))
