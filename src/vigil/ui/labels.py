"""Names on a picture that don't run into each other."""

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFont, QPainter

from vigil.ui.picture import text_width, write


class Labels:
    """Those written first keep their place; a later one looks for room around its point, else is left out."""

    def __init__(self, area: QRectF) -> None:
        self._area = area
        self._taken: list[QRectF] = []

    def keep_free(self, rect: QRectF) -> None:
        self._taken.append(rect)

    def put(
        self,
        painter: QPainter,
        at: QPointF,
        away: float,
        text: str,
        role: str,
        font: QFont,
        must: bool = False,
    ) -> bool:
        """`away` is how far from the point the words begin; `must` writes them whatever stands there."""
        wide, high = text_width(text, font), font.pixelSize() + 2.0
        places = (
            QPointF(at.x() + away, at.y() + high / 3),
            QPointF(at.x() - away - wide, at.y() + high / 3),
            QPointF(at.x() - wide / 2, at.y() - away - 2),
            QPointF(at.x() - wide / 2, at.y() + away + high - 2),
        )
        for n, foot in enumerate(places):
            room = QRectF(foot.x() - 2, foot.y() - high + 2, wide + 4, high + 1)
            free = self._area.contains(room) and not any(room.intersects(other) for other in self._taken)
            if free or (must and n == len(places) - 1):
                self._taken.append(room)
                write(painter, foot, text, role, font)
                return True
        return False
