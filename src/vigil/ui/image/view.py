"""A frame, large: fitted or at one screen pixel a pixel, zoomed with the wheel, panned with a drag."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QWidget

from vigil.imaging.pyramid import Pyramid
from vigil.imaging.stretch import Stretch, table
from vigil.ui.picture import Picture
from vigil.ui.theme import theme

_WHEEL_STEP = 1.25
_LARGEST_ZOOM = 16.0
_KEY_PAN_PX = 80.0


@dataclass(frozen=True, slots=True)
class Under:
    """What lies under the pointer: 0-based column and row, and the value there."""

    column: int
    row: int
    adu: int


class FrameView(Picture):
    """Row 0 is at the bottom, as the files have it. `zoom` is screen pixels a pixel."""

    pointed = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The frame")
        self._pyramid: Pyramid | None = None
        self._table: NDArray[np.uint8] | None = None
        self._stretch: Stretch | None = None
        self._zoom: float | None = None
        self._centre = QPointF()
        self._dragged_from: QPointF | None = None
        self._overlay: Callable[[QPainter], None] | None = None
        self._rendered: tuple[tuple[int, int, int, int, int], QImage] | None = None
        theme.changed.connect(self._forget_rendered)

    # -- what is shown --------------------------------------------------------------------------------

    @property
    def pyramid(self) -> Pyramid | None:
        return self._pyramid

    def show_frame(self, pyramid: Pyramid, stretch: Stretch) -> None:
        """Another frame of the same size keeps zoom and place."""
        same = self._pyramid is not None and self._pyramid.image.shape == pyramid.image.shape
        self._pyramid = pyramid
        if not same:
            rows, columns = pyramid.image.shape
            self._zoom, self._centre = None, QPointF(columns / 2, rows / 2)
        self.set_stretch(stretch)

    @property
    def stretch(self) -> Stretch:
        """The one in force."""
        assert self._stretch is not None, "there is a frame"
        return self._stretch

    def set_stretch(self, stretch: Stretch) -> None:
        self._stretch = stretch
        self._table = table(stretch)
        self._forget_rendered()

    def clear(self) -> None:
        self._pyramid = None
        self._forget_rendered()

    def _forget_rendered(self) -> None:
        self._rendered = None
        self.update()

    # -- zoom and place ---------------------------------------------------------------------------------

    @property
    def fitted(self) -> bool:
        return self._zoom is None

    @property
    def zoom(self) -> float:
        if self._zoom is not None:
            return self._zoom
        if self._pyramid is None:
            return 1.0
        rows, columns = self._pyramid.image.shape
        return min(self.width() / columns, self.height() / rows)

    def fit(self) -> None:
        self._zoom = None
        if self._pyramid is not None:
            rows, columns = self._pyramid.image.shape
            self._centre = QPointF(columns / 2, rows / 2)
        self.update()

    def zoom_to(self, zoom: float, about: QPointF | None = None) -> None:
        """Set the zoom; the image point under `about` (widget coordinates) stays where it is."""
        about = about or QPointF(self.rect().center())
        fixed = self.to_image(about)
        rows_columns = self._pyramid.image.shape if self._pyramid is not None else (1, 1)
        least = min(self.width() / rows_columns[1], self.height() / rows_columns[0]) / 2
        self._zoom = min(_LARGEST_ZOOM, max(least, zoom))
        off = (about - QPointF(self.width() / 2, self.height() / 2)) / self._zoom
        self._centre = QPointF(fixed.x() - off.x(), fixed.y() - off.y())
        self._keep_inside()
        self.update()

    def one_to_one(self) -> None:
        """One pixel of the frame on one of the screen."""
        self.zoom_to(1.0 / self.devicePixelRatioF())

    def pan(self, by: QPointF) -> None:
        """Move the picture by screen pixels."""
        if self._zoom is None:
            self._zoom = self.zoom
        self._centre = self._centre - by / self._zoom
        self._keep_inside()
        self.update()

    def _keep_inside(self) -> None:
        if self._pyramid is None:
            return
        rows, columns = self._pyramid.image.shape
        self._centre = QPointF(
            min(float(columns), max(0.0, self._centre.x())), min(float(rows), max(0.0, self._centre.y()))
        )

    def to_image(self, where: QPointF) -> QPointF:
        """Widget coordinates to image coordinates, x to the right, y downward from the top edge."""
        zoom = self.zoom
        return QPointF(
            self._shown_centre().x() + (where.x() - self.width() / 2) / zoom,
            self._shown_centre().y() + (where.y() - self.height() / 2) / zoom,
        )

    def to_widget(self, column: float, row: float) -> QPointF:
        """Where an image pixel (row 0 at the bottom) is drawn."""
        assert self._pyramid is not None
        x, y = column + 0.5, self._pyramid.image.shape[0] - (row + 0.5)
        centre, zoom = self._shown_centre(), self.zoom
        return QPointF(
            self.width() / 2 + (x - centre.x()) * zoom, self.height() / 2 + (y - centre.y()) * zoom
        )

    def _shown_centre(self) -> QPointF:
        if self._zoom is None and self._pyramid is not None:
            rows, columns = self._pyramid.image.shape
            return QPointF(columns / 2, rows / 2)
        if self._zoom is not None and abs(self._zoom * self.devicePixelRatioF() - 1) < 1e-9:
            # at one to one the frame's pixels fall on the screen's, unblurred
            half_wide, half_high = self.width() / 2 / self._zoom, self.height() / 2 / self._zoom
            return QPointF(
                round(self._centre.x() - half_wide) + half_wide,
                round(self._centre.y() - half_high) + half_high,
            )
        return self._centre

    # -- drawing ----------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        if self._pyramid is None or self._table is None:
            return
        ratio = self.devicePixelRatioF()
        zoom = self.zoom
        halvings = self._pyramid.halvings_for(zoom * ratio)
        level = self._pyramid.level(halvings)
        step = 2**halvings
        top_left = self.to_image(QPointF(0, 0))
        bottom_right = self.to_image(QPointF(self.width(), self.height()))
        left, top = (max(0, int(v // step)) for v in (top_left.x(), top_left.y()))
        right = min(level.shape[1], int(bottom_right.x() // step) + 2)
        bottom = min(level.shape[0], int(bottom_right.y() // step) + 2)
        if right <= left or bottom <= top:
            return
        image = self._render(level, halvings, left, top, right, bottom)
        corner = QPointF(
            (left * step - top_left.x()) * zoom,
            (top * step - top_left.y()) * zoom,
        )
        size = QSizeF((right - left) * step * zoom, (bottom - top) * step * zoom)
        painter.setRenderHint(
            QPainter.RenderHint.SmoothPixmapTransform, zoom * ratio * step < 3.0 and zoom * ratio != 1.0
        )
        painter.drawImage(QRectF(corner, size), image)
        if self._overlay is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._overlay(painter)

    def set_overlay(self, paint: Callable[[QPainter], None] | None) -> None:
        """What is drawn over the frame, in the widget's pixels; None takes it away."""
        if paint is not None or self._overlay is not None:
            self._overlay = paint
            self.update()

    def _render(
        self, level: NDArray[np.uint16], halvings: int, left: int, top: int, right: int, bottom: int
    ) -> QImage:
        """The visible part of a level through the table; kept while neither changes."""
        key = (halvings, left, top, right, bottom)
        if self._rendered is not None and self._rendered[0] == key:
            return self._rendered[1]
        assert self._table is not None
        rows = level.shape[0]
        seen = level[rows - bottom : rows - top, left:right][::-1]
        tones = self._table[seen]
        wide = -(-tones.shape[1] // 4) * 4
        if wide != tones.shape[1]:  # Qt wants lines of whole words
            tones = np.pad(tones, ((0, 0), (0, wide - tones.shape[1])))
        image = QImage(tones.tobytes(), right - left, bottom - top, wide, QImage.Format.Format_Indexed8)
        image.setColorTable(theme.greys())
        # painting converts an indexed picture every time; once is enough
        image = image.convertToFormat(QImage.Format.Format_RGB32)
        self._rendered = (key, image)
        return image

    # -- pointer and keys ---------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self._pyramid is None:
            return
        notches = event.angleDelta().y() / 120
        self.zoom_to(self.zoom * _WHEEL_STEP**notches, event.position())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._dragged_from = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragged_from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.fit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._dragged_from is not None:
            self.pan(event.position() - self._dragged_from)
            self._dragged_from = event.position()
        self.pointed.emit(self.under(event.position()))

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(None)

    def under(self, where: QPointF) -> Under | None:
        """The pixel at a place of the widget."""
        if self._pyramid is None:
            return None
        point = self.to_image(where)
        rows, columns = self._pyramid.image.shape
        column, row = int(np.floor(point.x())), rows - 1 - int(np.floor(point.y()))
        if not (0 <= column < columns and 0 <= row < rows):
            return None
        return Under(column, row, int(self._pyramid.image[row, column]))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """+ and − zoom, 0 fits, 1 is one to one, arrows pan."""
        if event is None:
            return
        pans = {
            Qt.Key.Key_Left: QPointF(_KEY_PAN_PX, 0),
            Qt.Key.Key_Right: QPointF(-_KEY_PAN_PX, 0),
            Qt.Key.Key_Up: QPointF(0, _KEY_PAN_PX),
            Qt.Key.Key_Down: QPointF(0, -_KEY_PAN_PX),
        }
        key = event.key()
        if key in pans:
            self.pan(pans[Qt.Key(key)])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_to(self.zoom * _WHEEL_STEP)
        elif key == Qt.Key.Key_Minus:
            self.zoom_to(self.zoom / _WHEEL_STEP)
        elif key == Qt.Key.Key_0:
            self.fit()
        elif key == Qt.Key.Key_1:
            self.one_to_one()
        else:
            super().keyPressEvent(event)
