"""The horizon, large: points dragged, added, removed, moved with the arrows, brought in from a file."""

import math
from pathlib import Path

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from vigil.sky.horizon import parse_horizon
from vigil.ui.picture import write
from vigil.ui.pieces import OneLine, button, row
from vigil.ui.rig.horizon import Horizon
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, theme

_GRAB_PX = 14.0
_PATH = ("site", "horizon")
Points = list[tuple[float, float]]


class DrawnHorizon(Horizon):
    """Points can be taken hold of; `put` gives the new points with what was done, in words."""

    put = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(320)
        self.setAccessibleName("The horizon: arrows choose and move points, Insert adds, Delete removes")
        self.chosen: int | None = None
        self._held: Points | None = None

    @property
    def points(self) -> Points:
        """While one is dragged, those that would be."""
        if self._held is not None:
            return self._held
        return [(p.azimuth_deg, p.altitude_deg) for p in self._session.rig.site.horizon]

    def direction(self, where: QPointF) -> tuple[float, float]:
        """(azimuth, altitude) under a place, altitude kept within the plot."""
        centre = self._centre
        x, y = centre.x() - where.x(), centre.y() - where.y()
        altitude = 90.0 - math.hypot(x, y) / self._radius * 90.0
        return math.degrees(math.atan2(x, y)) % 360, min(90.0, max(0.0, altitude))

    def paint(self, painter: QPainter) -> None:
        super().paint(painter)
        for n, (azimuth, altitude) in enumerate(self.points):
            here = n == self.chosen
            painter.setPen(theme.pen("accent" if here else "text", 1.4))
            painter.setBrush(theme.colour("accent" if here else "ink"))
            painter.drawEllipse(self.place(altitude, azimuth), 5 if here else 4, 5 if here else 4)
        if self.chosen is not None and self.chosen < len(self.points):
            azimuth, altitude = self.points[self.chosen]
            spot = self.place(altitude, azimuth)
            words = f"{azimuth:.0f}°, {altitude:.1f}°"
            write(painter, QPointF(spot.x() + 9, spot.y() - 8), words, "text", number_font(Size.SMALL))

    def _nearest(self, where: QPointF) -> int | None:
        away = [
            math.hypot(self.place(h, a).x() - where.x(), self.place(h, a).y() - where.y())
            for a, h in self.points
        ]
        return away.index(min(away)) if away and min(away) <= _GRAB_PX else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self.chosen = self._nearest(event.position())
        if self.chosen is not None:
            self._held = list(self.points)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None or self.chosen is None:
            return
        # between its neighbours: a horizon doesn't cross itself
        azimuth, altitude = self.direction(event.position())
        self._held[self.chosen] = (self._between(self.chosen, azimuth), round(altitude, 1))
        self.update()

    def _between(self, n: int, azimuth: float) -> float:
        held = self.points
        low = held[n - 1][0] + 0.5 if n > 0 else 0.0
        high = held[n + 1][0] - 0.5 if n + 1 < len(held) else 359.5
        return round(min(high, max(low, azimuth)), 1)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        if held is not None and held != self.points:
            self.put.emit(held, "moving a point of the horizon")
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.add(*self.direction(event.position()))

    def add(self, azimuth: float, altitude: float) -> None:
        """A point more."""
        made = (round(azimuth, 1) % 360, round(altitude, 1))
        points = sorted([*(p for p in self.points if p[0] != made[0]), made])
        self._held = None
        self.chosen = points.index(made)
        self.put.emit(points, "adding a point to the horizon")

    def remove(self) -> None:
        """The chosen point."""
        if self.chosen is not None and self.chosen < len(self.points):
            rest = [p for n, p in enumerate(self.points) if n != self.chosen]
            self.chosen = min(self.chosen, len(rest) - 1) if rest else None
            self.put.emit(rest, "removing a point of the horizon")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right choose; up and down, and with Ctrl left and right, move."""
        key = event.key() if event else None
        control = event is not None and bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        points = list(self.points)
        if key == Qt.Key.Key_Insert:
            azimuth, altitude = points[self.chosen] if self.chosen is not None and points else (0.0, 20.0)
            self.add((azimuth + 5) % 360, altitude)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and points and not control:
            step = 1 if key == Qt.Key.Key_Left else -1  # east is at the left
            self.chosen = 0 if self.chosen is None else (self.chosen + step) % len(points)
            self.update()
        elif self.chosen is not None and key in _MOVES:
            by_azimuth, by_altitude = _MOVES[Qt.Key(key)]
            azimuth, altitude = points[self.chosen]
            altitude = min(90.0, max(0.0, altitude + by_altitude))
            points[self.chosen] = (self._between(self.chosen, azimuth + by_azimuth), altitude)
            self.put.emit(points, "moving a point of the horizon")
        else:
            super().keyPressEvent(event)


_MOVES = {
    Qt.Key.Key_Up: (0.0, 1.0),
    Qt.Key.Key_Down: (0.0, -1.0),
    Qt.Key.Key_Left: (1.0, 0.0),
    Qt.Key.Key_Right: (-1.0, 0.0),
}


class HorizonPage(QWidget):
    """The page that takes the train's place while the site is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.drawn = DrawnHorizon(session)
        self.drawn.put.connect(self._put)
        self.bring = button(
            "Import …", "", "Points from a text or CSV file: an azimuth and an altitude a line"
        )
        self.add = button("Add a point", "", "Or double-click, or press Insert")
        self.remove = button("Remove the point", "", "Or press Delete")
        self.clear = button("Clear", "plain", "Only the minimum altitude is left")
        self.bring.clicked.connect(self._choose_file)
        self.add.clicked.connect(lambda: self.drawn.add(180.0, 20.0))
        self.remove.clicked.connect(self.drawn.remove)
        self.clear.clicked.connect(lambda: self._put([], "clearing the horizon"))
        self.told = OneLine("soft")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        head = row(self.bring, self.add, self.remove, self.clear)
        head.addStretch(1)
        layout.addLayout(head)
        layout.addWidget(self.told)
        layout.addWidget(self.drawn, 1)
        self.refresh()

    def refresh(self) -> None:
        points = self._session.rig.site.horizon
        lowest = self._session.rig.site.minimum_altitude_deg
        if points:
            heights = [p.altitude_deg for p in points]
            words = (
                f"{len(points)} points, {min(heights):g} to {max(heights):g}°, and nothing under {lowest:g}°"
            )
        else:
            words = f"no points: nothing under {lowest:g}°; double-click to draw trees and roofs"
        self.told.say(words, "soft")
        self.drawn.update()

    def _put(self, points: Points, words: str) -> None:
        data = [{"azimuth_deg": a, "altitude_deg": h} for a, h in points]
        try:
            self._session.edits.edit_all({_PATH: data}, words)
        except ValueError as problem:
            self.told.say(str(problem), "fault")
        else:
            self.refresh()

    def _choose_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Import a horizon", "", "Text and CSV (*.txt *.csv);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if name:
            self.import_file(Path(name))

    def import_file(self, path: Path) -> None:
        """Take the points of a file over; what can't be used is said and changes nothing."""
        try:
            points = parse_horizon(path.read_text(encoding="utf-8-sig"))
        except (OSError, ValueError) as problem:
            self.told.say(f"{path.name}: {problem}", "fault")
            return
        self._put(points, f"importing {path.name}")
