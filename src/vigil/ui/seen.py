"""Showing only what can be seen."""

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget


class SeenOnly(QWidget):
    """Nothing is worked out while nobody looks; coming to the front makes up for it."""

    def refresh(self) -> None:
        """Something has changed."""
        if self.isVisible():
            self.show_anew()

    def show_anew(self) -> None:
        """Show all as it is now."""

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.show_anew()
