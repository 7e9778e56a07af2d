"""What the ledger's views share: each is a desk of its own, with its picture and the tools beside it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from vigil.ledger.accounts import NightLost
from vigil.ledger.reading import NightRow
from vigil.planning.progress import Progress
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.ledger.edits import ProjectEdits
from vigil.ui.session import Session

PROJECTS, TONIGHT, LENGTH, VERDICTS, ACROSS, NIGHTS, HANDOVER = (
    "Projects", "Tonight", "Exposures", "Verdicts", "Across nights", "Nights", "Hand over",
)  # fmt: skip
NO_PROJECTS = (
    "No projects yet. A project is a goal in hours for one target over many nights: New project makes one."
)


@dataclass(frozen=True, slots=True)
class Read:
    """What the ledger has, as the pictures want it."""

    progress: list[Progress]
    nights: list[NightRow]
    lost: list[NightLost]


@dataclass(frozen=True, slots=True)
class Room:
    """What every desk works with: `say` and `complain` speak over the tools, `refresh` shows all as it is
    now, `read` asks the ledger again, `go_to` another view."""

    session: Session
    jobs: Jobs
    ledger: Path
    edits: ProjectEdits
    say: Callable[[str], None]
    complain: Callable[[str], None]
    refresh: Callable[[], None]
    read: Callable[[], None]
    go_to: Callable[[str], None]

    def unread(self, problem: Exception) -> None:
        """A job could not read the ledger."""
        self.complain(f"the ledger can't be read: {problem}")


class Desk(QObject):
    """`picture` is the view's middle, `tools` what stands beside it."""

    picture: QWidget
    tools: QWidget

    def __init__(self, room: Room) -> None:
        super().__init__()
        self._room = room

    def look(self, read: Read) -> None:
        """The view is seen, or what is read has changed: ask for what it needs beside that."""

    def show(self, read: Read | None) -> None:
        """Everything as it is now; None while nothing is read yet."""

    def actions(self) -> list[Action]:
        """What can be done here, by name."""
        return []
