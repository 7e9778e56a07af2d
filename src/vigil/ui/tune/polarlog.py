"""The log of polar measurements: one a line, the newest first."""

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QWheelEvent

from vigil.documents.polar import PolarRecord
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW_PX, _HEAD_PX = 22, 30
_COLUMNS = (
    ("when", 0.0),
    ("how", 110.0),
    ("altitude", 240.0),
    ("azimuth", 320.0),
    ("in all", 390.0),
    ("took", 450.0),
)
_WORDS_AT = 470.0


class PolarLog(Picture):
    """Scrolls by wheel and keys."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._records: list[PolarRecord] = []
        self._first = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Log of polar measurements")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_records(self, records: list[PolarRecord]) -> None:
        """Newest first."""
        self._records = records
        self._first = min(self._first, max(0, len(records) - 1))
        self.setAccessibleDescription(f"{len(records)} measurements")
        self.update()

    def copy_text(self) -> str:
        lines = ["at\tmethod\taltitude_arcmin\tazimuth_arcmin\ttotal_arcmin\ttook_s"]
        for r in self._records:
            values = (
                r.at.isoformat(),
                r.method,
                r.altitude_arcmin,
                r.azimuth_arcmin,
                r.total_arcmin,
                r.took_s,
            )
            lines.append("\t".join("" if v is None else str(v) for v in values))
        return "\n".join(lines) if self._records else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        painter.translate(Size.MARGIN, 0)
        small, room = text_font(Size.SMALL), self.width() - 2 * Size.MARGIN
        for name, x in _COLUMNS:
            align = RIGHT if x > 200 else Qt.AlignmentFlag.AlignLeft
            write(painter, QPointF(x, 20), name, "faint", small, align)
        write(painter, QPointF(_WORDS_AT, 20), "noticed", "faint", small)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(0, _HEAD_PX - 0.5), QPointF(room, _HEAD_PX - 0.5))
        if not self._records:
            said = "No measurement of this rig's polar axis is on record yet."
            write(painter, QPointF(0, _HEAD_PX + 22), said, "soft", small)
        for k, record in enumerate(self._records[self._first :]):
            base = _HEAD_PX + k * _ROW_PX + 17.0
            if base > self.height() - 4:
                break
            self._paint_row(painter, record, base, room)

    def _paint_row(self, painter: QPainter, record: PolarRecord, base: float, room: float) -> None:
        numbers, small = number_font(Size.SMALL), text_font(Size.SMALL)
        local = words.clock(record.at, self._session.zone)
        write(painter, QPointF(0, base), f"{record.at:%d.%m.} {local}", "text", numbers)
        how = f"{record.frames} frames" if record.method == "frames" else "drift"
        write(painter, QPointF(110, base), how, "text", small)
        for x, value in ((240, record.altitude_arcmin), (320, record.azimuth_arcmin)):
            said = "–" if value is None else f"{words.signed(value)}′"
            write(painter, QPointF(x, base), said, "text", numbers, RIGHT)
        total = "–" if record.total_arcmin is None else f"{record.total_arcmin:.1f}′"
        write(painter, QPointF(390, base), total, "text", numbers, RIGHT)
        write(painter, QPointF(450, base), f"{record.took_s:.0f} s", "soft", numbers, RIGHT)
        noticed = elided("; ".join(record.notes), small, room - _WORDS_AT)
        write(painter, QPointF(_WORDS_AT, base), noticed, "soft", small)

    def _scroll(self, by: int) -> None:
        self._first = min(max(0, self._first + by), max(0, len(self._records) - 1))
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._scroll(-1 if event.angleDelta().y() > 0 else 1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}
        if event is not None and event.key() in steps:
            self._scroll(steps[Qt.Key(event.key())])
            return
        super().keyPressEvent(event)
