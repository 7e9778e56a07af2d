"""A flat tried on a light: the light's sky from the middle to the corners, before and after, and both
pictures."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QImage, QPainter, QPainterPath

from vigil.calibration.flatten import Tried
from vigil.imaging.shrink import shrunk
from vigil.ui.focuscurve import stretched
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

Floats = NDArray[np.float32]
_SHOWN_PX = 420
_AXIS_PX = 56.0


@dataclass(frozen=True, slots=True)
class TriedOn:
    """What came of it, what it was tried on in words, and both pictures, small."""

    tried: Tried
    words: str
    before: Floats
    after: Floats


def small_pictures(tried: Tried) -> tuple[Floats, Floats]:
    """Before and after, shrunk to what is shown."""
    times = max(1, max(tried.bare.shape) // _SHOWN_PX)
    return shrunk(tried.bare, times), shrunk(tried.flattened, times)


class TryPicture(Picture):
    """Both pictures with one stretch each about their sky, the profile under them."""

    def __init__(self) -> None:
        super().__init__()
        self._tried: TriedOn | None = None
        self._said = ""
        self._images: tuple[QImage, QImage] | None = None
        theme.changed.connect(self._drop)
        self.setAccessibleName("A flat tried on a light")

    def show_tried(self, tried: TriedOn | None, said: str) -> None:
        """`said` where nothing is tried yet."""
        if tried is not self._tried:
            self._images = None
        self._tried, self._said = tried, said
        self.setAccessibleDescription(self._verdict() if tried is not None else said)
        self.update()

    def copy_text(self) -> str:
        if self._tried is None:
            return ""
        found = self._tried.tried
        rows = zip(found.distance, found.before, found.after, strict=True)
        return "distance\tbefore\tafter\n" + "\n".join(f"{d:.3f}\t{b:.4f}\t{a:.4f}" for d, b, a in rows)

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        if self._tried is None:
            write(painter, QPointF(Size.MARGIN, 32), self._said, "soft")
            return
        write(painter, QPointF(Size.MARGIN, 24), self._tried.words, "text")
        write(painter, QPointF(Size.MARGIN, 44), self._verdict(), "soft", text_font(Size.SMALL))
        half = (self.width() - 3 * Size.MARGIN) / 2
        tall = min(half * self._ratio(), (self.height() - 70) * 0.52)
        for k, (image, name) in enumerate(zip(self._drawn(), ("as it is", "with the flat"), strict=True)):
            wide = tall / self._ratio()
            left = Size.MARGIN + k * (half + Size.MARGIN) + (half - wide) / 2
            painter.drawImage(QRectF(left, 58, wide, tall), image)
            write(
                painter, QPointF(left + wide / 2, 58 + tall + 16), name, "soft", text_font(Size.SMALL), CENTRE
            )
        top = 58 + tall + 36
        wide = self.width() - 2 * Size.MARGIN - _AXIS_PX
        box = QRectF(Size.MARGIN + _AXIS_PX, top, wide, max(60.0, self.height() - top - 40))
        self._paint_profile(painter, box)

    def _paint_profile(self, painter: QPainter, box: QRectF) -> None:
        assert self._tried is not None
        found = self._tried.tried
        low = min(0.95, min(*found.before, *found.after) - 0.02)
        high = max(1.05, max(*found.before, *found.after) + 0.02)

        def at(distance: float, share: float) -> QPointF:
            y = box.bottom() - (share - low) / (high - low) * box.height()
            return QPointF(box.left() + distance * box.width(), y)

        painter.setPen(theme.pen("faint", 1.0, dashed=True))
        painter.drawLine(at(0, 1), at(1, 1))
        for share in (low, 1.0, high):
            text = f"{100 * share:.0f} %"
            write(painter, at(0, share) + QPointF(-8, 4), text, "soft", number_font(Size.SMALL), RIGHT)
        for values, role, dashed in ((found.before, "soft", True), (found.after, "accent", False)):
            path = QPainterPath(at(found.distance[0], values[0]))
            for distance, share in zip(found.distance[1:], values[1:], strict=True):
                path.lineTo(at(distance, share))
            painter.setPen(theme.pen(role, 2.0, dashed=dashed))
            painter.drawPath(path)
        painter.setPen(theme.pen("line"))
        painter.drawRect(box)
        key = "the sky from the middle (left) to the corners; dashed as it is, solid with the flat"
        write(painter, QPointF(box.left(), box.bottom() + 20), key, "soft", text_font(Size.SMALL))

    def _verdict(self) -> str:
        assert self._tried is not None
        found = self._tried.tried
        off = 100 * (max(found.after) - min(found.after))
        said = "even" if off < 1 else f"uneven by {off:.1f} %: another flat, or another light in it"
        before, after = 100 * found.corner_before, 100 * found.corner_after
        return f"corners at {before:.1f} % of the middle, with the flat at {after:.1f} %: {said}"

    def _ratio(self) -> float:
        assert self._tried is not None
        rows, columns = self._tried.before.shape
        return float(rows / columns)

    def _drawn(self) -> tuple[QImage, QImage]:
        if self._images is None:
            assert self._tried is not None
            self._images = _shown(self._tried.before), _shown(self._tried.after)
        return self._images

    def _drop(self) -> None:
        self._images = None
        self.update()


def _shown(image: Floats) -> QImage:
    """Its sky a dark grey, a fifth less black, a fifth more nearly white: vignetting is what is to be
    seen."""
    middle = float(np.median(image))
    return stretched((image / max(middle, 1e-6) - 0.75) / 0.5, 1.0)
