"""What a frame shows, over the frame: names and outlines, grid and compass, or the residuals of its
solution."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.runtime.folders import cache_folder, own_catalogue_folder
from vigil.sky.angles import separation_deg
from vigil.sky.tangent import deproject
from vigil.solving.solution import Matches
from vigil.solving.wcs import Wcs
from vigil.ui import words
from vigil.ui.image.shapemarks import ShapeMarks, paint_shape_marks, shape_marks
from vigil.ui.image.view import FrameView
from vigil.ui.jobs import Jobs
from vigil.ui.labels import Labels
from vigil.ui.picture import CENTRE, write
from vigil.ui.pieces import button
from vigil.ui.theme import Size, number_font, text_font, theme

_GRID_STEPS_DEG = (10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05)
_MOST_OBJECTS, _LEAST_ARCMIN_SHARE = 60, 0.004
_LARGER = 400.0
"""Residuals are drawn so many times as long as they are."""


@dataclass(frozen=True, slots=True)
class Annotation:
    """A solved frame's contents; `matches` only where residuals were asked for."""

    wcs: Wcs
    objects: tuple[DeepSkyObject, ...]
    matches: Matches | None = None


def annotate(path: Path, residuals: bool) -> tuple[Annotation | None, str]:
    """What a frame shows, by its header's solution or a new one: for a worker thread. Says why not, else
    how."""
    # imported here: solving takes longer to import than the window to open
    from vigil.files.solvefile import solve_file_apart

    solved = solve_file_apart(path, cache_folder(), own_catalogue_folder(), anew=residuals)
    if solved.wcs is None:
        return None, f"not solved: {solved.reason}"
    wcs = solved.wcs
    field = wcs.field_deg
    radius = float(np.hypot(*field)) / 2
    least = 60 * _LEAST_ARCMIN_SHARE * min(field)
    found = [
        entry
        for entry in all_objects()
        if entry.major_arcmin >= least
        and float(separation_deg(wcs.ra_deg, wcs.dec_deg, entry.ra_deg, entry.dec_deg))
        < radius + entry.major_arcmin / 120
    ]
    found.sort(key=lambda e: (not e.common_name, -e.major_arcmin))
    return Annotation(wcs, tuple(found[:_MOST_OBJECTS]), solved.matches), solved.reason


class FrameOverlay(QObject):
    """The two switches for a view, and what they do. `said` hears how it went."""

    def __init__(self, view: FrameView, jobs: Jobs, said: Callable[[str], None], kind: str) -> None:
        super().__init__(view)
        self._view, self._jobs, self._said, self._kind = view, jobs, said, kind
        self._path: Path | None = None
        self.full_scale_adu = 65535.0
        self.names = button("Names", "plain", "Names and outlines, grid and compass", "N")
        self.residuals = button("Residuals", "plain", "How far each star is from where the solution puts it")
        self.shapes = button("Shapes", "plain", "How long stars are and which way; clipped pixels")
        for made in (self.names, self.residuals, self.shapes):
            made.setCheckable(True)
            made.toggled.connect(lambda _: self.refresh())

    @property
    def wanted(self) -> bool:
        return any(made.isChecked() for made in (self.names, self.residuals, self.shapes))

    def show_path(self, path: Path | None) -> None:
        """Another frame, or the same one changed on disk."""
        self._path = path
        self._view.set_overlay(None)
        self.refresh()

    def refresh(self) -> None:
        path, residuals = self._path, self.residuals.isChecked()
        if not self.wanted or path is None:
            self._view.set_overlay(None)
            return
        self._said("looking up what the frame shows …")
        solves, shaped = self.names.isChecked() or residuals, self.shapes.isChecked()
        full_scale = self.full_scale_adu

        def look() -> tuple[Annotation | None, str, ShapeMarks | None]:
            annotation, reason = annotate(path, residuals) if solves else (None, "")
            return annotation, reason, shape_marks(path, full_scale) if shaped else None

        self._jobs.run(self._kind, look, self._done, lambda p: self._said(str(p)))

    def _done(self, told: tuple[Annotation | None, str, ShapeMarks | None]) -> None:
        annotation, reason, marks = told
        self._said(reason)
        if (annotation is None and marks is None) or not self.wanted:
            self._view.set_overlay(None)
            return
        names, residuals = self.names.isChecked(), self.residuals.isChecked()

        def paint(painter: QPainter) -> None:
            if annotation is not None:
                _paint(painter, self._view, annotation, names, residuals)
            if marks is not None:
                paint_shape_marks(painter, self._view, marks, QRectF(self._view.rect()))

        self._view.set_overlay(paint)


def _paint(painter: QPainter, view: FrameView, annotation: Annotation, names: bool, residuals: bool) -> None:
    wcs = annotation.wcs
    rows, columns = wcs.shape
    frame = QRectF(view.to_widget(-0.5, rows - 0.5), view.to_widget(columns - 0.5, -0.5))
    area = frame.intersected(QRectF(view.rect()))
    painter.save()
    painter.setClipRect(area)
    if residuals and annotation.matches is not None:
        _paint_residuals(painter, view, annotation.matches, wcs, area)
    if names:
        labels = Labels(area.adjusted(2, 2, -2, -2))
        labels.keep_free(QRectF(area.right() - 60, area.bottom() - 60, 60, 60))
        _paint_grid(painter, view, wcs, labels)
        for entry in annotation.objects:
            _paint_object(painter, view, wcs, entry, labels)
        _paint_compass(painter, wcs, QPointF(area.right() - 34, area.bottom() - 34))
    painter.restore()


