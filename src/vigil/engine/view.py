"""What conditions look at: one consistent snapshot."""

from dataclasses import dataclass
from datetime import datetime

from vigil.devices.protocols import CameraState, FocuserState, MountState, WheelState
from vigil.documents.night import NightState
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.planning.choice import Candidate


@dataclass(frozen=True, slots=True)
class View:
    """The night at one moment. A device's state is None while it isn't connected."""

    at: datetime
    rig: Rig
    plan: NightPlan
    night: NightState
    candidate: Candidate
    camera: CameraState | None
    wheel: WheelState | None
    focuser: FocuserState | None
    mount: MountState | None
    free_bytes: int

    def focus_position_for(self, filter_name: str) -> int | None:
        """Where the focuser belongs for a filter, from the last good focus and the offsets."""
        focus = self.night.focus
        if focus is None:
            return None
        wheel = self.rig.wheel
        offset = wheel.filter(filter_name).focus_offset_steps - wheel.filter(focus.filter).focus_offset_steps
        return focus.position + offset
