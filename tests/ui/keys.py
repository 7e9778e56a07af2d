"""A bench's buttons reached by the keyboard."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget

from tests.ui.conftest import Stage

_MOST_TABS = 120


def press(stage: Stage, bench: QWidget, name: str) -> None:
    """A button of the bench, reached with Tab."""
    for _ in range(_MOST_TABS):
        widget = QApplication.focusWidget()
        if widget is not None and bench.isAncestorOf(widget) and getattr(widget, "text", str)() == name:
            stage.press(Qt.Key.Key_Space)
            stage.settle()
            return
        stage.qtbot.keyClick(widget or stage.window, Qt.Key.Key_Tab)
    raise AssertionError(f"no {name!r} in reach of the keyboard")
