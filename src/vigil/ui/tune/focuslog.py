"""The log of focus runs: one a line, the newest first; the chosen one is reopened."""

from datetime import datetime

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy

from vigil.ledger.store import FocusRow
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW_PX, _HEAD_PX = 22, 22
_COLUMNS = (("when", 0.0), ("filter", 100.0), ("position", 220.0), ("size", 290.0), ("°C", 342.0))
"""Names, and where a column begins, or ends where it is numbers."""
_WORDS_AT = 360.0


class FocusLog(Picture):
    """`chosen` gives the number of a run in the ledger."""

    chosen = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._rows: list[FocusRow] = []
        self._first, self._at = 0, -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Log of focus runs")

    def sizeHint(self) -> QSize:
        return QSize(480, _HEAD_PX + 5 * _ROW_PX + 4)

    def minimumSizeHint(self) -> QSize:
        return QSize(200, _HEAD_PX + 2 * _ROW_PX)

    @property
    def rows(self) -> list[FocusRow]:
        return self._rows

    def show_rows(self, rows: list[FocusRow]) -> None:
        """Newest first."""
        before = self._rows[self._at].ended if 0 <= self._at < len(self._rows) else None
        self._rows = rows
        self._at = next((k for k, row in enumerate(rows) if row.ended == before), -1)
        self._first = min(self._first, max(0, len(rows) - 1))
        self.update()

    def choose(self, at: int) -> None:
        """The run in a line, by its number from 0."""
        if not 0 <= at < len(self._rows):
            return
        self._at = at
        room = max(1, (self.height() - _HEAD_PX) // _ROW_PX)
        self._first = min(max(self._first, at - room + 1), at)
        row = self._rows[at]
        self.setAccessibleDescription(row.figures.get("reason", ""))
        self.update()
        self.chosen.emit(row.ended)

    def copy_text(self) -> str:
        lines = ["ended_at\tfilter\taccepted\tposition\tsize_px\ttemperature_c\treason"]
        for row in self._rows:
            told = row.figures
            values = (row.ended_at, row.filter, row.accepted, *(told.get(k) for k in ("position", "size_px")))
            lines.append("\t".join(map(str, (*values, told.get("temperature_c"), told.get("reason")))))
        return "\n".join(lines)

    # -- drawing --------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        small = text_font(Size.SMALL)
        for name, x in _COLUMNS:
            write(
                painter,
                QPointF(x, 15),
                name,
                "faint",
                small,
                RIGHT if x > 150 else Qt.AlignmentFlag.AlignLeft,
            )
        write(painter, QPointF(_WORDS_AT, 15), "what came of it", "faint", small)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(0, _HEAD_PX - 0.5), QPointF(self.width(), _HEAD_PX - 0.5))
        if not self._rows:
            write(
                painter,
                QPointF(0, _HEAD_PX + 18),
                "No focus run of this rig is on record yet.",
                "soft",
                small,
            )
        for k, row in enumerate(self._rows[self._first :]):
            top = _HEAD_PX + k * _ROW_PX
            if top + _ROW_PX > self.height() + 4:
                break
            if k + self._first == self._at:
                painter.fillRect(QRectF(0, top, self.width(), _ROW_PX), theme.colour("raised"))
            self._paint_row(painter, row, top + 15.5)

    def _paint_row(self, painter: QPainter, row: FocusRow, base: float) -> None:
        told, numbers, small = row.figures, number_font(Size.SMALL), text_font(Size.SMALL)
        at = datetime.fromisoformat(row.ended_at)
        role = "text" if row.accepted else "soft"
        local = words.clock(at, self._session.zone)
        write(painter, QPointF(0, base), f"{at:%d.%m.} {local}", role, numbers)
        write(painter, QPointF(100, base), row.filter or "–", role, small)
        interval, size, warmth = (told.get(k) for k in ("interval_95", "size_px", "temperature_c"))
        if row.accepted and interval:
            half = max(1.0, (interval[1] - interval[0]) / 2)
            write(painter, QPointF(220, base), f"{told['position']} ±{half:.0f}", role, numbers, RIGHT)
        if size:
            write(painter, QPointF(290, base), f"{size:.2f} px", role, numbers, RIGHT)
        if warmth is not None:
            write(painter, QPointF(342, base), words.signed(warmth), role, numbers, RIGHT)
        said = told.get("reason", "")
        room = self.width() - _WORDS_AT - 4
        said = said if row.accepted else f"refused: {said}"
        write(
            painter,
            QPointF(_WORDS_AT, base),
            elided(said, small, room),
            "soft" if row.accepted else "warn",
            small,
        )

    # -- choosing -------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() > _HEAD_PX:
            self.choose(self._first + int((event.position().y() - _HEAD_PX) // _ROW_PX))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            by = -1 if event.angleDelta().y() > 0 else 1
            self._first = min(max(0, self._first + by), max(0, len(self._rows) - 1))
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 5, Qt.Key.Key_PageUp: -5}
        if event is not None and event.key() in steps and self._rows:
            by = steps[Qt.Key(event.key())]
            self.choose(min(max(0, self._at + by), len(self._rows) - 1))
            return
        super().keyPressEvent(event)
