"""The camera turned by hand: which way and how far, legible from three metres."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import number_font, text_font, theme

_LEAST_TEXT_PX = 28
_FULL_DEG = 90.0


class TurningDial(Picture):
    """`turn_deg` is what is left, positive counter-clockwise as seen from behind the camera where the image
    is not mirrored; `way` says it in words."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Turn the camera")
        self.setMinimumHeight(200)
        self._turn_deg: float | None = None
        self._limit_deg, self._way, self._attempt = 1.5, "", 0
        self._words = ""

    def begin(self, words: str) -> None:
        self._turn_deg, self._words, self._attempt = None, words, 0
        self.update()

    def show_turn(self, turn_deg: float, limit_deg: float, way: str, attempt: int) -> None:
        self._turn_deg, self._limit_deg, self._way, self._attempt = turn_deg, limit_deg, way, attempt
        self.setAccessibleDescription(self.said)
        self.update()

    @property
    def turn_deg(self) -> float | None:
        return self._turn_deg

    @property
    def said(self) -> str:
        """What to do, in words."""
        if self._turn_deg is None:
            return "the first frame is being taken and solved"
        if abs(self._turn_deg) <= self._limit_deg:
            return "there: leave it as it is"
        return f"turn {abs(self._turn_deg):.1f}° {self._way}"

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        wide, high = self.width(), self.height()
        large = max(_LEAST_TEXT_PX, min(wide // 8, high // 8))
        small = max(13, min(large // 3, wide // 44))
        word_px = max(20, large * 3 // 4)
        write(painter, QPointF(wide / 2, 12 + small), self._words, "soft", text_font(small), CENTRE)
        top, bottom = 12 + small + 20, high - word_px - small - 36
        radius = max(50.0, min(wide * 0.4, (bottom - top) / 2))
        middle = QPointF(wide / 2, (top + bottom) / 2)
        self._paint_dial(painter, middle, radius)
        turn = self._turn_deg
        done = turn is not None and abs(turn) <= self._limit_deg
        role = "accent" if done else "text"
        if turn is None:
            write(painter, middle, self.said, "soft", text_font(small), CENTRE)
        else:
            at = QPointF(middle.x(), middle.y() + large * 0.35)
            write(painter, at, f"{abs(turn):.1f}°", role, number_font(large, strong=True), CENTRE)
        said = "there: leave it" if done else self._way if turn is not None else ""
        words = text_font(word_px, strong=True)
        write(painter, QPointF(wide / 2, high - small - 24), said, role, words, CENTRE)
        note = f"as seen from behind the camera · until within {self._limit_deg:g}° · frame {self._attempt}"
        write(painter, QPointF(wide / 2, high - 10.0), note, "soft", text_font(small), CENTRE)

    def _paint_dial(self, painter: QPainter, middle: QPointF, radius: float) -> None:
        box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("line", 3.0))
        painter.drawEllipse(box)
        # the window to hit, at the top
        painter.setPen(theme.pen("accent", 7.0))
        limit = self._limit_deg
        painter.drawArc(box, round((90 - limit) * 16), round(2 * limit * 16))
        turn = self._turn_deg
        if turn is None or abs(turn) <= limit:
            return
        # from where the camera is to the top, the way it is to be turned
        sign = 1.0 if self._way == "counter-clockwise" else -1.0
        start = 90 - sign * min(abs(turn), _FULL_DEG)
        path = QPainterPath()
        path.arcMoveTo(box, start)
        path.arcTo(box, start, sign * min(abs(turn), _FULL_DEG))
        painter.setPen(theme.pen("text", 5.0))
        painter.drawPath(path)
        # an arrow's head at the top
        painter.setBrush(theme.colour("text"))
        top = QPointF(middle.x(), middle.y() - radius)
        head = QPainterPath(top)
        head.lineTo(top.x() + sign * 18, top.y() - 11)
        head.lineTo(top.x() + sign * 18, top.y() + 11)
        head.closeSubpath()
        painter.drawPath(head)
