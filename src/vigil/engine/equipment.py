"""What the keeper gives to a night: nothing in it is made by the engine itself."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vigil.devices.protocols import Devices
from vigil.devices.supervised import POLL_S, SupervisedDevices
from vigil.documents.rig import Rig
from vigil.engine.arbiter import Arbiter
from vigil.engine.guiding.beginning import FrameGuides
from vigil.engine.guiding.eye import GuideEye
from vigil.engine.guiding.guided import Guides
from vigil.engine.measuring import Measurer
from vigil.engine.saving import Write
from vigil.runtime.clock import Clock
from vigil.runtime.workshop import Workshop


@dataclass(frozen=True, slots=True)
class Equipment:
    """Rig, devices and services, and where frames go."""

    rig: Rig
    devices: SupervisedDevices
    clock: Clock
    workshop: Workshop
    measurer: Measurer
    frames_folder: Path
    rescue_folder: Path
    eye: GuideEye | None = None
    guides: Guides = field(default_factory=FrameGuides)
    """How a night's guiding is begun: rehearsals take a short cut."""
    sample: Callable[[str, str, dict[str, Any]], None] = lambda errand, stream, values: None
    """Takes what comes too often for events."""
    arbiter: Arbiter | None = None
    """Shared with work by hand; a night without one makes its own."""
    bare_devices: Callable[[Rig], Devices] | None = None
    """The devices of a changed rig."""
    disk_trouble: Callable[[], OSError | None] = lambda: None
    """What the frames' disk suffers from, by the simulator's word; real disks speak for themselves."""
    write: Write | None = None
    """How a frame is put on disk; None is the usual way."""
    look_every_s: float = POLL_S
    """How often the watch looks at what could do harm."""
    rehearses: bool = False
    """Nothing is written or run outside: programs of the plan are left out."""
    programs_not_allowed: Callable[[list[list[str]]], list[list[str]]] = lambda programs: []
    """Of a plan's programs those that nobody at this computer has allowed yet."""
    hand_folder: Path | None = None
    """For frames taken by hand; else beside the others."""
    calibration: Path | None = None
    """For calibration frames; None where none are taken at a night's end."""

    @property
    def libraries(self) -> list[Path]:
        """Folders of frames from before."""
        return [Path(name).expanduser() for name in self.rig.frames.libraries]

    @property
    def kept_folder(self) -> Path:
        """Where they are, with what is kept of the rig."""
        return self.hand_folder or self.frames_folder / "by hand"
