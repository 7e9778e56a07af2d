"""A main picture once more, in a window of its own for a second monitor."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QMainWindow, QWidget

_FOLLOW_MS = 500


class SecondWindow(QMainWindow):
    """Follows the first one twice a second; F11 fills the screen, Esc leaves that. Red light is the
    theme's."""

    def __init__(self, title: str, picture: QWidget) -> None:
        super().__init__()
        self.setWindowTitle(title)
        self.setObjectName("workspace")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setCentralWidget(picture)
        self.resize(960, 720)
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
