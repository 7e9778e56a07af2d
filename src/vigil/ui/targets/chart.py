"""The sky chart: from the whole sky to ten arc-minutes, with the frame on it to drag and turn."""

import math
from typing import Literal

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPixmap, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from vigil.optics.footprint import Footprint
from vigil.sky.charting import ChartPlane
from vigil.ui import words
from vigil.ui.labels import Labels
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.targets import layers as drawn
from vigil.ui.targets.backdrops import Backdrop, paint_backdrop
from vigil.ui.targets.field import Field
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.layers import Layers, Sight
from vigil.ui.targets.pointer import ChartPointer
from vigil.ui.targets.sensor import (
    paint_guide_field,
    paint_panels,
    paint_telescope,
)
from vigil.ui.theme import Size, number_font, smooth, text_font, theme

SMALLEST_DEG, LARGEST_DEG = 10 / 60, 200.0
Orientation = Literal["north up", "as the camera sees it", "as the eye sees it"]
ORIENTATIONS: tuple[Orientation, ...] = ("north up", "as the camera sees it", "as the eye sees it")
_SETTLE_MS = 60


class Chart(Picture):
    """`field_wanted` asks for the stars around (ra_deg, dec_deg, radius_deg); `point_chosen` tells a bare
    place that was double-clicked."""

    field_wanted = pyqtSignal(float, float, float)
    point_chosen = pyqtSignal(float, float)
    refused = pyqtSignal(str)

    def __init__(self, frame: FrameModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Sky chart")
        self.setMinimumHeight(160)
        self._frame = frame
        self._centre = (0.0, 0.0)
        self.height_deg = 3.5
        self._field: Field | None = None
        self.layers = Layers()
        self.orientation: Orientation = "north up"
        self.camera_angle_deg = 0.0
        self.sight: Sight | None = None
        self.telescope: Footprint | None = None
        self.backdrops: list[Backdrop] = []
        self.note = ""
        """Said over the chart, as "as at 01:20"."""
        self._kept: QPixmap | None = None
        self._kept_for: object = None
        self._whole: QPixmap | None = None
        self._whole_for: object = None
        self._pointer = ChartPointer(self, frame)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._want_field)
        frame.changed.connect(self.update)
        theme.changed.connect(self.redraw)

    # -- what is shown ------------------------------------------------------------------------------------

    def look_at_frame(self) -> None:
        """The whole frame in view, with its surroundings."""
        made, frame = self._frame.mosaic, self._frame.frame
        if frame is None:
            return
        size = max(made.size_deg()) if made is not None else max(self._frame.field_deg)
        own = frame.entry.major_arcmin / 60 if frame.entry is not None else 0.0
        wanted = max(2.2 * size, min(1.3 * own, 4 * size))
        self.look_at(frame.framing.ra_deg, frame.framing.dec_deg, min(LARGEST_DEG, max(SMALLEST_DEG, wanted)))
        self.setAccessibleDescription(f"around {frame.name}, {self.orientation}")

    def look_at(self, ra_deg: float, dec_deg: float, height_deg: float | None = None) -> None:
        self._centre = (ra_deg % 360, dec_deg)
        if height_deg is not None:
            self.height_deg = min(LARGEST_DEG, max(SMALLEST_DEG, height_deg))
        self._want_field()
        self.redraw()

    def show_field(self, field: Field) -> None:
        self._field = field
        self.redraw()

    @property
    def field(self) -> Field | None:
        return self._field

    def set_layer(self, name: str, on: bool) -> None:
        self.layers = self.layers.with_(name, on)
        self.redraw()

    def set_orientation(self, orientation: Orientation) -> None:
        self.orientation = orientation
        self.redraw()

    def set_sight(self, sight: Sight, note: str) -> None:
        """Another moment, and what is said of it: redrawn only where that shows."""
        if note != self.note:
            self.note = note
            self.update()
        if sight == self.sight:
            return
        self.sight = sight
        if self.layers.meridian or self.layers.horizon or self.orientation == "as the eye sees it":
            self.redraw()

    def show_telescope(self, telescope: Footprint | None, camera_angle_deg: float) -> None:
        """Where it points now; None when that isn't known."""
        self.telescope, self.camera_angle_deg = telescope, camera_angle_deg
        self.update()

    def follow(self, other: "Chart") -> None:
        """Show what another chart shows; the view stays one's own."""
        mine = (self.layers, self.orientation, self.sight, self.backdrops, self.note)
        theirs = (other.layers, other.orientation, other.sight, other.backdrops, other.note)
        self.show_telescope(other.telescope, other.camera_angle_deg)
        if mine != theirs:
            self.layers, self.orientation, self.sight, self.backdrops, self.note = theirs
            self.redraw()

    def redraw(self) -> None:
        """The sky beneath the frame has changed."""
        self._kept = self._whole = None
        self.update()

    @property
    def pending(self) -> bool:
        """Whether it has moved, and other stars will be asked for in a moment."""
        return self._later.isActive()

    def _want_field(self) -> None:
        plane = self.plane
        self.field_wanted.emit(*self._centre, min(180.0, 1.1 * plane.radius_deg))

    # -- geometry -----------------------------------------------------------------------------------------

    @property
    def up_deg(self) -> float:
        """The position angle that points up."""
        if self.orientation == "as the camera sees it":
            frame = self._frame.frame
            return frame.framing.position_angle_deg if frame is not None else self.camera_angle_deg
        if self.orientation == "as the eye sees it" and self.sight is not None:
            return drawn.zenith_angle_deg(*self._centre, self.sight)
        return 0.0

    @property
    def plane(self) -> ChartPlane:
        return ChartPlane(
            *self._centre, self.height_deg, self.up_deg, max(1, self.width()), max(1, self.height())
        )

    def place(self, ra_deg: float, dec_deg: float) -> QPointF | None:
        """Where a direction is drawn; None on the far side."""
        x, y = self.plane.place(ra_deg, dec_deg)
        return None if np.isnan(x) else QPointF(float(x), float(y))

    # -- drawing ------------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        """What was drawn before is kept until something of it changes: a repaint copies it."""
        plane = self.plane
        sky = self._sky(plane)
        key = (
            plane,
            self._frame.frame,
            self.telescope,
            self.layers.telescope,
            self.note,
            self._frame.field_deg,
        )
        if self._whole is None or self._whole_for != key:
            whole = QPixmap(sky)
            above = smooth(QPainter(whole))
            try:
                self._paint_above(above, plane)
            finally:
                above.end()
            self._whole, self._whole_for = whole, key
        painter.drawPixmap(0, 0, self._whole)

    def _paint_above(self, painter: QPainter, plane: ChartPlane) -> None:
        """Telescope, guide field and frame."""
        painter.setClipRect(self.rect())
        made, frame = self._frame.mosaic, self._frame.frame
        if self.layers.telescope and self.telescope is not None:
            paint_telescope(painter, plane, self.telescope.ra_deg, self.telescope.dec_deg, self.telescope)
        if made is not None and frame is not None:
            guide = self._frame.guide_field
            if guide is not None:
                stars = self._field.stars if self._field is not None else None
                paint_guide_field(painter, plane, guide, stars)
            paint_panels(painter, plane, made, self._frame.framed())
        if self.note:
            write(painter, QPointF(self.width() / 2, 20), self.note, "select", text_font(strong=True), CENTRE)

    def _sky(self, plane: ChartPlane) -> QPixmap:
        """All that lies beneath the frame, kept until it changes."""
        frame = self._frame.frame
        ours = frame.entry.name if frame is not None and frame.entry is not None else ""
        ratio = self.devicePixelRatioF()
        key = (plane, ours, ratio)
        if self._kept is not None and self._kept_for == key:
            return self._kept
        self._whole = None
        kept = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
        kept.setDevicePixelRatio(ratio)
        kept.fill(theme.colour("well"))
        painter = smooth(QPainter(kept))
        try:
            self._paint_sky(painter, plane, ours)
        finally:
            painter.end()
        self._kept, self._kept_for = kept, key
        return kept

    def _paint_sky(self, painter: QPainter, plane: ChartPlane, ours: str) -> None:
        show = self.layers
        labels = Labels(QRectF(2, 26, self.width() - 4, self.height() - 28))
        labels.keep_free(QRectF(self.width() - 66, self.height() - 66, 66, 66))
        if show.milky_way:
            drawn.paint_milky_way(painter, plane)
        if show.backdrops:
            for backdrop in self.backdrops:
                paint_backdrop(painter, plane, backdrop)
        if show.grid:
            drawn.paint_grid(painter, plane, labels)
        drawn.paint_marks(painter, plane, labels, show, self.sight)
        field = self._field
        # objects claim their places for names before constellations do
        if field is not None and show.objects:
            drawn.paint_objects(painter, plane, field, labels if show.names else None, ours)
        if show.figures or show.bounds:
            drawn.paint_figures(painter, plane, labels, show.bounds, show.figures)
        if field is not None and show.stars:
            drawn.paint_stars(painter, plane, field, labels if show.names else None)
        if field is None:
            write(painter, QPointF(12, 44), "looking up the stars…", "soft")
        small = text_font(Size.SMALL)
        write(painter, QPointF(12, 18), self.orientation, "soft", small)
        wide = self.width() / plane.px_per_deg
        high = self.height() / plane.px_per_deg
        said = "whole sky" if self.height_deg >= 170 else f"{_size(wide)} {words.TIMES} {_size(high)}"
        write(painter, QPointF(self.width() - 12, 18), said, "soft", number_font(Size.SMALL), RIGHT)
        self._paint_compass(painter, plane)

    def _paint_compass(self, painter: QPainter, plane: ChartPlane) -> None:
        """North and east at the lower right."""
        middle = QPointF(self.width() - 34, self.height() - 34)
        painter.setPen(theme.pen("soft"))
        for angle, name in ((0.0, "N"), (90.0, "E")):
            turn = math.radians(-angle + self.up_deg)
            way = QPointF(math.sin(turn), -math.cos(turn))
            painter.drawLine(middle, middle + way * 16)
            end = middle + way * 25
            write(painter, QPointF(end.x(), end.y() + 4), name, "soft", text_font(Size.SMALL), CENTRE)

    # -- pointer and keys ---------------------------------------------------------------------------------

    def zoom_by(self, factor: float, about: QPointF | None = None) -> None:
        wanted = min(LARGEST_DEG, max(SMALLEST_DEG, self.height_deg / factor))
        if wanted == self.height_deg:
            return
        held = self.plane.sky(about.x(), about.y()) if about is not None else None
        self.height_deg = wanted
        if held is not None and about is not None:
            self._put_under(float(held[0]), float(held[1]), about)
        self._moved()

    def pan(self, by: QPointF) -> None:
        middle = QPointF(self.width() / 2, self.height() / 2) - by
        ra, dec = self.plane.sky(middle.x(), middle.y())
        self._centre = (float(ra), min(90.0, max(-90.0, float(dec))))
        self._moved()

    def _put_under(self, ra_deg: float, dec_deg: float, where: QPointF) -> None:
        """Move the centre so that a direction is drawn at a place: by a few rounds of what is missing."""
        for _ in range(4):
            x, y = self.plane.place(ra_deg, dec_deg)
            if not np.isfinite(x):
                return
            middle = (self.width() / 2 + float(x) - where.x(), self.height() / 2 + float(y) - where.y())
            ra, dec = self.plane.sky(*middle)
            self._centre = (float(ra), min(90.0, max(-90.0, float(dec))))

    def _moved(self) -> None:
        self._later.start(_SETTLE_MS)
        self.redraw()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom_by(1.2 ** (event.angleDelta().y() / 120), event.position())

    def refuse(self, why: str) -> None:
        """Something that the hand wants can't be."""
        self.refused.emit(why)

    def choose_point(self, ra_deg: float, dec_deg: float) -> None:
        """A bare place in the sky."""
        self.point_chosen.emit(ra_deg, dec_deg)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._pointer.press(event.position(), shifted or event.button() != Qt.MouseButton.LeftButton)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pointer.holds:
            self._pointer.move(event.position())
        else:
            self.setCursor(self._pointer.cursor(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pointer.release()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pointer.double_click(event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and not self._pointer.key(event.key(), event.modifiers()):
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._moved()


def _size(degrees: float) -> str:
    if degrees >= 1:
        return f"{degrees:.{0 if degrees >= 20 else 1}f}°"
    return f"{60 * degrees:.0f}{words.ARC_MIN}"
