"""One target's altitude through the night, over the ribbon's span."""

from datetime import datetime

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from vigil.planning.tonight import Tonight
from vigil.ui import words
from vigil.ui.curves import AltitudePicture
from vigil.ui.picture import CENTRE, RIGHT, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme


class TargetAltitude(AltitudePicture):
    """The curve, strong where the target can be exposed; moon dashed, the horizon limit as a line."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setFixedHeight(Size.CURVE + 20)
        self._where: tuple[float, float] | None = None
        self._tonight: Tonight | None = None
        self.setAccessibleName("Altitude tonight")

    def curve_rect(self) -> QRectF:
        return QRectF(self.span_left, 0, self.span_width, self.height() - 18)

    def show_target(self, ra_deg: float, dec_deg: float, tonight: Tonight) -> None:
        self._where, self._tonight = (ra_deg, dec_deg), tonight
        self.update()

    def paint(self, painter: QPainter) -> None:
        self.paint_ground(painter)
        rect = self.curve_rect()
        font = number_font(Size.SMALL)
        for altitude in (30, 60):
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(rect.left(), self.y(altitude)), QPointF(rect.right(), self.y(altitude)))
            write(painter, QPointF(rect.left() + 4, self.y(altitude) - 3), f"{altitude}°", "soft", font)
        if self._where is not None and self._tonight is not None:
            altitudes = self.session.altitudes_deg(*self._where)
            spans = [(i.opens.timestamp(), i.closes.timestamp()) for i in self._tonight.intervals]
            self.paint_curve(painter, altitudes, "text", 2.0, spans)
            self._paint_transit(painter)
        self.paint_hours(painter, self.height() - 3, rect.bottom(), rect.bottom() + 3)
        self.paint_moments(painter, rect.top(), rect.bottom())

    def _paint_transit(self, painter: QPainter) -> None:
        tonight = self._tonight
        if tonight is None or tonight.transit is None:
            return
        rect, x = self.curve_rect(), self.x(tonight.transit)
        painter.setPen(theme.pen("soft", 1.0, 0.8, dashed=True))
        painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))
        clock = words.clock(tonight.transit, self.session.zone)
        said = f"meridian {clock}, {words.degrees(tonight.transit_altitude_deg)}"
        align = RIGHT if x > rect.center().x() else CENTRE
        at = x - 6 if align == RIGHT else max(x, rect.left() + 70)
        write(painter, QPointF(at, rect.top() + 13), said, "text", text_font(Size.SMALL), align)

    def hover_text(self, moment: datetime) -> str:
        said = super().hover_text(moment)
        if self._where is not None:
            altitude = self.session.sky.at(self.session.altitudes_deg(*self._where), moment)
            said += f"\ntarget {words.degrees(altitude)}"
        return said
