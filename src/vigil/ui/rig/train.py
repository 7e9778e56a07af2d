"""The optical train, drawn in order from sky to sensor; each part is a thing to choose."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath
from PyQt6.QtWidgets import QWidget

from vigil.documents.rig import Rig
from vigil.ui.picture import CENTRE, Picture, elided, write
from vigil.ui.rig.parts import IN_THE_TRAIN, Part
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_AXIS_Y = 86.0
_LABEL_Y = 174.0
_LEAST_TUBE, _TUBE_PER_RATIO = 220.0, 90.0
_BEHIND_THE_TUBE = 364.0


class Train(Picture):
    """Widths are not to scale, but for the tube's length against its aperture, within reason."""

    chosen = pyqtSignal(str)

    def __init__(self, rig: Rig, parts: list[Part], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rig = rig
        self._parts = {part.key: part for part in parts if part.key in IN_THE_TRAIN}
        self.current = "telescope"
        self.setFixedHeight(200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The optical train")

    def choose(self, key: str) -> None:
        """Show a part as the chosen one; none of the train's when it isn't in the train."""
        self.current = key
        self.setAccessibleDescription(self._parts[key].name if key in self._parts else "")
        self.update()

    def places(self) -> dict[str, QRectF]:
        """Where each part is drawn."""
        room = self.width() - 80.0
        ratio = self._rig.telescope.focal_length_mm / self._rig.telescope.aperture_mm
        tube = max(_LEAST_TUBE, min(room - _BEHIND_THE_TUBE, _TUBE_PER_RATIO * ratio))
        half = 60.0
        x = 24.0
        found = {"telescope": QRectF(x, _AXIS_Y - half, tube, 2 * half)}
        x += tube + 26
        found["focuser"] = QRectF(x, _AXIS_Y - 40, 64, 80)
        x += 64 + 56
        found["wheel"] = QRectF(x, _AXIS_Y - 74, 44, 148)
        x += 44 + 56
        found["camera"] = QRectF(x, _AXIS_Y - 48, 118, 96)
        return found

    def paint(self, painter: QPainter) -> None:
        painter.setPen(theme.pen("line", 1.0, 1.0, dashed=True))
        painter.drawLine(QPointF(0, _AXIS_Y), QPointF(self.width(), _AXIS_Y))
        places = self.places()
        for key, place in places.items():
            here = key == self.current
            painter.setPen(theme.pen("accent" if here else "soft", 2.0 if here else 1.3))
            painter.setBrush(theme.colour("raised"))
            getattr(self, f"_paint_{key}")(painter, place)
            part = self._parts[key]
            width = max(90.0, place.width())
            label = elided(part.title, text_font(), width)
            write(painter, QPointF(place.center().x(), _LABEL_Y), label, "soft", text_font(), CENTRE)
            brief = elided(part.brief, number_font(), width + 24)
            write(painter, QPointF(place.center().x(), _LABEL_Y + 18), brief, "text", number_font(), CENTRE)

    def _paint_telescope(self, painter: QPainter, place: QRectF) -> None:
        cone = place.right() + 22
        painter.drawRoundedRect(QRectF(place.left(), place.top() - 8, 56, place.height() + 16), 3, 3)
        painter.drawRect(QRectF(place.left() + 56, place.top(), place.width() - 120, place.height()))
        path = QPainterPath(QPointF(place.right() - 64, place.top()))
        path.lineTo(cone, _AXIS_Y - 34)
        path.lineTo(cone, _AXIS_Y + 34)
        path.lineTo(place.right() - 64, place.bottom())
        painter.drawPath(path)
        painter.setPen(theme.pen("select", 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(place.left() + 60, _AXIS_Y), 7, place.height() / 2 - 8)

    def _paint_focuser(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        painter.drawRoundedRect(QRectF(place.center().x() - 9, place.bottom(), 18, 16), 2, 2)

    def _paint_wheel(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 8, 8)
        slots = self._rig.wheel.slots
        step = (place.height() - 12) / slots
        names = {part.slot: part.name for part in self._rig.wheel.filters}
        for slot in range(1, slots + 1):
            glass = QRectF(
                place.left() + 5, place.top() + 6 + (slot - 1) * step, place.width() - 10, step - 4
            )
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("line", 1.0))
            if slot in names:
                pen = theme.pen("soft", 1.6)
                pen.setColor(swatch_of(names[slot]))
                painter.setPen(pen)
            painter.drawRoundedRect(glass, 2, 2)
            if slot in names:
                middle = QPointF(glass.center().x(), glass.center().y() + 4)
                write(painter, middle, names[slot], "text", text_font(Size.SMALL), CENTRE)

    def _paint_camera(self, painter: QPainter, place: QRectF) -> None:
        painter.drawRoundedRect(place, 3, 3)
        for i in range(6):
            x = place.right() - 12 - 7 * i
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.top() + 9))
        painter.fillRect(QRectF(place.left() + 9, _AXIS_Y - 26, 6, 52), theme.colour("select"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for key, place in self.places().items():
            if event is not None and place.adjusted(-14, -12, 14, 60).contains(event.position()):
                self.chosen.emit(key)
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key()) if event else None
        if step is None:
            super().keyPressEvent(event)
            return
        here = IN_THE_TRAIN.index(self.current) if self.current in IN_THE_TRAIN else 0
        self.chosen.emit(IN_THE_TRAIN[(here + step) % len(IN_THE_TRAIN)])
