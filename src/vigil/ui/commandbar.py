"""Ctrl+K: type to go anywhere or do anything."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import QFrame, QWidget

from vigil.ui.actions import Action
from vigil.ui.caret import TextLine
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.pieces import column
from vigil.ui.theme import Size, number_font, text_font, theme

_MOST_ROWS = 10
_ROW = 30
_WIDTH = 560

Finder = Callable[[str], list[Action]]


class _Rows(Picture):
    """What was found, one a row: name, why not, shortcut."""

    def __init__(self, chosen: Callable[[Action], None]) -> None:
        super().__init__()
        self._chosen = chosen
        self.actions_found: list[Action] = []
        self.current = 0

    def show_found(self, found: list[Action]) -> None:
        self.actions_found, self.current = found[:_MOST_ROWS], 0
        self.setFixedHeight(_ROW * max(1, len(self.actions_found)))
        self.update()

    def move(self, by: int) -> None:  # type: ignore[override]
        if self.actions_found:
            self.current = (self.current + by) % len(self.actions_found)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH, _ROW * max(1, len(self.actions_found)))

    def paint(self, painter: QPainter) -> None:
        if not self.actions_found:
            write(painter, QPointF(10, 20), "nothing of this name", "soft")
        for i, action in enumerate(self.actions_found):
            top = i * _ROW
            if i == self.current:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("accent_fill"))
                painter.drawRoundedRect(QRectF(0, top + 1, self.width(), _ROW - 2), 3, 3)
            why_not = action.hindrance()
            taken = write(
                painter, QPointF(self.width() - 10, top + 20), action.keys, "soft", number_font(), RIGHT
            )
            room = self.width() - 30 - taken
            used = write(
                painter,
                QPointF(10, top + 20),
                elided(action.name, text_font(), room),
                "faint" if why_not else "text",
            )
            if why_not:
                shown = elided(why_not, text_font(Size.SMALL), room - used - 12)
                write(painter, QPointF(22 + used, top + 20), shown, "faint", text_font(Size.SMALL))

    def mousePressEvent(self, event: object) -> None:
        row = int(event.position().y() // _ROW)  # type: ignore[attr-defined]
        if 0 <= row < len(self.actions_found):
            self.current = row
            self._chosen(self.actions_found[row])


class CommandBar(QFrame):
    """A line to type in over a short list; Esc leaves."""

    def __init__(self, parent: QWidget, find: Finder) -> None:
        super().__init__(parent)
        self.setObjectName("overlay")
        self._find = find
        self._back_to: QWidget | None = None
        self.line = TextLine()
        self.line.setPlaceholderText("do or go: start, hold, Watch, a target's name …")
        self.line.setAccessibleName("Type an action, a workspace or a target")
        self.rows = _Rows(self._carry_out)
        self.setLayout(column(self.line, self.rows, margin=10))
        self.line.textChanged.connect(self._typed)
        self.line.returnPressed.connect(self._enter)
        self.line.installEventFilter(self)
        self.hide()

    def open(self) -> None:
        window = self.window()
        self._back_to = window.focusWidget() if window is not None else None
        self.line.clear()
        self._typed("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def close_bar(self) -> None:
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def place(self) -> None:
        """Under the ribbon, in the middle."""
        parent = self.parentWidget()
        if parent is not None:
            width = min(_WIDTH, parent.width() - 40)
            self.setFixedWidth(width)
            self.adjustSize()
            self.move((parent.width() - width) // 2, Size.RIBBON + Size.WORKSPACES + 8)

    def _typed(self, text: str) -> None:
        self.rows.show_found(self._find(text))
        self.place()

    def _enter(self) -> None:
        if self.rows.actions_found:
            self._carry_out(self.rows.actions_found[self.rows.current])

    def _carry_out(self, action: Action) -> None:
        if action.hindrance():
            return
        self.close_bar()
        action.run()

    def eventFilter(self, watched: object, event: object) -> bool:  # type: ignore[override]
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Down:
                self.rows.move(1)
                return True
            if event.key() == Qt.Key.Key_Up:
                self.rows.move(-1)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close_bar()
                return True
        return False
