"""What lies on the chart, layer by layer, each drawn by one function."""

from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPainterPath, QPen, QPolygonF

from vigil.files.deepsky import DeepSkyObject
from vigil.files.overlays import Line, constellations, milky_way
from vigil.sky.angles import position_angle_deg
from vigil.sky.charting import ChartPlane
from vigil.sky.horizon import Horizon
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site
from vigil.sky.visibility import turning
from vigil.ui import words
from vigil.ui.labels import Labels
from vigil.ui.targets.field import Field
from vigil.ui.theme import Size, number_font, text_font, theme

_GRID_STEPS_DEG = (30.0, 15.0, 10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05, 0.02)
_MOST_NAMED, _MOST_NAMED_WIDE = 22, 12
_MILKY_FROM_DEG, _BOUNDS_FROM_DEG = 6.0, 3.0
_STAR_SIZES = np.array([1.0, 1.5, 2.2, 3.0, 4.0, 5.2, 6.6, 8.0])


@dataclass(frozen=True, slots=True)
class Layers:
    """Which of them are shown."""

    stars: bool = True
    objects: bool = True
    names: bool = True
    figures: bool = True
    bounds: bool = False
    milky_way: bool = True
    grid: bool = True
    equator: bool = False
    meridian: bool = False
    horizon: bool = True
    telescope: bool = True
    backdrops: bool = True

    def with_(self, name: str, on: bool) -> "Layers":
        return replace(self, **{name: on})


LAYER_WORDS = {
    "stars": "stars",
    "objects": "objects",
    "names": "names",
    "figures": "constellations",
    "bounds": "their bounds",
    "milky_way": "Milky Way",
    "grid": "grid",
    "equator": "equator, pole",
    "meridian": "meridian",
    "horizon": "horizon",
    "telescope": "telescope",
    "backdrops": "my pictures",
}


@dataclass(frozen=True, slots=True)
class Sight:
    """From where and when the sky is looked at: for meridian and horizon."""

    site: Site
    at: datetime
    line: Horizon
    """What hides the rig's sky."""


def zenith_angle_deg(ra_deg: float, dec_deg: float, sight: Sight) -> float:
    """The position angle towards the zenith at a direction: how the eye has it upright."""
    up = turning(from_datetimes(sight.at), sight.site).up.reshape(1, 3)
    ra, dec = _of_date(up)
    return position_angle_deg(ra_deg, dec_deg, float(ra[0]), float(dec[0]))


def paint_milky_way(painter: QPainter, plane: ChartPlane) -> None:
    if plane.height_deg < _MILKY_FROM_DEG:
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("day", 0.16))
    for rings in milky_way():
        path = QPainterPath()
        for ra, dec in rings:
            x, y = plane.place(ra, dec, farthest_deg=179.0)
            on = np.isfinite(x)
            if on.sum() > 3:
                path.addPolygon(_polygon(x[on], y[on]))
                path.closeSubpath()
        if any(path.contains(QPointF(x, y)) for x, y in _off_the_milky_way(plane)):
            # a ring that runs round behind the chart encloses the wrong side
            path.addRect(QRectF(-1e6, -1e6, 2e6, 2e6))
        painter.drawPath(path)


def _off_the_milky_way(plane: ChartPlane) -> list[tuple[float, float]]:
    """Where the galactic poles are drawn, those that are."""
    x, y = plane.place(np.array([192.86, 12.86]), np.array([27.13, -27.13]), farthest_deg=150.0)
    return [(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True) if np.isfinite(a)]


def paint_figures(painter: QPainter, plane: ChartPlane, labels: Labels, bounds: bool, figures: bool) -> None:
    for figure in constellations():
        if bounds and plane.height_deg > _BOUNDS_FROM_DEG:
            for line in figure.bounds:
                paint_line(painter, plane, line, theme.pen("line", 1.0, 0.9, dashed=True))
        if not figures:
            continue
        for line in figure.lines:
            paint_line(painter, plane, line, theme.pen("faint", 1.0, 0.55))
        if plane.height_deg > 12:
            x, y = (float(v) for v in plane.place(figure.ra_deg, figure.dec_deg))
            if np.isfinite(x) and plane.inside(np.array(x), np.array(y)):
                name = figure.name if plane.height_deg < 80 else figure.short
                labels.put(painter, QPointF(x, y), 0, name, "faint", text_font(Size.SMALL))


