"""The loupe: what lies under the pointer, pixel by pixel, in a corner of the frame."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from vigil.imaging.stretch import table
from vigil.ui.image.view import FrameView, Under
from vigil.ui.picture import Picture, write
from vigil.ui.theme import Size, number_font, theme

_SIDE_PX, _HALF, _MARGIN = 168, 10, 10
"""Of the loupe on screen, and pixels of the frame on each side of the middle one."""


class Loupe(Picture):
    """Goes to the corner away from the pointer. `steps` along the row through the middle are its profile."""

    def __init__(self, frame: FrameView) -> None:
        super().__init__(frame)
        self._frame = frame
        self._under: Under | None = None
        self.on = False
        self.setFixedSize(_SIDE_PX, _SIDE_PX)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()
        frame.pointed.connect(self._follow)

    def switch(self, on: bool) -> None:
        self.on = on
        self.setVisible(on and self._under is not None)

    def _follow(self, under: Under | None) -> None:
        self._under = under
        self.setVisible(self.on and under is not None)
        if under is not None and self.on:
            parent: QWidget = self._frame
            left = self._frame.to_widget(under.column, under.row).x() > parent.width() / 2
            x = _MARGIN if left else parent.width() - _SIDE_PX - _MARGIN
            self.move(int(x), _MARGIN)
            self.update()

    def patch(self) -> NDArray[np.uint16] | None:
        """The pixels shown, row 0 at the bottom; beyond the frame's edge 0."""
        pyramid, under = self._frame.pyramid, self._under
        if pyramid is None or under is None:
            return None
        side = 2 * _HALF + 1
        found = np.zeros((side, side), np.uint16)
        rows, columns = pyramid.image.shape
        top, left = under.row - _HALF, under.column - _HALF
        r0, r1 = max(0, top), min(rows, top + side)
        c0, c1 = max(0, left), min(columns, left + side)
        found[r0 - top : r1 - top, c0 - left : c1 - left] = pyramid.image[r0:r1, c0:c1]
        return found

    def paint(self, painter: QPainter) -> None:
        patch, under = self.patch(), self._under
        if patch is None or under is None:
            return
        tones = np.ascontiguousarray(table(self._frame.stretch)[patch][::-1])
        wide = -(-tones.shape[1] // 4) * 4
        padded = np.pad(tones, ((0, 0), (0, wide - tones.shape[1])))
        image = QImage(padded.tobytes(), *tones.shape[::-1], wide, QImage.Format.Format_Indexed8)
        image.setColorTable(theme.greys())
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.fillRect(self.rect(), theme.colour("well"))
        painter.drawImage(QRectF(self.rect()), image)
        step = _SIDE_PX / tones.shape[0]
        middle = QRectF(_HALF * step, _HALF * step, step, step)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("select", 1.2))
        painter.drawRect(middle)
        painter.setPen(theme.pen("line", 1.0))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        font = number_font(Size.SMALL)
        painter.fillRect(QRectF(1, _SIDE_PX - 17, _SIDE_PX - 2, 16), theme.colour("ink", 0.7))
        said = f"{int(patch.max())} ADU at most"
        write(painter, QPointF(6, _SIDE_PX - 5), said, "text", font)
