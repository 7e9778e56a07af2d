"""Which of a list's columns is which, asked where its names aren't understood."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.planning.shelfcsv import COLUMNS
from vigil.ui.pieces import Choice, Told, button, column, label, row

_SAID = {
    "name": "name",
    "ra_deg": "right ascension",
    "dec_deg": "declination",
    "position_angle_deg": "angle",
    "lines": "exposures",
    "tags": "tags",
}
_NONE = "none of them"


class ColumnsAsked(QWidget):
    """`answered` brings the file and ours-to-theirs. Hidden until something is asked."""

    answered = pyqtSignal(Path, dict)

    def __init__(self) -> None:
        super().__init__()
        self._path = Path()
        self.words = Told("", "warn")
        self.choices = {ours: Choice() for ours in _SAID}
        layout = column(self.words, gap=4)
        for ours, choice in self.choices.items():
            choice.setAccessibleName(f"The column that is the {_SAID[ours]}")
            choice.setFixedWidth(128)
            line = row(label(_SAID[ours], "soft"), gap=4)
            line.addStretch(1)
            line.addWidget(choice)
            layout.addLayout(line)
        self.take, self.leave = button("Import", "small"), button("Leave it", "small")
        self.take.clicked.connect(self._answer)
        self.leave.clicked.connect(self.hide)
        layout.addLayout(row(self.take, self.leave, gap=4))
        self.setLayout(layout)
        self.hide()

    def ask(self, path: Path, have: list[str], known: dict[str, str], why: str) -> None:
        """`known` are those that were understood."""
        self._path = path
        self.words.setText(why)
        for ours, choice in self.choices.items():
            choice.clear()
            choice.addItems([_NONE, *have])
            choice.setCurrentText(known.get(ours, _NONE))
        self.show()
        self.choices["name"].setFocus()

    def _answer(self) -> None:
        told = {ours: c.currentText() for ours, c in self.choices.items() if c.currentIndex() > 0}
        assert set(told) <= set(COLUMNS)
        self.hide()
        self.answered.emit(self._path, told)
