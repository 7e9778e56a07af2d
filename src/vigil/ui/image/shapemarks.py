"""How long stars are across a frame and which way, and its clipped pixels: drawn over it."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from vigil.imaging.shapes import Shapes, clipped, over_field
from vigil.ui.image.view import FrameView
from vigil.ui.picture import write
from vigil.ui.theme import Size, text_font, theme

_MOST_STARS, _MOST_PIXELS = 1500, 20_000
_LONG_PX = 90.0
"""Length of the tick of a star that is twice as long as wide."""
_FULL_SHARE = 0.98


@dataclass(frozen=True, slots=True)
class ShapeMarks:
    """Ticks over the field, the frame's median elongation, and where pixels are clipped."""

    ticks: Shapes
    elongation: float
    columns: NDArray[np.intp]
    rows: NDArray[np.intp]


def shape_marks(path: Path, full_scale_adu: float) -> ShapeMarks:
    """Of a frame's file: for a worker thread. Raises files.fits.BadFrame, ValueError."""
    # imported here: star detection and FITS take longer to import than the window to open
    from vigil.files.fits import read_frame
    from vigil.imaging.mosaic import luminance
    from vigil.imaging.stars import bright_shapes, find_stars, robust_median

    frame = read_frame(path)
    image = luminance(frame.image) if "BAYERPAT" in frame.header else frame.image
    level = _FULL_SHARE * full_scale_adu
    stars, _, _, data = find_stars(image, level)
    shapes = bright_shapes(stars, data, _MOST_STARS)
    rows, columns = image.shape
    return ShapeMarks(
        over_field(shapes, (rows, columns)), robust_median(shapes.elongation), *clipped(image, level)
    )


def paint_shape_marks(painter: QPainter, view: FrameView, marks: ShapeMarks, area: QRectF) -> None:
    """Ticks as long as the stars are long; clipped pixels as red squares."""
    painter.setPen(theme.pen("accent", 2.0))
    for x, y, longer, angle in zip(
        marks.ticks.x_px,
        marks.ticks.y_px,
        marks.ticks.elongation - 1,
        np.radians(marks.ticks.angle_deg),
        strict=True,
    ):
        at, half = view.to_widget(float(x), float(y)), max(1.0, float(longer) * _LONG_PX) / 2
        way = QPointF(half * float(np.cos(angle)), -half * float(np.sin(angle)))
        painter.drawLine(at - way, at + way)
    size = max(2.0, view.zoom)
    colour = theme.colour("fault")
    for column, row in zip(marks.columns[:_MOST_PIXELS], marks.rows[:_MOST_PIXELS], strict=True):
        at = view.to_widget(float(column), float(row))
        painter.fillRect(QRectF(at.x() - size / 2, at.y() - size / 2, size, size), colour)
    stars = "no stars" if np.isnan(marks.elongation) else f"elongation {marks.elongation:.2f}"
    said = f"{stars}; {marks.columns.size} pixels clipped"
    font = text_font(Size.SMALL, strong=True)
    write(painter, QPointF(area.left() + 10, area.bottom() - 10), said, "accent", font)
