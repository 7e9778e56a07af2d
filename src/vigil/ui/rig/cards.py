"""What stands beside the train: a card for each part, with its lamp."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QResizeEvent

from vigil.ui.picture import Picture, elided, write
from vigil.ui.pieces import paint_lamp
from vigil.ui.rig.parts import ShownPart
from vigil.ui.theme import Size, text_font, theme

_HEIGHT, _GAP, _LEAST_WIDTH = 42.0, 8.0, 142.0


class Cards(Picture):
    """Chosen by mouse and arrows."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._parts: list[ShownPart] = []
        self._lamps: dict[str, str] = {}
        self._states: dict[str, str] = {}
        self.current = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Beside the train")

    def show_parts(self, parts: list[ShownPart], lamps: dict[str, str], states: dict[str, str]) -> None:
        """`lamps` by part, none for what is no device; `states` what devices say now."""
        self._parts, self._lamps, self._states = parts, lamps, states
        told = [f"{p.title}: {lamps.get(p.key, '')} {self.words_of(p)}" for p in parts]
        self.setAccessibleDescription("; ".join(told))
        self._fit()
        self.update()

    def words_of(self, part: ShownPart) -> str:
        """The card's second line."""
        lamp = self._lamps.get(part.key, "")
        if lamp in ("not connected", "fault"):
            return lamp
        return self._states.get(part.key) or part.brief

    def choose(self, key: str) -> None:
        self.current = key
        self.update()

    @property
    def _columns(self) -> int:
        return max(1, int((self.width() + _GAP) // (_LEAST_WIDTH + _GAP)))

    def _fit(self) -> None:
        rows = -(-len(self._parts) // self._columns)
        self.setFixedHeight(round(rows * (_HEIGHT + _GAP) - _GAP + 2))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()

    def place(self, index: int) -> QRectF:
        """Where a card lies."""
        columns = self._columns
        width = (self.width() - 2 - _GAP * (columns - 1)) / columns
        x, y = index % columns * (width + _GAP), index // columns * (_HEIGHT + _GAP)
        return QRectF(x + 1, y + 1, width, _HEIGHT)

    def paint(self, painter: QPainter) -> None:
        for i, part in enumerate(self._parts):
            place, here = self.place(i), part.key == self.current
            focused = here and self.hasFocus()
            painter.setPen(
                theme.pen("focus" if focused else "accent" if here else "line", 1.5 if here else 1.0)
            )
            painter.setBrush(theme.colour("raised"))
            painter.drawRoundedRect(place, 4, 4)
            indent = 10.0
            if lamp := self._lamps.get(part.key):
                paint_lamp(painter, QRectF(place.left() + 9, place.top() + 8, 9, 9), lamp)
                indent = 26.0
            x, room = place.left() + indent, place.width() - indent - 8
            write(painter, QPointF(x, place.top() + 17), elided(part.title, text_font(), room), "text")
            second = elided(self.words_of(part), text_font(Size.SMALL), room)
            write(painter, QPointF(x, place.top() + 34), second, "soft", text_font(Size.SMALL))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for i, part in enumerate(self._parts):
            if event is not None and self.place(i).contains(event.position()):
                self.chosen.emit(part.key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event else None
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self._columns,
            Qt.Key.Key_Down: self._columns,
        }
        if key not in steps or not self._parts:
            super().keyPressEvent(event)
            return
        keys = [part.key for part in self._parts]
        here = keys.index(self.current) if self.current in keys else -1
        there = here + steps[Qt.Key(key)] if here >= 0 else 0
        if 0 <= there < len(keys):
            self.chosen.emit(keys[there])