def paint_grid(painter: QPainter, plane: ChartPlane, labels: Labels) -> None:
    step = next((s for s in _GRID_STEPS_DEG if plane.height_deg / s >= 2.5), _GRID_STEPS_DEG[-1])
    font = number_font(Size.SMALL)
    reach = plane.radius_deg
    pen = theme.pen("line")
    low = max(-90.0, plane.dec_deg - reach)
    high = min(90.0, plane.dec_deg + reach)
    for dec in np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step:
        if abs(dec) >= 90:
            continue
        ra_reach = (
            180.0 if reach + abs(plane.dec_deg) > 85 else reach / np.cos(np.radians(min(85.0, abs(dec))))
        )
        ra = plane.ra_deg + np.linspace(-min(180.0, ra_reach), min(180.0, ra_reach), 121)
        paint_line(painter, plane, (ra, np.full_like(ra, dec)), pen)
        _label_edge(
            painter, plane, labels, (ra, np.full_like(ra, dec)), words.grid_dec(float(dec)), font, True
        )
    cos = np.cos(np.radians(min(abs(plane.dec_deg), 89.0)))
    ra_step = _hour_step(step / max(cos, 0.02))
    wide = reach + abs(plane.dec_deg) > 85
    half = 180.0 if wide else min(180.0, reach / max(cos, 0.02) * 1.2)
    first = np.ceil((plane.ra_deg - half) / ra_step) * ra_step
    top = 90.0 - (step if wide else 0.0)
    for ra in np.arange(first, plane.ra_deg + half + 1e-9, ra_step):
        dec = np.linspace(max(-top, low), min(top, high), 91)
        line = (np.full_like(dec, ra), dec)
        paint_line(painter, plane, line, pen)
        _label_edge(painter, plane, labels, line, words.grid_ra(float(ra)), font, False)


def paint_marks(
    painter: QPainter, plane: ChartPlane, labels: Labels, layers: Layers, sight: Sight | None
) -> None:
    """Equator and pole; meridian and horizon at the moment."""
    if layers.equator:
        ra = np.linspace(0, 360, 361)
        paint_line(painter, plane, (ra, np.zeros_like(ra)), theme.pen("select", 1.0, 0.7))
        for dec, name in ((90.0, "north pole"), (-90.0, "south pole")):
            _cross(painter, plane, labels, 0.0, dec, name)
    if sight is None or not (layers.meridian or layers.horizon):
        return
    now = from_datetimes(sight.at)
    if layers.meridian:
        dec = np.linspace(-90, 90, 181)
        ra, seen = unobserve(np.zeros_like(dec), dec, now, sight.site)
        _named_line(painter, plane, labels, (ra, seen), "meridian", theme.pen("warn", 1.0, 0.7, dashed=True))
    if layers.horizon:
        turned = turning(now, sight.site)
        azimuth = np.radians(np.linspace(0, 360, 241))
        altitude = np.radians(sight.line.altitude_deg(np.degrees(azimuth)))
        for line_altitude, name, pen in (
            (np.zeros_like(azimuth), "", theme.pen("line", 1.2)),
            (altitude, "horizon", theme.pen("warn", 1.2, 0.8)),
        ):
            level = np.outer(np.cos(azimuth), turned.north) + np.outer(np.sin(azimuth), turned.east)
            vector = level * np.cos(line_altitude)[:, None] + np.outer(np.sin(line_altitude), turned.up)
            ra, dec = _of_date(vector)
            _named_line(painter, plane, labels, (ra, dec), name, pen)


