"""Go there, by hand: a target's name or a position, and how."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken
from vigil.ui.caret import TextLine
from vigil.ui.gochoices import GoChoices
from vigil.ui.pieces import button, column, row
from vigil.ui.session import Session


class GoTo(QWidget):
    """One line, one button, two choices. `wanted` is emitted with the mount's action and its values,
    `refused` with what is wrong with the line."""

    wanted = pyqtSignal(str, dict)
    refused = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.place = TextLine()
        self.place.setPlaceholderText("M 31, or 05 16 12 +34 27")
        self.place.setAccessibleName("mount: where to go, a target or a position")
        self.go = button("Go there", "small")
        self.choices = GoChoices(self.refused.emit, asks_angle=True)
        self.go.clicked.connect(self._go)
        self.place.returnPressed.connect(self._go)
        layout = column(gap=4)
        line = row(self.place, self.go, gap=6)
        line.setStretch(0, 1)
        layout.addLayout(line)
        layout.addWidget(self.choices)
        self.setLayout(layout)

    def _go(self) -> None:
        if not self.go.isEnabled():
            return
        try:
            ra_deg, dec_deg = self._position(self.place.text().strip())
        except ValueError as problem:
            self.refused.emit(str(problem))
            return
        self.wanted.emit(self.choices.how, self.choices.values(ra_deg, dec_deg))

    def _position(self, text: str) -> tuple[float, float]:
        if not text:
            raise ValueError("where to? Write a target's name, or a position as 05 16 12 +34 27")
        if looks_like_position(text):
            spoken = parse_spoken(text, from_datetimes(self._session.now))
            return spoken.ra_deg, spoken.dec_deg
        # imported here: the catalogue is read when somebody goes somewhere
        from vigil.files.deepsky import UnknownObject, find_object

        try:
            entry = find_object(text)
        except UnknownObject as problem:
            raise ValueError(str(problem)) from None
        return entry.ra_deg, entry.dec_deg
