"""The polar axis as it was measured: the solved frames round the pole, and the axis beside it."""

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.documents.polar import PolarRecord
from vigil.polar.adjusters import RIGHT_ARCMIN, WAYS
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site
from vigil.sky.tangent import deproject
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.tune.polarseen import PolarSeen

_RINGS_ARCMIN = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 60.0, 120.0, 240.0, 600.0)
_LEAST_REACH_ARCMIN, _LEAST_RADIUS_DEG = 1.0, 2.0
_FIGURES_PX, _LEAST_SIDE_PX = 120.0, 120.0
_MARK = 5.0


class PolarPicture(Picture):
    """Up is up, and one faces the pole."""

    def __init__(self, site: Site) -> None:
        super().__init__()
        self._site = site
        self._seen = PolarSeen()
        self._said = ""
        self.setAccessibleName("The polar axis")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_seen(self, seen: PolarSeen, site: Site, said: str) -> None:
        """`said` stands where nothing is measured yet."""
        self._seen, self._site, self._said = seen, site, said
        record = seen.record
        self.setAccessibleDescription(
            said if record is None or record.total_arcmin is None else f"{record.total_arcmin:.1f}′ in all"
        )
        self.update()

    def copy_text(self) -> str:
        record = self._seen.record
        if record is None:
            return ""
        values = (
            record.altitude_arcmin, record.azimuth_arcmin, record.sigma_altitude_arcmin,
            record.sigma_azimuth_arcmin, record.total_arcmin,
        )  # fmt: skip
        names = "altitude_arcmin\tazimuth_arcmin\tsigma_altitude\tsigma_azimuth\ttotal_arcmin"
        return f"{names}\n" + "\t".join(f"{v:.3f}" if v is not None else "" for v in values)

    # -- drawing --------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        seen = self._seen
        if not seen.frames and seen.record is None:
            write(painter, QPointF(self.rect().center()), self._said, "soft", None, CENTRE)
            return
        side = min((self.width() - 56.0) / 2, self.height() - 44.0 - _FIGURES_PX)
        if side < _LEAST_SIDE_PX:
            self._paint_figures(painter, QPointF(16, 16))
            return
        sky = QRectF(16, 36, side, side)
        near = QRectF(sky.right() + 24, 36, side, side)
        small = text_font(Size.SMALL)
        write(painter, QPointF(sky.left(), 24), "frames round the pole", "soft", small)
        write(painter, QPointF(near.left(), 24), "the axis beside the pole", "soft", small)
        self._paint_frames(painter, sky)
        self._paint_axis(painter, near)
        self._paint_figures(painter, sky.bottomLeft() + QPointF(0, 16))

    @property
    def _east(self) -> float:
        """Where east is on the picture: to the right where one faces north."""
        return 1.0 if self._site.latitude_deg >= 0 else -1.0

    def _paint_frames(self, painter: QPainter, box: QRectF) -> None:
        outlines = [(frame["number"], self._outline(frame)) for frame in self._seen.frames]
        reach = [math.hypot(*corner) for _, corners in outlines for corner in corners]
        radius = max([_LEAST_RADIUS_DEG, *reach]) * 1.08
        scale = box.width() / 2 / radius

        def at(place: tuple[float, float]) -> QPointF:
            return box.center() + QPointF(place[0], -place[1]) * scale

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("line"))
        painter.drawRect(box)
        painter.save()
        painter.setClipRect(box)
        for ring in range(1, math.ceil(radius * 1.5)):
            if radius > 12 and ring % 5:
                continue
            painter.drawEllipse(box.center(), ring * scale, ring * scale)
        for number, corners in outlines:
            newest = number == len(outlines)
            painter.setPen(theme.pen("accent" if newest else "soft", 1.6 if newest else 1.2))
            painter.drawPolygon(QPolygonF([at(corner) for corner in corners[:4]]))
            # the side that rows rise to
            painter.drawLine(at(_between(corners[0], corners[2])), at(_between(corners[2], corners[3])))
            write(
                painter, at(corners[4]) + QPointF(0, 5), str(number), "text", number_font(Size.BODY), CENTRE
            )
        self._cross(painter, box.center(), "text")
        record = self._seen.record
        if record is not None and len(outlines) >= self._seen.frames_wanted:
            place = self._error(record)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("accent"))
            painter.drawEllipse(at((place[0] / 60, place[1] / 60)), _MARK - 1, _MARK - 1)
        painter.restore()
        write(painter, box.bottomRight() + QPointF(-8, -8), f"{radius:.0f}° to the edge", "soft",
              number_font(Size.SMALL), RIGHT)  # fmt: skip

    def _outline(self, frame: dict[str, Any]) -> list[tuple[float, float]]:
        """Its corners and its middle, degrees to the right of the pole and above it."""
        across, high = frame["field_deg"]
        turn = math.radians(frame["position_angle_deg"])
        corners = [(-1, -1), (1, -1), (1, 1), (-1, 1), (0, 0)]
        east = np.array(
            [x * across / 2 * -math.cos(turn) + y * high / 2 * math.sin(turn) for x, y in corners]
        )
        north = np.array(
            [x * across / 2 * math.sin(turn) + y * high / 2 * math.cos(turn) for x, y in corners]
        )
        ra, dec = deproject(east, north, frame["ra_deg"], frame["dec_deg"])
        at = from_datetimes(datetime.fromisoformat(frame["at"]))
        seen = observe(ra, dec, at, self._site.airless())
        away = 90 - np.abs(seen.dec_deg)
        hour = np.radians(seen.hour_angle_deg)
        x, y = -self._east * away * np.sin(hour), away * np.cos(hour)
        return list(zip(x.tolist(), y.tolist(), strict=True))

    def _error(self, record: PolarRecord) -> tuple[float, float]:
        """Arc-minutes to the right of the pole and above it."""
        return self._east * (record.azimuth_arcmin or 0.0), record.altitude_arcmin or 0.0

    def _paint_axis(self, painter: QPainter, box: QRectF) -> None:
        seen = self._seen
        records = [r for r in (seen.before, seen.record) if r is not None]
        places = [self._error(record) for record in records]
        live = self._live()
        far = max([_LEAST_REACH_ARCMIN, *(math.hypot(*p) for p in places)])
        reach = 1.25 * far
        scale = box.width() / 2 / reach

        def at(place: Sequence[float]) -> QPointF:
            return box.center() + QPointF(place[0], -place[1]) * scale

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("line"))
        painter.drawRect(box)
        painter.save()
        painter.setClipRect(box)
        for ring in _RINGS_ARCMIN:
            px = ring * scale
            if 24 < px < box.width():
                painter.setPen(theme.pen("line"))
                painter.drawEllipse(box.center(), px, px)
                if px < box.width() / 2 - 8:
                    write(painter, box.center() + QPointF(4, -px - 3), f"{ring:g}′", "faint",
                          number_font(Size.SMALL))  # fmt: skip
        self._cross(painter, box.center(), "text")
        write(painter, box.center() + QPointF(9, 16), "pole", "soft", text_font(Size.SMALL))
        for record, place in zip(records, places, strict=True):
            now = record is seen.record
            self._paint_record(painter, record, at(place), scale, now)
        if len(places) == 2:
            painter.setPen(theme.pen("soft", 1.2, dashed=True))
            painter.drawLine(at(places[0]), at(places[1]))
        if live is not None:
            painter.setPen(theme.pen("select", 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at(live), _MARK + 2, _MARK + 2)
        painter.restore()
        small = text_font(Size.SMALL)
        write(painter, QPointF(box.center().x(), box.top() + 14), "higher", "soft", small, CENTRE)
        right = "east" if self._east > 0 else "west"
        write(painter, QPointF(box.right() - 6, box.center().y() - 6), right, "soft", small, RIGHT)

    def _live(self) -> tuple[float, float] | None:
        told = self._seen.live
        if "altitude_arcmin" not in told:
            return None
        return self._east * told["azimuth_arcmin"], told["altitude_arcmin"]

    def _paint_record(
        self, painter: QPainter, record: PolarRecord, place: QPointF, scale: float, now: bool
    ) -> None:
        role = "accent" if now else "soft"
        half_x, half_y = (
            1.96 * (sigma or 0.0) * scale
            for sigma in (record.sigma_azimuth_arcmin, record.sigma_altitude_arcmin)
        )
        painter.setPen(theme.pen(role, 1.4))
        painter.setBrush(theme.colour(role, 0.25))
        painter.drawEllipse(place, max(half_x, 1.0), max(half_y, 1.0))
        painter.setBrush(theme.colour(role) if now else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(place, _MARK, _MARK)
        if self._seen.before is not None:
            word = "now" if now else "before"
            write(painter, place + QPointF(9, -7), word, role, text_font(Size.SMALL))

    @staticmethod
    def _cross(painter: QPainter, at: QPointF, role: str) -> None:
        painter.setPen(theme.pen(role, 1.2))
        painter.drawLine(at - QPointF(8, 0), at + QPointF(8, 0))
        painter.drawLine(at - QPointF(0, 8), at + QPointF(0, 8))

    def _paint_figures(self, painter: QPainter, corner: QPointF) -> None:
        """The total large, each axis beside it with what to do."""
        seen, record = self._seen, self._seen.record
        if record is None or (seen.frames and len(seen.frames) < seen.frames_wanted):
            said = f"{len(seen.frames)} of {seen.frames_wanted} frames"
            write(painter, corner + QPointF(0, 28), said, "text", text_font(Size.LARGE, True))
            for n, frame in enumerate(seen.frames):
                said = f"{frame['number']}: {frame['stars']} stars, turned {frame['position_angle_deg']:.1f}°"
                write(painter, corner + QPointF(210.0 * n, 60), said, "soft")
            return
        figure = number_font(Size.FIGURE, strong=True)
        width = write(painter, corner + QPointF(0, 52), f"{record.total_arcmin or 0.0:.1f}′", "text", figure)
        before = seen.before
        below = "off the pole"
        if before is not None and before.total_arcmin is not None:
            below += f"; {before.total_arcmin:.1f}′ before"
        write(painter, corner + QPointF(0, 82), below, "soft")
        x = max(width, 170.0) + 40
        for name, error, sigma in (
            ("altitude", record.altitude_arcmin, record.sigma_altitude_arcmin),
            ("azimuth", record.azimuth_arcmin, record.sigma_azimuth_arcmin),
        ):
            if error is None:
                continue
            right = abs(error) <= RIGHT_ARCMIN
            way = "right" if right else WAYS[name][error > 0]  # type: ignore[index]
            write(painter, corner + QPointF(x, 24), name, "soft")
            said = f"{abs(error):.1f}′ ± {sigma or 0:.1f}′"
            write(painter, corner + QPointF(x, 52), said, "text", number_font(Size.LARGE, strong=True))
            font = text_font(Size.HEAD, True)
            write(painter, corner + QPointF(x, 82), f"{way[:1].upper()}{way[1:]}", "accent", font)
            x += 220


def _between(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float]:
    return (one[0] + other[0]) / 2, (one[1] + other[1]) / 2
