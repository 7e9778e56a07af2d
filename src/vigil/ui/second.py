"""A main picture once more, in a window of its own for a second monitor."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QMainWindow, QWidget

from vigil.ui.jobs import Jobs
from vigil.ui.theme import theme
from vigil.ui.workspace import Workspace

_FOLLOW_MS = 500


class Seconds:
    """One second window a workspace: opened again it is the same one. `make` makes a workspace anew."""

    def __init__(self, make: Callable[[str, Jobs], Workspace]) -> None:
        self._make = make
        self._open: dict[str, SecondWindow] = {}
        self._jobs = Jobs()

    def open(self, here: Workspace) -> "SecondWindow":
        """The main picture of a workspace, in front."""
        if here.name not in self._open:
            twin = here.second()
            if twin is None:
                again = self._make(here.name, self._jobs)
                again.fold(True)
                again.entered()
                second = SecondWindow(f"Vigil — {here.name}", again)
            else:
                second = SecondWindow(f"Vigil — {here.name}", twin[0])
                second.follow(twin[1])
            self._open[here.name] = second
        second = self._open[here.name]
        second.show()
        second.raise_()
        return second

    def close(self) -> None:
        """With the first window."""
        self._jobs.stop()
        for second in self._open.values():
            second.close()


class SecondWindow(QMainWindow):
    """Follows the first one twice a second; F11 fills the screen, Esc leaves that. Red light is the
    theme's."""

    def __init__(self, title: str, picture: QWidget) -> None:
        super().__init__()
        self.setWindowTitle(title)
        self.setObjectName("workspace")
        self.setCentralWidget(picture)
        self.resize(960, 720)
        theme.dress_window(self)
        self._timer = QTimer(self)

    def follow(self, how: Callable[[], None]) -> None:
        self._timer.timeout.connect(how)
        self._timer.start(_FOLLOW_MS)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        elif event is not None and event.key() == Qt.Key.Key_Escape and self.isFullScreen():
            self.showNormal()
        else:
            super().keyPressEvent(event)
