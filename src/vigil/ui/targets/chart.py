"""The sky round a target, with the sensor's outline at true scale and rotation. North is up, east left."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPolygonF, QTransform, QWheelEvent
from PyQt6.QtWidgets import QWidget

from vigil.files.deepsky import DeepSkyObject
from vigil.sky.tangent import deproject, project
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, write
from vigil.ui.targets.field import Field
from vigil.ui.theme import Size, number_font, text_font, theme

_SMALLEST_FIELD_DEG, _LARGEST_FIELD_DEG = 0.4, 30.0
_MOST_NAMED = 14
_GRID_STEPS_DEG = (10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1)


class Chart(Picture):
    """`height_deg` is the field from bottom to top; it asks for another `field` when more sky is wanted."""

    field_wanted = pyqtSignal(float, float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Sky chart")
        self._target: DeepSkyObject | None = None
        self._centre = (0.0, 0.0)
        self.height_deg = 3.5
        self._field: Field | None = None
        self._sensor_deg = (1.0, 1.0)
        self.angle_deg = 0.0
        self._dragged_from: QPointF | None = None

    # -- what is shown ----------------------------------------------------------------------------------

    def show_target(self, target: DeepSkyObject, sensor_deg: tuple[float, float], angle_deg: float) -> None:
        """`sensor_deg` is (width, height); the angle is the sensor's up direction, north through east."""
        self._target, self._sensor_deg, self.angle_deg = target, sensor_deg, angle_deg
        self._centre = (target.ra_deg, target.dec_deg)
        self.height_deg = min(8.0, max(2.4 * max(sensor_deg), 1.6 * target.major_arcmin / 60))
        self.setAccessibleDescription(f"around {target.name}, north up")
        self._want_field()

    def show_field(self, field: Field) -> None:
        self._field = field
        self.update()

    @property
    def field(self) -> Field | None:
        return self._field

    def _want_field(self) -> None:
        half = math.hypot(self.width(), self.height()) / max(1, self.height()) / 2
        self.field_wanted.emit(*self._centre, min(40.0, 1.15 * half * self.height_deg))
        self.update()

    # -- geometry ---------------------------------------------------------------------------------------

    @property
    def px_per_deg(self) -> float:
        return self.height() / self.height_deg

    def place(self, ra_deg: float, dec_deg: float) -> QPointF | None:
        """Where a direction is drawn; None behind the projection."""
        xi, eta = project(ra_deg, dec_deg, *self._centre)
        if np.isnan(xi):
            return None
        return QPointF(
            self.width() / 2 - float(xi) * self.px_per_deg, self.height() / 2 - float(eta) * self.px_per_deg
        )

    def outline(self) -> QPolygonF:
        """The sensor's corners on the chart."""
        if self._target is None:
            return QPolygonF()
        centre = self.place(self._target.ra_deg, self._target.dec_deg) or QPointF()
        wide, high = (side * self.px_per_deg for side in self._sensor_deg)
        turn = QTransform().translate(centre.x(), centre.y()).rotate(-self.angle_deg)
        return turn.map(QPolygonF(QRectF(-wide / 2, -high / 2, wide, high)))

    # -- drawing ----------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        painter.setClipRect(self.rect())
        if self._target is None:
            return
        self._paint_grid(painter)
        if self._field is not None:
            self._paint_stars(painter, self._field)
            self._paint_objects(painter, self._field)
        else:
            write(painter, QPointF(12, 40), "looking up the stars…", "soft")
        self._paint_sensor(painter)
        write(painter, QPointF(12, 20), "north up, east left", "soft", text_font(Size.SMALL))
        wide = self.height_deg * self.width() / max(1, self.height())
        said = f"{wide:.1f}° {words.TIMES} {self.height_deg:.1f}°"
        write(painter, QPointF(self.width() - 12, 20), said, "soft", number_font(Size.SMALL), RIGHT)

    def _paint_stars(self, painter: QPainter, field: Field) -> None:
        xi, eta = project(field.stars.ra_deg, field.stars.dec_deg, *self._centre)
        xs = self.width() / 2 - xi * self.px_per_deg
        ys = self.height() / 2 - eta * self.px_per_deg
        inside = (xs > -5) & (xs < self.width() + 5) & (ys > -5) & (ys < self.height() + 5)
        radii = np.clip(0.45 + 0.42 * (field.faintest_mag - field.stars.mag), 0.5, 5.0)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text", 0.9))
        for x, y, radius in zip(xs[inside], ys[inside], radii[inside], strict=True):
            painter.drawEllipse(QPointF(float(x), float(y)), float(radius), float(radius))

    def _paint_objects(self, painter: QPainter, field: Field) -> None:
        largest = sorted(field.objects, key=lambda entry: -entry.major_arcmin)
        named = {entry.name for entry in largest[:_MOST_NAMED]}
        taken: list[QRectF] = []
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for entry in largest[:120]:
            centre = self.place(entry.ra_deg, entry.dec_deg)
            if centre is None:
                continue
            major = entry.major_arcmin / 60 * self.px_per_deg
            minor = (entry.minor_arcmin or entry.major_arcmin) / 60 * self.px_per_deg
            ours = self._target is not None and entry.name == self._target.name
            painter.setPen(theme.pen("select", 1.4 if ours else 1.0, 0.95 if ours else 0.6, dashed=True))
            painter.save()
            painter.translate(centre)
            painter.rotate(-(entry.position_angle_deg or 0.0))
            painter.drawEllipse(QPointF(0, 0), minor / 2, major / 2)
            painter.restore()
            if entry.name in named or ours:
                self._paint_name(painter, entry, centre, major, taken, ours)

    def _paint_name(
        self,
        painter: QPainter,
        entry: DeepSkyObject,
        centre: QPointF,
        major: float,
        taken: list[QRectF],
        ours: bool,
    ) -> None:
        """Beside the outline, unless another name stands there already."""
        room = QRectF(0, 0, 8.0 * len(entry.name), 14)
        beside = QPointF(centre.x() + min(major / 2, self.width() / 3) * 0.72 + 6, centre.y() + major * 0.26)
        room.moveTo(beside.x(), beside.y() - 11)
        if any(room.intersects(other) for other in taken) and not ours:
            return
        taken.append(room)
        write(painter, beside, entry.name, "select", text_font(Size.SMALL, strong=ours))

    def _paint_grid(self, painter: QPainter) -> None:
        step = next((s for s in _GRID_STEPS_DEG if self.height_deg / s >= 2.5), _GRID_STEPS_DEG[-1])
        ra0, dec0 = self._centre
        wide = self.height_deg * self.width() / max(1, self.height())
        font = number_font(Size.SMALL)
        across = np.linspace(-wide / 1.6, wide / 1.6, 41)
        first = math.floor((dec0 - self.height_deg) / step) * step
        for dec in np.arange(first, dec0 + self.height_deg + step, step):
            if abs(dec) >= 90:
                continue
            reach = np.clip(across / max(0.05, math.cos(math.radians(dec))), -180, 180)
            self._paint_line(painter, ra0 + reach, np.full(41, dec))
            left = self.place(*(float(v) for v in self._left_edge(dec)))
            if left is not None and 30 < left.y() < self.height() - 20:
                write(painter, QPointF(6, left.y() - 4), f"{words.signed(float(dec), 1)}°", "faint", font)
        ra_step = step / max(0.05, math.cos(math.radians(dec0)))
        ra_step = next(
            (s for s in (90.0, 45.0, 30.0, 15.0, 7.5, 5.0, 2.5, 1.25, 0.5) if s <= 1.6 * ra_step), 0.25
        )
        along = np.clip(np.linspace(dec0 - self.height_deg, dec0 + self.height_deg, 41), -89.9, 89.9)
        first = math.floor((ra0 - 90) / ra_step) * ra_step
        for ra in np.arange(first, ra0 + 90, ra_step):
            xi, _ = project(float(ra), dec0, ra0, dec0)
            if np.isnan(xi) or abs(xi) > wide:
                continue
            self._paint_line(painter, np.full(41, ra), along)
            _, eta = deproject(0.0, -self.height_deg / 2, ra0, dec0)
            foot = self.place(float(ra), float(eta))
            if foot is not None and 20 < foot.x() < self.width() - 60:
                hours = (float(ra) % 360) / 15
                label = f"{int(hours)}h{round(60 * (hours % 1)):02d}m"
                write(painter, QPointF(foot.x() + 3, self.height() - 6), label, "faint", font)

    def _left_edge(self, dec_deg: float) -> tuple[float, float]:
        ra0, dec0 = self._centre
        wide = self.height_deg * self.width() / max(1, self.height())
        ra, _ = deproject(wide / 2, dec_deg - dec0, ra0, dec0)
        return float(ra), dec_deg

    def _paint_line(self, painter: QPainter, ras_deg: np.ndarray, decs_deg: np.ndarray) -> None:
        xi, eta = project(ras_deg, decs_deg, *self._centre)
        path, drawing = QPainterPath(), False
        for x, y in zip(xi, eta, strict=True):
            if np.isnan(x) or abs(x) > 60 or abs(y) > 60:
                drawing = False
                continue
            point = QPointF(
                self.width() / 2 - float(x) * self.px_per_deg, self.height() / 2 - float(y) * self.px_per_deg
            )
            path.lineTo(point) if drawing else path.moveTo(point)
            drawing = True
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("line"))
        painter.drawPath(path)

    def _paint_sensor(self, painter: QPainter) -> None:
        corners = self.outline()
        painter.setPen(theme.pen("accent", 1.8))
        painter.setBrush(theme.colour("accent", 0.06))
        painter.drawPolygon(corners)
        if corners.count() < 4:
            return
        # the side that is up on the sensor
        middle = (corners.at(0) + corners.at(1)) / 2
        centre = (corners.at(0) + corners.at(2)) / 2
        way = middle - centre
        length = math.hypot(way.x(), way.y()) or 1.0
        painter.drawLine(middle, middle + way * (10 / length))
        painter.drawLine(centre - QPointF(5, 0), centre + QPointF(5, 0))
        painter.drawLine(centre - QPointF(0, 5), centre + QPointF(0, 5))

    # -- pointer and keys ---------------------------------------------------------------------------------

    def zoom_by(self, factor: float) -> None:
        wanted = min(_LARGEST_FIELD_DEG, max(_SMALLEST_FIELD_DEG, self.height_deg / factor))
        if wanted != self.height_deg:
            self.height_deg = wanted
            self._want_field()

    def pan(self, by: QPointF) -> None:
        xi, eta = by.x() / self.px_per_deg, by.y() / self.px_per_deg
        ra, dec = deproject(xi, eta, *self._centre)
        self._centre = (float(ra), min(89.5, max(-89.5, float(dec))))
        self.update()

    def reset(self) -> None:
        if self._target is not None:
            self.show_target(self._target, self._sensor_deg, self.angle_deg)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom_by(1.2 ** (event.angleDelta().y() / 120))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._dragged_from = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._dragged_from is not None:
            self.pan(event.position() - self._dragged_from)
            self._dragged_from = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragged_from is not None:
            self._dragged_from = None
            self._want_field()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._dragged_from = None
        self.reset()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """+ and − zoom, 0 puts the target back in the middle, arrows pan."""
        if event is None:
            return
        key, step = event.key(), 60.0
        pans = {
            Qt.Key.Key_Left: QPointF(step, 0),
            Qt.Key.Key_Right: QPointF(-step, 0),
            Qt.Key.Key_Up: QPointF(0, step),
            Qt.Key.Key_Down: QPointF(0, -step),
        }
        if key in pans:
            self.pan(pans[Qt.Key(key)])
            self._want_field()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom_by(0.8)
        elif key == Qt.Key.Key_0:
            self.reset()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: object) -> None:
        if self._target is not None:
            self._want_field()
