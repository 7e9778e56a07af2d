"""Altitude curves over the night's span, with horizon, moon and the sky's tone."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.sky.instants import Floats
from vigil.ui.picture import TimePicture
from vigil.ui.session import Session
from vigil.ui.theme import theme

TOP_DEG = 90.0


class AltitudePicture(TimePicture):
    """From the horizon to the zenith; `curve_rect` is where curves are drawn."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.inset_left = self.inset_right = 0

    def curve_rect(self) -> QRectF:
        return QRectF(self.span_left, 0, self.span_width, self.height())

    def y(self, altitude_deg: float) -> float:
        rect = self.curve_rect()
        return rect.bottom() - altitude_deg / TOP_DEG * rect.height()

    def path_of(self, altitudes_deg: Floats, begins_s: float = 0.0, ends_s: float = 1e18) -> QPainterPath:
        """A curve over the night's instants, between two moments (POSIX seconds)."""
        path, drawing = QPainterPath(), False
        axis = self.session.axis
        for seconds, altitude in zip(self.session.sky.unix_s, altitudes_deg, strict=True):
            if not begins_s <= seconds <= ends_s:
                continue
            point = QPointF(
                self.span_left + axis.share_of_s(float(seconds)) * self.span_width, self.y(float(altitude))
            )
            if drawing:
                path.lineTo(point)
            else:
                path.moveTo(point)
            drawing = True
        return path

    def paint_ground(self, painter: QPainter) -> None:
        """Sky tone, the horizon limit, the moon."""
        rect = self.curve_rect()
        self.paint_sky(painter, rect.top(), rect.height())
        limit = self.session.rig.site.minimum_altitude_deg
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ink", 0.6))
        painter.drawRect(QRectF(rect.left(), self.y(limit), rect.width(), rect.bottom() - self.y(limit)))
        painter.setPen(theme.pen("faint", 1.0))
        painter.drawLine(QPointF(rect.left(), self.y(limit)), QPointF(rect.right(), self.y(limit)))
        painter.save()
        painter.setClipRect(rect)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("soft", 1.2, 0.8, dashed=True))
        painter.drawPath(self.path_of(self.session.sky.moon_altitude_deg))
        painter.restore()

    def paint_curve(
        self,
        painter: QPainter,
        altitudes_deg: Floats,
        role: str,
        width: float,
        spans: list[tuple[float, float]] | None = None,
        dashed: bool = False,
    ) -> None:
        """The curve thin, and strong within spans (POSIX seconds)."""
        painter.save()
        painter.setClipRect(self.curve_rect())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen(role, 1.0, 0.6))
        painter.drawPath(self.path_of(altitudes_deg))
        painter.setPen(theme.pen(role, width, dashed=dashed))
        for begins_s, ends_s in spans or []:
            painter.drawPath(self.path_of(altitudes_deg, begins_s, ends_s))
        painter.restore()
