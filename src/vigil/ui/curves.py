"""Altitude curves over the night's span, with horizon, moon and the sky's tone."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPolygonF

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
        axis, rect, sky = self.session.axis, self.curve_rect(), self.session.sky
        held = (sky.unix_s >= begins_s) & (sky.unix_s <= ends_s)
        shares = np.interp(sky.unix_s[held], axis.knots_s, axis.shares)
        x = self.span_left + shares * self.span_width
        y = rect.bottom() - altitudes_deg[held] / TOP_DEG * rect.height()
        path = QPainterPath()
        path.addPolygon(QPolygonF([QPointF(*point) for point in zip(x.tolist(), y.tolist(), strict=True)]))
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
