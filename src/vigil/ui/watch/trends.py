"""Star size, star count and background through the night, over the ribbon's span."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.ui import words
from vigil.ui.picture import RIGHT, TimePicture, write
from vigil.ui.record import Light
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW = 42
Value = Callable[[Light], float]
_ROWS: tuple[tuple[str, Value, str, float], ...] = (
    ("star size, px", lambda light: float(light.values["hfr_px"] or 0), "{:.2f}", 4.0),
    ("stars", lambda light: float(light.values["stars"]), "", 500.0),
    ("background, ADU", lambda light: float(light.values["background_adu"]), "", 1000.0),
)


class Trends(TimePicture):
    """A point a frame; the scale starts at 0 and grows only when values ask for it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.inset_left = self.inset_right = 0
        self.setFixedHeight(_ROW * len(_ROWS))
        self.setAccessibleName("Trends of star size, star count and background")
        session.night_changed.connect(self.update)

    def copy_text(self) -> str:
        lines = ["time_utc\tfilter\thfr_px\tstars\tbackground_adu"]
        for light in self.session.tonight.measured():
            v = light.values
            lines.append(
                f"{light.at:%Y-%m-%dT%H:%M:%S}\t{v['filter']}\t{v['hfr_px']}\t{v['stars']}\t{v['background_adu']}"
            )
        return "\n".join(lines)

    def paint(self, painter: QPainter) -> None:
        lights = self.session.tonight.measured()
        for i, (name, value, form, least_top) in enumerate(_ROWS):
            top = float(i * _ROW)
            plot = QRectF(self.span_left, top + 18, self.span_width, _ROW - 21)
            write(painter, QPointF(0, top + 12), name, "soft", text_font(Size.SMALL))
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(0, top + _ROW - 0.5), QPointF(self.width(), top + _ROW - 0.5))
            if not lights:
                continue
            highest = max(least_top, 1.15 * max(value(light) for light in lights))
            self._paint_row(painter, plot, lights, value, highest)
            last = value(lights[-1])
            said = form.format(last) if form else words.grouped(last)
            write(painter, QPointF(self.width(), top + 12), said, "text", number_font(strong=True), RIGHT)
        self.paint_moments(painter, 0, self.height())

    def _paint_row(
        self, painter: QPainter, plot: QRectF, lights: list[Light], value: Value, highest: float
    ) -> None:
        """One line a filter, broken where the filter changes: their values don't compare."""
        path, filter_name = QPainterPath(), ""
        for light in lights:
            point = QPointF(self.x(light.at), plot.bottom() - value(light) / highest * plot.height())
            if light.values["filter"] != filter_name:
                filter_name = light.values["filter"]
                path.moveTo(point)
                path.addEllipse(point, 0.8, 0.8)
                path.moveTo(point)
            path.lineTo(point)
        painter.setPen(theme.pen("text", 1.5))
        painter.drawPath(path)

    def hover_text(self, moment: object) -> str:
        lights = self.session.tonight.measured()
        said = [super().hover_text(moment)]  # type: ignore[arg-type]
        if lights:
            near = min(lights, key=lambda light: abs(light.at - moment))  # type: ignore[operator]
            v = near.values
            said.append(
                f"{v['filter']} {v['number']} of {v['of']}: {v['hfr_px'] or 0:.2f} px, {v['stars']} stars, "
                f"background {v['background_adu']:.0f} ADU"
            )
        return "\n".join(said)
