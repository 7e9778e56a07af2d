"""What an activity is, and what it works with."""

from abc import ABC, abstractmethod
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from vigil.devices.protocols import RawFrame
from vigil.devices.supervised import SupervisedDevices
from vigil.documents.rig import Rig
from vigil.engine.arbiter import Urgency
from vigil.engine.guiding.eye import GuideEye
from vigil.engine.guiding.guided import Guider
from vigil.engine.measuring import Measurer
from vigil.engine.policy import Policy
from vigil.engine.progress import Progress
from vigil.engine.questions import Questions
from vigil.runtime.clock import Clock
from vigil.runtime.programs import Ended

if TYPE_CHECKING:
    from vigil.engine.flats.atend import Library


class ActivityFailed(RuntimeError):
    """The activity could not bring its condition about; the message says why. `silent` are devices that did
    not answer, where that is the cause; `figures` numbers of its own that belong to its end."""

    def __init__(
        self, said: str, silent: Sequence[str] = (), figures: Mapping[str, Any] | None = None
    ) -> None:
        super().__init__(said)
        self.silent = tuple(silent)
        self.figures = dict(figures or {})


@dataclass(frozen=True, slots=True)
class StepTools:
    """What steps done once use beside the devices; nothing of it in a rehearsal."""

    folder: Path = Path()
    """For what is kept of them."""
    run_program: Callable[[Sequence[str], float, Path], Awaitable[Ended]] | None = None
    """With its arguments, the seconds it may take, and the file for what it prints."""
    tube_c: Callable[[], float | None] = lambda: None
    """The focuser's temperature, averaged as the plan says."""
    keep: Callable[[RawFrame, Path], Awaitable[None]] | None = None
    """Writes a frame that belongs to no line."""
    kept: Path | None = None
    """Where what is kept of the rig stands."""
    sample: Callable[[str, dict[str, Any]], None] = lambda stream, values: None
    """Takes what comes too often for events."""
    library: "Library | None" = None
    """Where calibration frames are."""


@dataclass(frozen=True, slots=True)
class Kit:
    """All that activities may use."""

    rig: Rig
    devices: SupervisedDevices
    clock: Clock
    measurer: Measurer
    progress: Progress
    step: Callable[[dict[str, Any], str], Awaitable[None]]
    """Records a step of the activity under way: its numbers and a sentence."""
    questions: Questions
    """Asks people."""
    tools: StepTools = StepTools()
    eye: GuideEye | None = None
    """Looks at guide frames; None where nothing guides."""
    side: str = ""
    """Of the pier, as a night knows it, for mounts that don't tell; the guider's kit has it."""
    guider: Guider | None = None
    """A night's, for its activities."""


async def no_step(values: dict[str, Any], reason: str) -> None:
    """Where nobody is told of steps."""


@dataclass(frozen=True)
class Activity(ABC):
    """A small coroutine with typed parameters; leaves its devices safe when cancelled.

    `DEVICES` are claimed from the arbiter; `DISTURBS` names what is unknown once it has begun
    ("pointing", "focus").
    """

    KIND: ClassVar[str]
    DEVICES: ClassVar[frozenset[str]]
    DISTURBS: ClassVar[tuple[str, ...]] = ()

    URGENCY: ClassVar[Urgency] = Urgency.NIGHT
    PATIENT: ClassVar[bool] = False
    """Whether it waits for a person or a moment: a hold or another plan needn't wait for its end."""

    @property
    def claims(self) -> frozenset[str]:
        """What it claims; in place of its kind's, where it depends."""
        return self.DEVICES

    @property
    def told(self) -> dict[str, Any]:
        """Values of its beginning that a crash in the middle asks for."""
        return {}

    @property
    @abstractmethod
    def words(self) -> str:
        """What is being done, for people: "focusing through L"."""

    @property
    @abstractmethod
    def expected_s(self) -> float:
        """How long it usually takes."""

    @property
    def disturbs(self) -> tuple[str, ...]:
        """What is unknown once it has begun; in place of its kind's, where the plan chooses."""
        return self.DISTURBS

    @property
    def policy(self) -> Policy | None:
        """In place of its kind's, where the plan chooses."""
        return None

    @abstractmethod
    async def run(self, kit: Kit) -> dict[str, Any]:
        """Do it. Returns the values of its ending event: "focus" and "pointing" become known by them."""
