"""The optical train, drawn in order from sky to sensor; each part is a thing to choose."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath
from PyQt6.QtWidgets import QWidget

from vigil.documents.rig import Rig
from vigil.ui.picture import CENTRE, Picture, elided, write
from vigil.ui.rig.parts import IN_THE_TRAIN, ShownPart
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_AXIS_Y = 82.0
_LABEL_Y = 162.0
_LEAST_TUBE, _MOST_TUBE, _TUBE_PER_RATIO = 150.0, 460.0, 70.0
_SLOT = 84.0
_WIDTHS = {"focuser": 54.0, "reducer": 30.0, "guider": 46.0, "rotator": 34.0, "wheel": 44.0, "camera": 96.0}
_HALF_HEIGHTS = {
    "focuser": 36.0,
    "reducer": 32.0,
    "guider": 30.0,
    "rotator": 36.0,
    "wheel": 62.0,
    "camera": 46.0,
}


class Train(Picture):
    """Widths are not to scale, but for the tube's length against its aperture, within reason."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rig: Rig | None = None
        self._parts: dict[str, ShownPart] = {}
        self._states: dict[str, str] = {}
        self.current = "telescope"
        self.setFixedHeight(186)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The optical train")

    def show_rig(self, rig: Rig, parts: list[ShownPart], states: dict[str, str]) -> None:
        """`states` has by part what its device says now, shown in place of what the document says."""
        self._rig, self._states = rig, states
        self._parts = {part.key: part for part in parts if part.key in IN_THE_TRAIN}
        self.update()

    def choose(self, key: str) -> None:
        """Show a part as the chosen one; none of the train's when it isn't in the train."""
        self.current = key
        self.setAccessibleDescription(self._parts[key].name if key in self._parts else "")
        self.update()

    def places(self) -> dict[str, QRectF]:
        """Where each part is drawn."""
        rest = [key for key in self._parts if key != "telescope" and not self._rides(key)]
        slot = min(_SLOT + 16, (self.width() - _LEAST_TUBE - 50) / max(1, len(rest)))
        found: dict[str, QRectF] = {}
        x = 24.0
        if "telescope" in self._parts and self._rig is not None and self._rig.telescope is not None:
            room = self.width() - 50 - slot * len(rest)
            wanted = _TUBE_PER_RATIO * self._rig.telescope.focal_ratio
            tube = max(_LEAST_TUBE, min(room, wanted, _MOST_TUBE))
            found["telescope"] = QRectF(x, _AXIS_Y - 52, tube, 104)
            x += tube + 8
        for key in rest:
            width, half = _WIDTHS[key], _HALF_HEIGHTS[key]
            found[key] = QRectF(x + (slot - width) / 2, _AXIS_Y - half, width, 2 * half)
            x += slot
        if self._rides("guider") and "telescope" in found:
            tube = found["telescope"]
            found["guider"] = QRectF(tube.left() + 60, 2, min(120.0, tube.width() - 80), 22)
        return found

    def _rides(self, key: str) -> bool:
        """A guide scope rides on the tube."""
        guider = self._rig.guider if self._rig else None
        return (
            key == "guider"
            and guider is not None
            and guider.kind == "guide scope"
            and "telescope" in self._parts
        )

    def paint(self, painter: QPainter) -> None:
        painter.setPen(theme.pen("line", 1.0, 1.0, dashed=True))
        painter.drawLine(QPointF(0, _AXIS_Y), QPointF(self.width(), _AXIS_Y))
        for key, place in self.places().items():
            here = key == self.current
            painter.setPen(theme.pen("accent" if here else "soft", 2.0 if here else 1.3))
            painter.setBrush(theme.colour("raised"))
            getattr(self, f"_paint_{key}")(painter, place)
            self._paint_words(painter, key, place)

    def _paint_words(self, painter: QPainter, key: str, place: QRectF) -> None:
        part = self._parts[key]
        brief = self._states.get(key) or part.brief
        if self._rides(key):
            spot = QPointF(place.right() + 10, place.center().y() + 4)
            used = write(painter, spot, part.title, "soft", text_font(Size.SMALL))
            write(painter, QPointF(spot.x() + used + 8, spot.y()), brief, "text", number_font(Size.SMALL))
            return
        width = max(_SLOT - 4, place.width())
        title = elided(part.title, text_font(Size.SMALL), width)
        write(painter, QPointF(place.center().x(), _LABEL_Y), title, "soft", text_font(Size.SMALL), CENTRE)
        shown = elided(brief, number_font(Size.SMALL), width + 8)
        where = QPointF(place.center().x(), _LABEL_Y + 17)
        write(painter, where, shown, "text", number_font(Size.SMALL), CENTRE)

    def _paint_telescope(self, painter: QPainter, place: QRectF) -> None:
        cone = place.right() + 4
        painter.drawRoundedRect(QRectF(place.left(), place.top() - 6, 44, place.height() + 12), 3, 3)
        painter.drawRect(QRectF(place.left() + 44, place.top(), place.width() - 90, place.height()))
        path = QPainterPath(QPointF(place.right() - 46, place.top()))
        path.lineTo(cone, _AXIS_Y - 32)
        path.lineTo(cone, _AXIS_Y + 32)
        path.lineTo(place.right() - 46, place.bottom())
        painter.drawPath(path)
        painter.setPen(theme.pen("select", 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(place.left() + 48, _AXIS_Y), 6, place.height() / 2 - 7)
        if self._rig and self._rig.telescope and self._rig.telescope.obstruction_mm:
            share = self._rig.telescope.obstruction_mm / self._rig.telescope.aperture_mm
            half = share * (place.height() / 2 - 7)
            painter.drawLine(
                QPointF(place.left() + 64, _AXIS_Y - half), QPointF(place.left() + 64, _AXIS_Y + half)
            )

    def _paint_focuser(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        painter.drawRoundedRect(QRectF(place.center().x() - 8, place.bottom(), 16, 14), 2, 2)

    def _paint_reducer(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(place.center(), 5, place.height() / 2 - 6)

    def _paint_guider(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        if self._rides("guider"):
            return
        painter.drawRect(QRectF(place.center().x() - 12, place.top() - 30, 24, 30))
        painter.drawLine(
            QPointF(place.center().x() - 8, _AXIS_Y - 8), QPointF(place.center().x() + 8, _AXIS_Y - 22)
        )

    def _paint_rotator(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        for i in range(4):
            x = place.left() + 6 + 7 * i
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.top() + 8))

    def _paint_wheel(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 8, 8)
        wheel = self._rig.wheel if self._rig else None
        if wheel is None:
            return
        glasses = wheel.filters if wheel.kind == "drawer" else None
        count = len(glasses) if glasses else wheel.slots
        step = (place.height() - 12) / count
        filters = dict(enumerate(glasses)) if glasses else {(f.slot or 0) - 1: f for f in wheel.filters}
        for n in range(count):
            glass = QRectF(
                place.left() + 5, place.top() + 6 + n * step, place.width() - 10, min(step - 3, 24)
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("line", 1.0))
            held = filters.get(n)
            if held is not None:
                pen = theme.pen("soft", 1.6)
                pen.setColor(theme.swatch(held.swatch) if held.swatch else swatch_of(held.name))
                painter.setPen(pen)
            painter.drawRoundedRect(glass, 2, 2)
            if held is not None and step >= 15:
                short = elided(held.letter or held.name, text_font(Size.SMALL), glass.width() - 2)
                middle = QPointF(glass.center().x(), glass.center().y() + 4)
                write(painter, middle, short, "text", text_font(Size.SMALL), CENTRE)

    def _paint_camera(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        if self._rig and self._rig.camera and self._rig.camera.cooler:
            for i in range(6):
                x = place.right() - 12 - 7 * i
                painter.drawLine(QPointF(x, place.top()), QPointF(x, place.top() + 9))
        painter.fillRect(QRectF(place.left() + 9, _AXIS_Y - 24, 6, 48), theme.colour("select"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        places = self.places()
        # what rides on the tube lies over it
        for key in sorted(places, key=lambda k: not self._rides(k)):
            grown = places[key] if self._rides(key) else places[key].adjusted(-10, -6, 10, 40)
            if grown.contains(event.position()):
                self.chosen.emit(key)
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key()) if event else None
        keys = list(self._parts)
        if step is None or not keys:
            super().keyPressEvent(event)
            return
        here = keys.index(self.current) if self.current in keys else 0
        self.chosen.emit(keys[(here + step) % len(keys)])
