"""The sensor's outline on the chart: panels, guide field, the handle to turn it by."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.documents.shelf import Framed
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import Mosaic
from vigil.sky.charting import ChartPlane
from vigil.sky.stars import SkyStars
from vigil.ui.picture import CENTRE, write
from vigil.ui.theme import Size, number_font, text_font, theme

HANDLE_PX, GRIP_PX = 22.0, 9.0
_SIDE = np.linspace(-1, 1, 9)
_ROUND = (
    np.concatenate([_SIDE, np.ones(9), _SIDE[::-1], -np.ones(9)]),
    np.concatenate([-np.ones(9), _SIDE, np.ones(9), _SIDE[::-1]]),
)


@dataclass(frozen=True, slots=True)
class Grips:
    """Where the pointer can take hold: the handle's end, and the outline."""

    handle: QPointF
    outline: QPolygonF


def outline_of(footprint: Footprint, plane: ChartPlane) -> QPolygonF:
    """A sensor's four sides on the chart, bent as they are on the sphere."""
    x, y = plane.place(*footprint.to_sky(*_ROUND))
    return QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True) if np.isfinite(a)])


def grips_of(mosaic: Mosaic, plane: ChartPlane) -> Grips | None:
    """None when the frame is too far out to be drawn."""
    corners = np.array(mosaic.outline)
    x, y = plane.place(corners[:, 0], corners[:, 1])
    if not np.all(np.isfinite(x)):
        return None
    top = QPointF(float(x[2] + x[3]) / 2, float(y[2] + y[3]) / 2)
    middle = QPointF(float(x.mean()), float(y.mean()))
    way = top - middle
    length = max((way.x() ** 2 + way.y() ** 2) ** 0.5, 1e-6)
    outline = QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])
    if len(mosaic.panels) == 1:
        outline = outline_of(mosaic.panels[0].footprint, plane)
    return Grips(top + way * (HANDLE_PX / length), outline)


def paint_panels(painter: QPainter, plane: ChartPlane, mosaic: Mosaic, framed: Framed) -> None:
    """Those left out are hatched lightly by a cross; numbers where there is room."""
    single = len(mosaic.panels) == 1
    order = {number: n for n, number in enumerate(framed.in_order, start=1)}
    for panel in mosaic.panels:
        outline = outline_of(panel.footprint, plane)
        if outline.count() < 4:
            continue
        taken = panel.number in order
        painter.setPen(
            theme.pen("accent" if taken else "faint", 1.8 if single else 1.1, 1.0, dashed=not taken)
        )
        painter.setBrush(theme.colour("accent", 0.05 if taken else 0.0))
        painter.drawPolygon(outline)
        room = outline.boundingRect()
        x, y = (float(v) for v in plane.place(panel.footprint.ra_deg, panel.footprint.dec_deg))
        if single or room.width() < 16:
            continue
        said = str(panel.number) if taken else f"({panel.number})"
        font = number_font(Size.SMALL)
        write(painter, QPointF(x, y + 4), said, "accent" if taken else "faint", font, CENTRE)
    _paint_frame(painter, plane, mosaic)


def _paint_frame(painter: QPainter, plane: ChartPlane, mosaic: Mosaic) -> None:
    grips = grips_of(mosaic, plane)
    x, y = (float(v) for v in plane.place(mosaic.centre.ra_deg, mosaic.centre.dec_deg))
    painter.setPen(theme.pen("accent", 1.2))
    if np.isfinite(x):
        painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
        painter.drawLine(QPointF(x, y - 5), QPointF(x, y + 5))
    if grips is None:
        return
    box = grips.outline.boundingRect()
    if max(box.width(), box.height()) < 12:
        painter.drawRect(QRectF(x - 8, y - 8, 16, 16))  # from far away: that there is a frame
        return
    corners = np.array(mosaic.outline)
    cx, cy = plane.place(corners[:, 0], corners[:, 1])
    top = QPointF(float(cx[2] + cx[3]) / 2, float(cy[2] + cy[3]) / 2)
    painter.drawLine(top, grips.handle)
    painter.setBrush(theme.colour("well"))
    painter.setPen(theme.pen("accent", 1.8))
    painter.drawEllipse(grips.handle, 5, 5)


def paint_guide_field(painter: QPainter, plane: ChartPlane, field: Footprint, stars: SkyStars | None) -> None:
    """Its outline, and the stars that a guider could take."""
    outline = outline_of(field, plane)
    if outline.count() < 4 or outline.boundingRect().width() < 6:
        return
    painter.setPen(theme.pen("text", 1.1, 0.75))
    painter.setBrush(theme.colour("text", 0.0))
    painter.drawPolygon(outline)
    if stars is None or outline.boundingRect().width() < 24:
        return
    inside = field.holds(stars.ra_deg, stars.dec_deg)
    x, y = plane.place(stars.ra_deg[inside], stars.dec_deg[inside])
    painter.setPen(theme.pen("text", 1.0, 0.8))
    for k in np.argsort(stars.mag[inside])[:6]:
        painter.drawEllipse(QPointF(float(x[k]), float(y[k])), 4.5, 4.5)
    painter.setFont(text_font(Size.SMALL))


def paint_telescope(
    painter: QPainter, plane: ChartPlane, ra_deg: float, dec_deg: float, sensor: Footprint
) -> None:
    """Where it points now, with the sensor's size there."""
    outline = outline_of(sensor, plane)
    painter.setPen(theme.pen("moment", 1.2, 0.9, dashed=True))
    painter.setBrush(theme.colour("moment", 0.0))
    if outline.count() >= 4 and outline.boundingRect().width() > 14:
        painter.drawPolygon(outline)
    x, y = (float(v) for v in plane.place(ra_deg, dec_deg))
    if not np.isfinite(x):
        return
    painter.setPen(theme.pen("moment", 1.4))
    for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        painter.drawLine(QPointF(x + 4 * dx, y + 4 * dy), QPointF(x + 10 * dx, y + 10 * dy))