def _of_date(vectors: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Of the moment's frame, which for lines on a chart is near enough to the catalogue's (under half a
    degree)."""
    x, y, z = vectors.T
    return np.degrees(np.arctan2(y, x)) % 360, np.degrees(np.arcsin(np.clip(z, -1, 1)))


def paint_stars(painter: QPainter, plane: ChartPlane, shown: Field, labels: Labels | None) -> None:
    x, y = plane.place(shown.stars.ra_deg, shown.stars.dec_deg)
    inside = np.isfinite(x) & plane.inside(x, y, 6)
    size = np.clip(1.0 + 0.95 * (shown.faintest_mag - shown.stars.mag), 1.0, 8.0)
    group = np.searchsorted(_STAR_SIZES, size, side="right") - 1
    colour = theme.colour("text", 0.92)
    for k, diameter in enumerate(_STAR_SIZES):
        chosen = np.flatnonzero(inside & (group == k))
        if not chosen.size:
            continue
        pen = QPen(colour, float(diameter))
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        painter.drawPoints(_polygon(x[chosen], y[chosen]))
    if labels is None:
        return
    for n, name in list(shown.star_names.items())[:14]:
        if inside[n]:
            at = QPointF(float(x[n]), float(y[n]))
            labels.put(painter, at, 3 + size[n] / 2, name, "faint", text_font(Size.SMALL))


def paint_objects(
    painter: QPainter, plane: ChartPlane, shown: Field, labels: Labels | None, ours: str
) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    named = 0
    scale = plane.px_per_deg
    most = _MOST_NAMED if plane.height_deg < 60 else _MOST_NAMED_WIDE
    # what people know by name comes first
    for entry in sorted(shown.objects, key=lambda e: (e.name != ours, not _known(e), -e.major_arcmin)):
        x, y = (float(v) for v in plane.place(entry.ra_deg, entry.dec_deg))
        major = entry.major_arcmin / 60 * scale
        if not np.isfinite(x) or not plane.inside(np.array(x), np.array(y), major / 2):
            continue
        minor = (entry.minor_arcmin or entry.major_arcmin) / 60 * scale
        own = entry.name == ours
        painter.setPen(theme.pen("select", 1.4 if own else 1.0, 0.95 if own else 0.55, dashed=True))
        if major < 6:
            painter.drawEllipse(QPointF(x, y), 3, 3)
        else:
            painter.save()
            painter.translate(x, y)
            painter.rotate(
                plane.angle_on_chart_deg(entry.ra_deg, entry.dec_deg, entry.position_angle_deg or 0.0)
            )
            painter.drawEllipse(QPointF(0, 0), minor / 2, major / 2)
            painter.restore()
        if labels is None or (named >= most and not own):
            continue
        away = min(major / 2, plane.width_px / 3) * 0.75 + 5
        font = text_font(Size.SMALL, strong=own)
        named += labels.put(painter, QPointF(x, y), away, entry.name, "select", font, must=own)


def _known(entry: DeepSkyObject) -> bool:
    return bool(entry.common_name) or entry.name.startswith("M ")


def paint_line(painter: QPainter, plane: ChartPlane, line: Line, pen: QPen) -> None:
    """A polyline, broken where it leaves the plane or runs round the back."""
    x, y = plane.place(*line)
    on = np.isfinite(x) & plane.inside(x, y, 2.0 * max(plane.width_px, plane.height_px))
    if not on.any():
        return
    path, drawing = QPainterPath(), False
    for here, px, py in zip(on.tolist(), x.tolist(), y.tolist(), strict=True):
        if not here:
            drawing = False
            continue
        if drawing:
            path.lineTo(px, py)
        else:
            path.moveTo(px, py)
        drawing = True
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(pen)
    painter.drawPath(path)


def _polygon(x: np.ndarray, y: np.ndarray) -> QPolygonF:
    return QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])


def _named_line(
    painter: QPainter, plane: ChartPlane, labels: Labels, line: Line, name: str, pen: QPen
) -> None:
    paint_line(painter, plane, line, pen)
    if name:
        _label_edge(painter, plane, labels, line, name, text_font(Size.SMALL), True, "soft")


def _label_edge(
    painter: QPainter,
    plane: ChartPlane,
    labels: Labels,
    line: Line,
    text: str,
    font: QFont,
    at_left: bool,
    role: str = "faint",
) -> None:
    """A word where a line meets the chart's left or lower edge."""
    x, y = plane.place(*line)
    on = np.flatnonzero(np.isfinite(x) & plane.inside(x, y, -4))
    if not on.size:
        return
    nearest = on[np.argmin(x[on])] if at_left else on[np.argmax(y[on])]
    at = QPointF(float(x[nearest]) + (2 if at_left else 3), float(y[nearest]) - (4 if at_left else 2))
    labels.put(painter, at, 1, text, role, font)


def _cross(painter: QPainter, plane: ChartPlane, labels: Labels, ra: float, dec: float, name: str) -> None:
    x, y = (float(v) for v in plane.place(ra, dec))
    if not np.isfinite(x) or not plane.inside(np.array(x), np.array(y)):
        return
    painter.setPen(theme.pen("select"))
    painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
    painter.drawLine(QPointF(x, y - 5), QPointF(x, y + 5))
    labels.put(painter, QPointF(x, y), 7, name, "select", text_font(Size.SMALL))


def _hour_step(wanted_deg: float) -> float:
    """A round step of right ascension, minutes of time that divide an hour."""
    for minutes in (240, 120, 60, 30, 20, 10, 5, 2, 1):
        if minutes / 4 <= wanted_deg * 1.4:
            return minutes / 4
    return 0.25
