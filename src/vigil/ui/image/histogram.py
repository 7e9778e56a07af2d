"""The frame's histogram with its black and white point, to be dragged."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath
from PyQt6.QtWidgets import QWidget

from vigil.imaging.stretch import LEVELS, Stretch, histogram
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, theme

_BINS = 200
_GRAB_PX, _ROOM_FOR_UNIT_PX = 12, 200
_KEY_STEP = 0.01


class Histogram(Picture):
    """Counts (their logarithm) from a little under black to a little over white; handles under it."""

    stretched = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(52)
        self.setMinimumWidth(160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip("Drag the black or the white point; arrows move black, Shift+arrows white")
        self._counts: NDArray[np.int64] | None = None
        self._low, self._high = 0.0, float(LEVELS)
        self._stretch: Stretch | None = None
        self._held = ""
        self._describe()

    @property
    def stretch(self) -> Stretch | None:
        return self._stretch

    def show_image(self, image: NDArray[np.uint16], stretch: Stretch) -> None:
        reach = stretch.white - stretch.black
        self._low = max(0.0, stretch.black - 0.15 * reach)
        self._high = min(float(LEVELS - 1), stretch.white + 0.15 * reach)
        self._counts = histogram(image, self._low, self._high, _BINS)
        self._stretch = stretch
        self._describe()
        self.update()

    def clear(self) -> None:
        self._counts = self._stretch = None
        self.update()

    def _describe(self) -> None:
        said = "none"
        if self._stretch is not None:
            said = f"black {self._stretch.black:.0f}, white {self._stretch.white:.0f} ADU"
        self.setAccessibleName(f"Histogram: {said}")

    def _x(self, adu: float) -> float:
        return (adu - self._low) / (self._high - self._low) * self.width()

    def paint(self, painter: QPainter) -> None:
        bottom = self.height() - 16.0
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(0, bottom + 0.5), QPointF(self.width(), bottom + 0.5))
        if self._counts is None or self._stretch is None:
            return
        heights = np.log1p(self._counts) / max(1.0, float(np.log1p(self._counts.max())))
        path = QPainterPath(QPointF(0, bottom))
        for i, height in enumerate(heights):
            path.lineTo(QPointF(self.width() * (i + 0.5) / _BINS, bottom - height * (bottom - 2)))
        path.lineTo(QPointF(self.width(), bottom))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("soft", 0.35))
        painter.drawPath(path)
        self._paint_curve(painter, bottom)
        font = number_font(Size.SMALL)
        black, white = self._stretch.black, self._stretch.white
        for adu, name in ((black, "black"), (white, "white")):
            x = self._x(adu)
            painter.setPen(theme.pen("select" if self._held == name else "text", 1.5))
            painter.drawLine(QPointF(x, 2), QPointF(x, bottom + 4))
        write(painter, QPointF(0, self.height() - 2), f"black {words.grouped(black)}", "soft", font)
        unit = " ADU" if self.width() > _ROOM_FOR_UNIT_PX else ""
        last = f"white {words.grouped(white)}{unit}"
        write(painter, QPointF(self.width(), self.height() - 2), last, "soft", font, RIGHT)

    def _paint_curve(self, painter: QPainter, bottom: float) -> None:
        assert self._stretch is not None
        levels = np.linspace(self._low, self._high, 64)
        tones = self._stretch.tone(levels)
        path = QPainterPath()
        for i, (adu, tone) in enumerate(zip(levels, tones, strict=True)):
            point = QPointF(self._x(float(adu)), bottom - float(tone) * (bottom - 2))
            path.lineTo(point) if i else path.moveTo(point)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("faint", 1.0))
        painter.drawPath(path)

    # -- changing ---------------------------------------------------------------------------------------

    def _move(self, which: str, adu: float) -> None:
        old = self._stretch
        if old is None:
            return
        gap = max(2.0, 0.01 * (self._high - self._low))
        if which == "black":
            black, white = min(max(self._low, adu), old.white - gap), old.white
        else:
            black, white = old.black, max(min(self._high, adu), old.black + gap)
        self._stretch = Stretch(black, white, old.softening)
        self._describe()
        self.update()
        self.stretched.emit(self._stretch)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._stretch is None:
            return
        x = event.position().x()
        to_black, to_white = abs(x - self._x(self._stretch.black)), abs(x - self._x(self._stretch.white))
        if min(to_black, to_white) <= _GRAB_PX:
            self._held = "black" if to_black <= to_white else "white"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._move(self._held, self._low + event.position().x() / self.width() * (self._high - self._low))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = ""
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        sign = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key()) if event else None
        if event is None or sign is None or self._stretch is None:
            super().keyPressEvent(event)
            return
        which = "white" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "black"
        here = self._stretch.white if which == "white" else self._stretch.black
        self._move(which, here + sign * _KEY_STEP * (self._high - self._low))