def _paint_object(painter: QPainter, view: FrameView, wcs: Wcs, entry: DeepSkyObject, labels: Labels) -> None:
    """Its ellipse, place by place, so that rotation, mirror and distortion are right by themselves."""
    t = np.linspace(0, 2 * np.pi, 49)
    minor = entry.minor_arcmin or entry.major_arcmin
    along, across = entry.major_arcmin / 120 * np.cos(t), minor / 120 * np.sin(t)
    turn = np.radians(entry.position_angle_deg or 0.0)
    east, north = along * np.sin(turn) + across * np.cos(turn), along * np.cos(turn) - across * np.sin(turn)
    path = _path(view, wcs, *deproject(east, north, entry.ra_deg, entry.dec_deg))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(theme.pen("select", 1.2, 0.9, dashed=True))
    painter.drawPath(path)
    column, row = (float(v) for v in wcs.to_pixel(entry.ra_deg, entry.dec_deg))
    if np.isfinite(column):
        half = path.boundingRect().width() / 2
        name = f"{entry.name} {entry.common_names[0]}" if entry.common_names else entry.name
        labels.put(
            painter,
            view.to_widget(column, row),
            min(0.75 * half, 120) + 5,
            name,
            "select",
            text_font(Size.SMALL),
        )


def _paint_grid(painter: QPainter, view: FrameView, wcs: Wcs, labels: Labels) -> None:
    width, height = wcs.field_deg
    step = next((s for s in _GRID_STEPS_DEG if min(width, height) / s >= 2), _GRID_STEPS_DEG[-1])
    reach = float(np.hypot(width, height)) / 2
    font = number_font(Size.SMALL)
    cos = max(np.cos(np.radians(min(abs(wcs.dec_deg), 89.0))), 0.02)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    low, high = max(-89.9, wcs.dec_deg - reach), min(89.9, wcs.dec_deg + reach)
    lines = []
    for dec in np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step:
        ra = wcs.ra_deg + np.linspace(-1, 1, 61) * min(180.0, 1.3 * reach / cos)
        lines.append((ra, np.full_like(ra, dec), words.grid_dec(float(dec))))
    ra_step = max(0.25, round(step / cos * 4) / 4)
    half = min(180.0, 1.3 * reach / cos)
    for ra_line in np.arange(
        np.ceil((wcs.ra_deg - half) / ra_step), np.floor((wcs.ra_deg + half) / ra_step) + 1
    ):
        dec_along = np.linspace(low, high, 61)
        ra0 = float(ra_line * ra_step)
        lines.append((np.full_like(dec_along, ra0), dec_along, words.grid_ra(ra0)))
    for ra, dec, said in lines:
        painter.setPen(theme.pen("text", 1.0, 0.28))
        path = _path(view, wcs, ra, dec)
        painter.drawPath(path)
        column, row = wcs.to_pixel(ra, dec)
        rows, columns = wcs.shape
        on = np.flatnonzero((column > 0) & (column < columns) & (row > 0) & (row < rows))
        if on.size:
            at = view.to_widget(float(column[on[0]]), float(row[on[0]]))
            labels.put(painter, at, 3, said, "text", font)


def _path(view: FrameView, wcs: Wcs, ra: np.ndarray, dec: np.ndarray) -> QPainterPath:
    column, row = wcs.to_pixel(ra, dec)
    rows, columns = wcs.shape
    path, drawing = QPainterPath(), False
    for x, y in zip(column.tolist(), row.tolist(), strict=True):
        if not (np.isfinite(x) and abs(x) < 4 * columns and abs(y) < 4 * rows):
            drawing = False
            continue
        point = view.to_widget(x, y)
        if drawing:
            path.lineTo(point)
        else:
            path.moveTo(point)
        drawing = True
    return path


def _paint_compass(painter: QPainter, wcs: Wcs, middle: QPointF) -> None:
    """North and east as the frame lies."""
    rows, columns = wcs.shape
    x0, y0 = (columns - 1) / 2, (rows - 1) / 2
    painter.setPen(theme.pen("text", 1.4))
    for east, north, name in ((0.0, 0.02, "N"), (0.02, 0.0, "E")):
        ra, dec = deproject(east, north, wcs.ra_deg, wcs.dec_deg)
        x, y = (float(v) for v in wcs.to_pixel(ra, dec))
        length = float(np.hypot(x - x0, y - y0))
        way = QPointF((x - x0) / length, -(y - y0) / length)
        painter.drawLine(middle, middle + way * 17)
        end = middle + way * 26
        write(
            painter, QPointF(end.x(), end.y() + 4), name, "text", text_font(Size.SMALL, strong=True), CENTRE
        )


def _paint_residuals(painter: QPainter, view: FrameView, matches: Matches, wcs: Wcs, area: QRectF) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    larger = _LARGER * view.zoom
    stars = zip(matches.column_px, matches.row_px, matches.dx_px, matches.dy_px, strict=True)
    for x, y, dx, dy in stars:
        at = view.to_widget(float(x), float(y))
        painter.setPen(theme.pen("accent", 1.2))
        painter.drawEllipse(at, 5, 5)
        painter.setPen(theme.pen("warn", 1.6))
        painter.drawLine(at, QPointF(at.x() + larger * float(dx), at.y() - larger * float(dy)))
    rms = float(np.sqrt(np.mean(matches.dx_px**2 + matches.dy_px**2)))
    said = (
        f"{len(matches)} stars, rms {rms:.2f} px = {rms * wcs.scale_arcsec_px:.2f}{words.ARC_SEC}; "
        f"lines {_LARGER:g} {words.TIMES} as long"
    )
    write(
        painter, QPointF(area.left() + 10, area.top() + 18), said, "warn", text_font(Size.SMALL, strong=True)
    )
