"""Cycles of objects are collected in the window's own thread alone.

Python collects them in whatever thread happens to allocate; a widget that is freed in a worker's thread
would take Qt's memory with it.
"""

import gc

from PyQt6.QtCore import QObject, QTimer

_EVERY_MS = 1000


class Collector(QObject):
    """From its making on nothing is collected but by it, once a second where there is something to
    collect."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.collect)
        self._timer.start(_EVERY_MS)

    @staticmethod
    def collect() -> None:
        """The generations that are due, by Python's own thresholds."""
        due = [count > limit for count, limit in zip(gc.get_count(), gc.get_threshold(), strict=True)]
        if due[0]:
            gc.collect(2 if due[1] and due[2] else 1 if due[1] else 0)
