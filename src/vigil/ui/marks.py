"""The marks of a night's events: a focus run is a V, a flip an hourglass, a recentring a plus, a hold a bar
across; what failed is crossed out."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.ui.theme import theme

_HALF = 3.5


def paint_mark(
    painter: QPainter, kind: str, x: float, top: float, role: str = "text", failed: bool = False
) -> None:
    """One mark, seven pixels high, its middle at x. `kind` is "focus", "flip" or "centre"; others have
    none."""
    shapes = {"focus": _v, "flip": _hourglass, "centre": _plus}
    if kind not in shapes:
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.pen(role, 1.4))
    painter.drawPath(shapes[kind](x, top))
    if failed:
        painter.setPen(theme.pen("fault", 1.4))
        painter.drawLine(QPointF(x - 4, top + 6), QPointF(x + 4, top))


def _v(x: float, top: float) -> QPainterPath:
    path = QPainterPath(QPointF(x - _HALF, top))
    path.lineTo(x, top + 6)
    path.lineTo(x + _HALF, top)
    return path


def _hourglass(x: float, top: float) -> QPainterPath:
    path = QPainterPath(QPointF(x - _HALF, top))
    path.lineTo(x + _HALF, top)
    path.lineTo(x - _HALF, top + 7)
    path.lineTo(x + _HALF, top + 7)
    path.closeSubpath()
    return path


def _plus(x: float, top: float) -> QPainterPath:
    path = QPainterPath(QPointF(x - 3, top + 3.5))
    path.lineTo(x + 3, top + 3.5)
    path.moveTo(x, top + 0.5)
    path.lineTo(x, top + 6.5)
    return path
