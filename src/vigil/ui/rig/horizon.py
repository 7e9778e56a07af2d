"""The sky over the site as a polar plot: north up, east left, the zenith in the middle."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPolygonF

from vigil.sky.horizon import Horizon as SkyLine
from vigil.sky.instants import Floats
from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_RINGS_DEG = (30, 60)
_RING_LABEL_AZIMUTH_DEG = 45.0
_MARGIN_PX, _LETTERS_PX = 22.0, 13.0


class Horizon(Picture):
    """The limit under which nothing is exposed, and tonight's targets' ways while it is dark."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._paths: dict[tuple[object, ...], tuple[Floats, Floats]] = {}
        self.setMinimumHeight(250)
        self.setAccessibleName("The sky over the site, with tonight's targets")
        moments = session.moments
        for signal in (
            session.plan.changed,
            session.rig_changed,
            session.sky_changed,
            moments.changed,
            moments.now_changed,
        ):
            signal.connect(self.update)

    @property
    def _radius(self) -> float:
        return min(self.width(), self.height()) / 2 - _MARGIN_PX

    @property
    def _centre(self) -> QPointF:
        return QPointF(self.width() / 2, self._radius + _MARGIN_PX)

    def place(self, altitude_deg: float, azimuth_deg: float) -> QPointF:
        """Where a direction is drawn."""
        away = (90.0 - altitude_deg) / 90.0 * self._radius
        angle = math.radians(azimuth_deg)
        centre = self._centre
        return QPointF(centre.x() - away * math.sin(angle), centre.y() - away * math.cos(angle))

    def paint(self, painter: QPainter) -> None:
        centre, radius = self._centre, self._radius
        painter.setPen(theme.pen("line"))
        painter.setBrush(theme.colour("raised"))
        painter.drawEllipse(centre, radius, radius)
        painter.setPen(theme.pen("soft", 1.3))
        painter.setBrush(theme.colour("well"))
        lowest = self._session.rig.site.minimum_altitude_deg
        painter.drawPolygon(QPolygonF(self._sky_line(lowest)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.points:
            # what is really there, where the minimum altitude lies above it
            painter.setPen(theme.pen("faint", 1.0, dashed=True))
            painter.drawPolygon(QPolygonF(self._sky_line(-5.0)))
        for ring in _RINGS_DEG:
            painter.setPen(theme.pen("line"))
            size = (90.0 - ring) / 90.0 * radius
            painter.drawEllipse(centre, size, size)
            spot = self.place(ring, _RING_LABEL_AZIMUTH_DEG)
            write(painter, spot, f"{ring}°", "faint", number_font(Size.SMALL), CENTRE)
        for name, azimuth in (("N", 0), ("E", 90), ("S", 180), ("W", 270)):
            spot = self.place(-_LETTERS_PX / self._radius * 90.0, azimuth)
            write(painter, QPointF(spot.x(), spot.y() + 4), name, "soft", text_font(Size.SMALL), CENTRE)
        self._paint_targets(painter)

    @property
    def points(self) -> list[tuple[float, float]]:
        """(azimuth, altitude) of the horizon's points."""
        return [(p.azimuth_deg, p.altitude_deg) for p in self._session.rig.site.horizon]

    def _sky_line(self, lowest: float) -> list[QPointF]:
        """The open sky's edge all round, no lower than a minimum."""
        azimuths = np.arange(0.0, 360.0, 1.0)
        heights = SkyLine(tuple(self.points), lowest).altitude_deg(azimuths)
        return [self.place(float(h), float(a)) for a, h in zip(azimuths, heights, strict=True)]

    def _path(self, ra_deg: float, dec_deg: float) -> tuple[Floats, Floats]:
        """Altitudes and azimuths through the night; kept, since hovering paints often."""
        sky = self._session.sky
        key = (sky.noon, ra_deg, dec_deg)
        if key not in self._paths:
            self._paths[key] = sky.path_deg(ra_deg, dec_deg)
        return self._paths[key]

    def _paint_targets(self, painter: QPainter) -> None:
        sky = self._session.sky
        night = sky.sun.lower_than("nautical")
        if night is None:
            return
        dark = (sky.unix_s >= night[0].timestamp()) & (sky.unix_s <= night[1].timestamp())
        taken: list[QRectF] = []
        for block in self._session.plan.plan.blocks:
            altitudes, azimuths = self._path(block.target.ra_deg, block.target.dec_deg)
            path = self._line(altitudes[dark], azimuths[dark])
            painter.setPen(theme.pen("accent", 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            self._paint_moment(painter, altitudes, azimuths)
            spot = path.pointAtPercent(0.15) if path.elementCount() > 1 else QPointF()
            label = QRectF(spot.x() + 4, spot.y() - 14, 70, 16)
            if path.elementCount() > 1 and not any(label.intersects(other) for other in taken):
                taken.append(label)
                where = QPointF(spot.x() + 5, spot.y() - 3)
                write(painter, where, block.target.name, "accent", text_font(Size.SMALL))

    def _line(self, altitudes_deg: Floats, azimuths_deg: Floats) -> QPainterPath:
        """The way above the horizon, broken where it sets."""
        path, drawing = QPainterPath(), False
        for altitude, azimuth in zip(altitudes_deg, azimuths_deg, strict=True):
            if altitude < 0:
                drawing = False
                continue
            point = self.place(float(altitude), float(azimuth))
            path.lineTo(point) if drawing else path.moveTo(point)
            drawing = True
        return path

    def _paint_moment(self, painter: QPainter, altitudes_deg: Floats, azimuths_deg: Floats) -> None:
        """Where the target stands at the moment looked at."""
        nearest = int(np.argmin(np.abs(self._session.sky.unix_s - self._session.moments.shown.timestamp())))
        if altitudes_deg[nearest] > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("text"))
            painter.drawEllipse(self.place(float(altitudes_deg[nearest]), float(azimuths_deg[nearest])), 4, 4)
