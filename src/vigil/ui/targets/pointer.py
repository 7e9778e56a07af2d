"""The hand on the sky chart: what is taken hold of by mouse or keys, moved and turned."""

import math
from typing import Protocol

from PyQt6.QtCore import QPointF, Qt

from vigil.sky.charting import ChartPlane
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.sensor import GRIP_PX, grips_of

_STILL_PX = 4.0
_STEP_PX = 60.0
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Sheet(Protocol):
    """The chart, as far as the hand needs it."""

    @property
    def plane(self) -> ChartPlane: ...

    def width(self) -> int: ...

    def height(self) -> int: ...

    def place(self, ra_deg: float, dec_deg: float) -> QPointF | None: ...

    def pan(self, by: QPointF) -> None: ...

    def zoom_by(self, factor: float) -> None: ...

    def look_at_frame(self) -> None: ...

    def refuse(self, why: str) -> None: ...

    def choose_point(self, ra_deg: float, dec_deg: float) -> None: ...


class ChartPointer:
    """Drags the frame by its inside, turns it by its handle, else pans the chart."""

    def __init__(self, chart: Sheet, frame: FrameModel) -> None:
        self._chart, self._frame = chart, frame
        self._drag: tuple[str, QPointF, tuple[float, float]] | None = None
        self._pressed_at: QPointF | None = None

    def grip(self, at: QPointF) -> str:
        """What is under the pointer: "handle", "frame" or "sky"."""
        made = self._frame.mosaic
        grips = grips_of(made, self._chart.plane) if made is not None else None
        if grips is None:
            return "sky"
        away = at - grips.handle
        if math.hypot(away.x(), away.y()) <= GRIP_PX:
            return "handle"
        box = grips.outline.boundingRect()
        # a frame that fills the view is not to catch every drag: then its edges are out of reach anyway
        large = box.width() > 1.6 * self._chart.width() and box.height() > 1.6 * self._chart.height()
        inside = grips.outline.containsPoint(at, Qt.FillRule.OddEvenFill) and not large
        return "frame" if inside else "sky"

    def cursor(self, at: QPointF) -> Qt.CursorShape:
        """While nothing is held."""
        shapes = {"handle": Qt.CursorShape.PointingHandCursor, "frame": Qt.CursorShape.SizeAllCursor}
        return shapes.get(self.grip(at), Qt.CursorShape.ArrowCursor)

    @property
    def holds(self) -> bool:
        return self._drag is not None

    def press(self, at: QPointF, only_sky: bool) -> None:
        """Take hold of what is there; with `only_sky` of the chart whatever is."""
        frame, grip = self._frame.frame, "sky" if only_sky else self.grip(at)
        held = (0.0, 0.0)
        if frame is not None and grip == "frame":
            centre = self._chart.place(frame.framing.ra_deg, frame.framing.dec_deg) or at
            held = (centre.x() - at.x(), centre.y() - at.y())
        self._drag, self._pressed_at = (grip, at, held), at

    def move(self, at: QPointF) -> None:
        """Drag what is held, once the pointer has really moved."""
        if self._drag is None:
            return
        grip, last, held = self._drag
        start = self._pressed_at or at
        if math.hypot(at.x() - start.x(), at.y() - start.y()) < _STILL_PX and last == start:
            return
        if grip == "sky":
            self._chart.pan(at - last)
        elif grip == "frame":
            ra, dec = self._chart.plane.sky(at.x() + held[0], at.y() + held[1])
            self._frame.move_to(float(ra), float(dec), gesture="move")
        else:
            self._turn_to(at)
        self._drag = (grip, at, held)

    def release(self) -> None:
        self._drag = None
        self._frame.end_gesture()

    def double_click(self, at: QPointF) -> None:
        """On the bare sky that place is chosen, on the frame it comes into view whole."""
        self._drag = None
        if self.grip(at) == "sky":
            ra, dec = self._chart.plane.sky(at.x(), at.y())
            self._chart.choose_point(float(ra), float(dec))
        else:
            self._chart.look_at_frame()

    def _turn_to(self, at: QPointF) -> None:
        frame = self._frame.frame
        if frame is None:
            return
        centre = self._chart.place(frame.framing.ra_deg, frame.framing.dec_deg)
        if centre is None:
            return
        clockwise = math.degrees(math.atan2(at.x() - centre.x(), centre.y() - at.y()))
        north = self._chart.plane.angle_on_chart_deg(frame.framing.ra_deg, frame.framing.dec_deg, 0.0)
        self._rotate(north - clockwise, "turn")

    def key(self, key: int, held: Qt.KeyboardModifier) -> bool:
        """+ and − zoom, 0 puts the frame back in the middle, arrows pan; with Shift they move the frame, with
        Ctrl left and right turn it. Returns whether the key means something here."""
        if key in _ARROWS:
            self._arrow(_ARROWS[Qt.Key(key)], held)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._chart.zoom_by(1.25)
        elif key == Qt.Key.Key_Minus:
            self._chart.zoom_by(0.8)
        elif key == Qt.Key.Key_0:
            self._chart.look_at_frame()
        else:
            return False
        return True

    def _arrow(self, way: tuple[int, int], held: Qt.KeyboardModifier) -> None:
        frame = self._frame.frame
        if frame is not None and held & Qt.KeyboardModifier.ShiftModifier:
            centre = self._chart.place(frame.framing.ra_deg, frame.framing.dec_deg)
            if centre is not None:
                ra, dec = self._chart.plane.sky(centre.x() + 4 * way[0], centre.y() + 4 * way[1])
                self._frame.move_to(float(ra), float(dec), gesture="keys")
        elif frame is not None and held & Qt.KeyboardModifier.ControlModifier:
            self._rotate(frame.framing.position_angle_deg - way[0], "keys")
        else:
            self._chart.pan(QPointF(-_STEP_PX * way[0], -_STEP_PX * way[1]))

    def _rotate(self, angle_deg: float, gesture: str) -> None:
        try:
            self._frame.rotate_to(angle_deg, gesture=gesture)
        except ValueError as problem:
            self._chart.refuse(str(problem))
