"""The mount drawn from one side: pier, polar axis, counterweight, tube and camera, and the limits of its
turn."""

import math

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from vigil.planning.mountpose import Camera, Frame, Pose, saddle_of
from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import Size, text_font, theme

_REACH = 1.4
_PIER, _HEAD = 1.25, 0.32
_SADDLE, _SHAFT = 0.42, 0.78
_FRONT, _BACK, _CAMERA = 0.72, 0.5, 0.16
_TURN_DEG_PX = 0.4
_ARC = 1.12
_LEVEL, _APART_PX = 0.8, 8


class MountView(Picture):
    """Drag turns it, a double click puts it back. `later` is drawn thin beside the mount as it is."""

    def __init__(self, name: str, usual: Camera, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._name, self._usual, self.camera = name, usual, usual
        self._frame: Frame | None = None
        self._pose: Pose | None = None
        self._later: Pose | None = None
        self._limits_min: list[tuple[float, str, str]] = []
        self._dragged_from: QPointF | None = None
        self.setMinimumHeight(220)
        self.setAccessibleName(f"The mount {name}")
        self.setToolTip("Drag to look from elsewhere, double click to look as before")

    def show_pose(
        self,
        frame: Frame,
        pose: Pose | None,
        later: Pose | None,
        limits_min: list[tuple[float, str, str]],
    ) -> None:
        """`limits_min` are hour angles of a tube west of the pier, with their words and the role of their
        colour."""
        self._frame, self._pose, self._later, self._limits_min = frame, pose, later, limits_min
        self.update()

    def look_from(self, usual: Camera) -> None:
        """Another usual side: the site has changed."""
        if usual != self._usual:
            self._usual = self.camera = usual
            self.update()

    # -- painting ---------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        title = self._name if self.camera == self._usual else f"{self._name}, turned"
        write(painter, QPointF(0, 14), title, "soft", text_font(Size.SMALL))
        if self._frame is None:
            return
        self._paint_ground(painter)
        self._paint_limits(painter)
        if self._later is not None:
            self._paint_mount(painter, self._later, 0.45)
        if self._pose is not None:
            self._paint_mount(painter, self._pose, 1.0)

    def _at(self, point: NDArray[np.float64]) -> QPointF:
        seen = self.camera.seen(point)[0]
        scale = min(self.width(), self.height() - 20) / (2 * _REACH)
        middle = QPointF(self.width() / 2, 20 + (self.height() - 20) * 0.46)
        return middle + QPointF(float(seen[0]) * scale, -float(seen[1]) * scale)

    def _scale(self) -> float:
        return min(self.width(), self.height() - 20) / (2 * _REACH)

    def _line(
        self, painter: QPainter, one: NDArray[np.float64], other: NDArray[np.float64], pen: QPen
    ) -> None:
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        painter.drawLine(self._at(one), self._at(other))

    def _paint_ground(self, painter: QPainter) -> None:
        foot = np.array([0.0, 0.0, -_PIER])
        for direction, word in (
            ((1, 0, 0), "E"),
            ((-1, 0, 0), "W"),
            ((0, 1, 0), "N"),
            ((0, -1, 0), "S"),
        ):
            there = foot + 0.55 * np.array(direction, dtype=float)
            self._line(painter, foot, there, theme.pen("line", 1.0))
            seen = self.camera.seen(np.array(direction, dtype=float))[0]
            if math.hypot(seen[0], seen[1]) > _LEVEL:  # else it points at the onlooker, or away
                point = self._at(foot + 0.7 * np.array(direction, dtype=float))
                write(painter, point, word, "faint", text_font(Size.SMALL), CENTRE)
        self._line(painter, foot, np.zeros(3), theme.pen("faint", 0.10 * self._scale(), 0.5))

    def _paint_limits(self, painter: QPainter) -> None:
        """On the tube's turn about the polar axis: from where the flip may be made, and what ends it."""
        assert self._frame is not None
        for number, (minutes, said, role) in enumerate(self._limits_min):
            spoke = saddle_of(self._frame, minutes, "west")
            seen = self.camera.seen(spoke)[0]
            if math.hypot(seen[0], seen[1]) < _LEVEL:
                continue
            self._line(painter, 0.75 * spoke, _ARC * spoke, theme.pen(role, 1.5, dashed=True))
            point = self._at(1.25 * spoke) + QPointF(0, 4 + (_APART_PX if number else -_APART_PX))
            write(painter, point, said, role, text_font(Size.SMALL), CENTRE)

    def _paint_mount(self, painter: QPainter, pose: Pose, alpha: float) -> None:
        assert self._frame is not None
        scale, pole, out = self._scale(), self._frame.pole, pose.saddle
        thin = alpha < 1.0
        seat = _SADDLE * out
        parts = [
            (-_HEAD * pole, _HEAD * 1.5 * pole, "soft", 0.10),
            (np.zeros(3), -_SHAFT * out, "soft", 0.045),
            (np.zeros(3), seat, "soft", 0.08),
            (seat - _BACK * pose.tube, seat + _FRONT * pose.tube, "accent", 0.20),
            (seat - (_BACK + _CAMERA) * pose.tube, seat - _BACK * pose.tube, "select", 0.12),
        ]
        # what is nearer is drawn later
        parts.sort(key=lambda part: float(self.camera.seen((part[0] + part[1]) / 2)[0][2]))
        weight = self._at(-_SHAFT * out)
        weight_first = float(self.camera.seen(-_SHAFT * out)[0][2]) < 0
        if weight_first:
            self._paint_weight(painter, weight, alpha)
        for one, other, role, width in parts:
            pen = theme.pen(role, 1.5 if thin else max(2.0, width * scale), alpha)
            self._line(painter, one, other, pen)
        if not weight_first:
            self._paint_weight(painter, weight, alpha)
        if thin:
            return
        tip = seat + (_FRONT + 0.12) * pose.tube
        self._line(painter, tip, tip + 0.25 * pose.tube, theme.pen("accent", 1.0, dashed=True))

    def _paint_weight(self, painter: QPainter, where: QPointF, alpha: float) -> None:
        size = 0.13 * self._scale()
        painter.setPen(theme.pen("soft", 1.5, alpha))
        painter.setBrush(theme.colour("soft", alpha) if alpha == 1.0 else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QRectF(where.x() - size, where.y() - size, 2 * size, 2 * size))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    # -- pointer ------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._dragged_from = event.position() if event is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._dragged_from is None:
            return
        by = (event.position() - self._dragged_from) * _TURN_DEG_PX
        self._dragged_from = event.position()
        if math.hypot(by.x(), by.y()) > 0:
            self.camera = self.camera.turned(-by.x(), by.y())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragged_from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.camera = self._usual
        self.update()
