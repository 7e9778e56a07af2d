"""The numbers that follow from the rig, formula and source on hover."""

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QHelpEvent, QPainter
from PyQt6.QtWidgets import QToolTip, QWidget

from vigil.planning.rignumbers import RigNumber
from vigil.ui import words
from vigil.ui.picture import Picture, elided, text_width, write
from vigil.ui.theme import Size, number_font, text_font

_CELL_HEIGHT, _LEAST_WIDTH = 44.0, 160.0


class Numbers(Picture):
    """A grid of names over values."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._numbers: list[RigNumber] = []

    def show_numbers(self, numbers: list[RigNumber]) -> None:
        self._numbers = numbers
        self.setAccessibleName("; ".join(f"{n.name} {value_of(n)} {n.also}".strip() for n in numbers))
        self._fit()
        self.update()

    def _fit(self) -> None:
        rows = -(-len(self._numbers) // self._columns)
        self.setFixedHeight(round(rows * _CELL_HEIGHT))

    @property
    def _columns(self) -> int:
        return max(1, int(self.width() // _LEAST_WIDTH))

    def cell(self, index: int) -> QRectF:
        """Where a number stands."""
        columns = self._columns
        width = self.width() / columns
        return QRectF(index % columns * width, index // columns * _CELL_HEIGHT, width, _CELL_HEIGHT)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def paint(self, painter: QPainter) -> None:
        for i, number in enumerate(self._numbers):
            cell = self.cell(i)
            write(painter, QPointF(cell.left(), cell.top() + 13), number.name, "soft", text_font(Size.SMALL))
            base = QPointF(cell.left(), cell.top() + 32)
            used = write(painter, base, value_of(number), "text", number_font(Size.BODY))
            room = cell.width() - used - 18
            also = elided(number.also, text_font(Size.SMALL), room)
            if text_width("…", text_font(Size.SMALL)) < room:
                where = QPointF(cell.left() + used + 8, cell.top() + 32)
                write(painter, where, also, "soft", text_font(Size.SMALL))

    def event(self, event: object) -> bool:  # type: ignore[override]
        if isinstance(event, QHelpEvent) and event.type() == event.Type.ToolTip:
            here = next(
                (i for i in range(len(self._numbers)) if self.cell(i).contains(QPointF(event.pos()))), None
            )
            QToolTip.showText(
                event.globalPos(), self._numbers[here].formula if here is not None else "", self
            )
            return True
        return super().event(event)  # type: ignore[arg-type]


def value_of(number: RigNumber) -> str:
    """The value with its unit, with as many decimals as make sense."""
    value = number.value
    text = words.grouped(value) if value >= 100 else f"{value:.1f}" if value >= 10 else f"{value:.2f}"
    if number.unit == "″/px" or number.unit in ("°", "″"):
        return f"{text}{number.unit}"
    return f"{text} {number.unit}".strip()
