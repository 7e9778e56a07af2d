"""Two rigs side by side: what differs, marked and listed."""

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from vigil.documents.rig import Rig
from vigil.documents.rig.change import Difference, brief, differences, field_at, part_name
from vigil.planning.rignumbers import rig_numbers
from vigil.ui.picture import Picture, elided, write
from vigil.ui.pieces import Choice, OneLine, button, label, row
from vigil.ui.rig.numbers import value_of
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.workspace import scrolled

_ROW = 22


class Table(Picture):
    """Names, and the values of the two rigs; a bar at the left marks what differs."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, str, str, bool]] = []

    def show_rows(self, rows: list[tuple[str, str, str, bool]]) -> None:
        """(name, one, other, whether they differ); a row without values is a heading."""
        self.rows = rows
        self.setFixedHeight(max(1, len(rows)) * _ROW + 8)
        self.setAccessibleName("; ".join(f"{n}: {a} against {b}" for n, a, b, differ in rows if differ))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def columns(self) -> tuple[float, float]:
        """Where the two rigs' columns begin."""
        return self.width() * 0.40, self.width() * 0.70

    def paint(self, painter: QPainter) -> None:
        one, other = self.columns()
        for i, (name, first, second, differ) in enumerate(self.rows):
            base = i * _ROW + 16
            if not first and not second:
                write(painter, QPointF(0, base), name, "faint", text_font(Size.SMALL))
                continue
            if differ:
                painter.fillRect(QRectF(0, i * _ROW + 4, 3, _ROW - 6), theme.colour("select"))
            role = "text" if differ else "soft"
            write(painter, QPointF(10, base), elided(name, text_font(), one - 20), role, text_font())
            for x, value, room in ((one, first, other - one), (other, second, self.width() - other)):
                text = elided(value, number_font(), room - 12)
                write(painter, QPointF(x, base), text, role, number_font())

    def copy_text(self) -> str:
        return "\n".join("\t".join(cells[:3]) for cells in self.rows)


class Compare(QWidget):
    """The page that takes the train's place while two rigs are compared."""

    def __init__(self) -> None:
        super().__init__()
        self._rigs: list[Rig] = []
        self._ours: Rig | None = None
        self.other = Choice()
        self.other.setAccessibleName("Compare with")
        self.other.activated.connect(lambda _: self._show())
        self.done = button("Back to the rig", "", "Leave the comparison", "Esc")
        self.count = OneLine("soft")
        self.table = Table()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = row(label("Compare with", "soft"), self.other, self.count, self.done)
        head.setStretch(2, 1)
        layout.addLayout(head)
        layout.addWidget(scrolled(self.table), 1)

    def show_rigs(self, ours: Rig, others: list[Rig]) -> None:
        self._ours, self._rigs = ours, others
        kept = self.other.currentText()
        self.other.clear()
        self.other.addItems([rig.name for rig in others])
        self.other.setCurrentText(kept)
        self._show()

    def _show(self) -> None:
        at = self.other.currentIndex()
        if self._ours is None or not 0 <= at < len(self._rigs):
            self.table.show_rows([])
            self.count.say("there is no other rig: copy this one, or make a new one")
            return
        ours, other = self._ours, self._rigs[at]
        found = differences(ours, other)
        self.count.say(f"{len(found)} values differ" if found else "no value differs")
        self.table.show_rows([("", ours.name, other.name, False), *_numbers(ours, other), *_values(found)])


def _numbers(ours: Rig, other: Rig) -> list[tuple[str, str, str, bool]]:
    """The numbers that follow, of both."""
    first = {n.name: f"{value_of(n)} {n.also}".strip() for n in rig_numbers(ours)}
    second = {n.name: f"{value_of(n)} {n.also}".strip() for n in rig_numbers(other)}
    names = [*first, *(name for name in second if name not in first)]
    rows = [(name, first.get(name, "–"), second.get(name, "–")) for name in names]
    return [("What follows", "", "", False), *((*cells, cells[1] != cells[2]) for cells in rows)]


def _values(found: list[Difference]) -> list[tuple[str, str, str, bool]]:
    rows: list[tuple[str, str, str, bool]] = []
    heading = ""
    for difference in found:
        part = part_name(str(difference.path[0]))
        if part != heading and len(difference.path) > 1:
            rows.append((part.capitalize(), "", "", False))
            heading = part
        name = difference.words.partition(" · ")[2] or difference.words
        field = field_at(difference.path)
        unit = field.shown.unit if field else ""
        rows.append((name, brief(difference.old, unit), brief(difference.new, unit), True))
    return rows
