"""The sky table: while it isn't here, the button that makes it."""

from threading import Event

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.files.skytable import Cancelled, has_table
from vigil.runtime.folders import cache_folder
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import ProgressBar, Told, button, column, label, row


class TableRow(QWidget):
    """`made` follows once the table is there."""

    made = pyqtSignal()
    _share = pyqtSignal(float)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs, self._stop = jobs, Event()
        self.words = Told("", "small")
        self.bar = ProgressBar()
        self.make = button("Make the sky table", "small", "Once, in a minute or two; 0.4 GB")
        self.stop = button("Stop", "small", "Leave it; nothing of it is kept")
        self.make.clicked.connect(self.begin)
        self.stop.clicked.connect(self._stop.set)
        self._share.connect(self.bar.show_share)
        layout = column(label("Solving without a position", "section"), self.words, self.bar, gap=6)
        layout.addLayout(row(self.make, self.stop, gap=6))
        self.setLayout(layout)
        self.refresh()

    @property
    def busy(self) -> bool:
        return self._jobs.busy("sky table")

    def refresh(self, problem: str = "") -> None:
        here = has_table(cache_folder())
        if here and not self.busy:
            self.hide()
        elif self.parentWidget() is not None:  # shown without one it would be a window
            self.show()
        for part in (self.bar, self.stop):
            part.setVisible(self.busy)
        self.make.setVisible(not here and not self.busy)
        if self.busy:
            self.words.setText("making the sky table; everything else goes on meanwhile")
        else:
            self.words.setText(problem or "pictures that don't say where they were taken need the sky table")

    def begin(self) -> None:
        """In a process of its own, told of from a thread."""
        if self.busy:
            return
        self._stop.clear()
        self.bar.show_share(0.0)

        def work() -> None:
            # imported here: reading the catalogue takes longer than the window to open
            from vigil.files.tableapart import make_table_apart

            make_table_apart(cache_folder(), self._share.emit, self._unwanted)

        self._jobs.run("sky table", work, lambda _: self._over(), self._failed)
        self.refresh()

    def _unwanted(self) -> bool:
        """Stopped, or the window has gone."""
        return self._stop.is_set() or self._jobs.stopped

    def _over(self) -> None:
        self.refresh()
        self.made.emit()

    def _failed(self, problem: Exception) -> None:
        stopped = isinstance(problem, Cancelled)
        self.refresh("stopped; nothing of it is left" if stopped else f"it can't be made: {problem}")
