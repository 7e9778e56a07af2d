"""The moments that all pictures share: now, the one under the pointer, the one looked at."""

from datetime import datetime

from PyQt6.QtCore import QObject, pyqtSignal


class Moments(QObject):
    """`hovered` is one line through every time axis; `as_at` puts every altitude on a moment."""

    changed = pyqtSignal()
    now_changed = pyqtSignal()

    def __init__(self, now: datetime) -> None:
        super().__init__()
        self.now = now
        self.hovered: datetime | None = None
        self.as_at: datetime | None = None

    @property
    def shown(self) -> datetime:
        """The moment that altitude-dependent views are for."""
        return self.as_at or self.now

    def set_now(self, now: datetime) -> None:
        if now != self.now:
            self.now = now
            self.now_changed.emit()

    def hover(self, moment: datetime | None) -> None:
        if moment != self.hovered:
            self.hovered = moment
            self.changed.emit()

    def look_at(self, moment: datetime | None) -> None:
        if moment != self.as_at:
            self.as_at = moment
            self.changed.emit()
