"""Filter offsets: the rig's own beside those that were measured, each with its interval."""

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from vigil.ui import words
from vigil.ui.picture import CENTRE, LEFT, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW_PX = 46.0


class OffsetsPicture(Picture):
    """A line for each filter: hollow the rig's, filled with a bar what was measured."""

    def __init__(self) -> None:
        super().__init__()
        self._own: dict[str, int] = {}
        self._found: dict[str, Any] = {}
        self._reference = self._said = ""
        self._zone: float | None = None
        self.setAccessibleName("Filter offsets")

    def show_offsets(
        self, own: dict[str, int], found: dict[str, Any], reference: str, said: str, zone_steps: float | None
    ) -> None:
        """`own` are the rig's, `found` what an errand measured (empty: nothing yet); all by the reference."""
        self._own, self._found, self._reference = own, found, reference
        self._said, self._zone = said, zone_steps
        self.setAccessibleDescription(said)
        self.update()

    def copy_text(self) -> str:
        lines = [
            f"{name}\t{self._own.get(name)}\t{self._found.get(name, {}).get('steps', '')}"
            for name in self._own
        ]
        return "\n".join(["filter\trig\tmeasured", *lines])

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        write(painter, QPointF(16, 30), "Filter offsets", "text", text_font(Size.LARGE, True))
        write(painter, QPointF(16, 50), self._said, "soft")
        if not self._own:
            return
        values = [float(v) for v in self._own.values()]
        for found in self._found.values():
            values += [float(v) for v in found["interval_95"]]
        low, high = min(values), max(values)
        room = max(4.0, 0.1 * (high - low), (self._zone or 0.0) / 2)
        low, high = low - room, high + room
        box = QRectF(110, 84, self.width() - 300, self.height() - 130)

        def x(steps: float) -> float:
            return box.left() + (steps - low) / (high - low) * box.width()

        if self._zone is not None:
            half = self._zone / 2
            painter.fillRect(
                QRectF(x(-half), box.top(), x(half) - x(-half), box.height()), theme.colour("accent", 0.1)
            )
        painter.setPen(theme.pen("faint", 1.0, dashed=True))
        painter.drawLine(QPointF(x(0), box.top()), QPointF(x(0), box.bottom()))
        step = min(_ROW_PX, box.height() / max(len(self._own), 1))
        for k, (name, own) in enumerate(self._own.items()):
            y = box.top() + (k + 0.5) * step
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            write(painter, QPointF(box.left() - 14, y + 5), name, "text", text_font(Size.BODY), RIGHT)
            self._paint_row(painter, x, y, name, own, box.right() + 14)
        font, small = number_font(Size.SMALL), text_font(Size.SMALL)
        for value in (low + room, 0.0, high - room):
            write(painter, QPointF(x(value), box.bottom() + 18), words.steps(value), "soft", font, CENTRE)
        key = f"steps against {self._reference}; hollow: in the rig, filled: measured, with its 95 % interval"
        write(painter, QPointF(box.left(), box.bottom() + 38), key, "soft", small, LEFT)

    def _paint_row(self, painter: QPainter, x: Any, y: float, name: str, own: int, right: float) -> None:
        found = self._found.get(name)
        painter.setPen(theme.pen("text", 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x(own), y), 5.0, 5.0)
        text = words.steps(own)
        if found is not None:
            low, high = found["interval_95"]
            painter.setPen(theme.pen("accent", 4.0))
            painter.drawLine(QPointF(x(low), y), QPointF(x(high), y))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("accent"))
            painter.drawEllipse(QPointF(x(found["steps"]), y), 3.5, 3.5)
            half = max((high - low) / 2, 1.0)
            text = f"{text} → {words.steps(found['steps'])} ±{half:.0f}" if name != self._reference else text
        write(painter, QPointF(right, y + 5), text, "text", number_font(Size.SMALL))
