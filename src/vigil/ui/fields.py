"""Fields in which a value takes effect on Enter or on leaving; until then it looks different."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QRectF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton

from vigil.ui.caret import TextLine
from vigil.ui.theme import set_styled, smooth, theme


class ValueField(TextLine):
    """`apply` gets the text and raises ValueError with what would be right; the last good value stays."""

    def __init__(self, name: str, apply: Callable[[str], None], said: Callable[[str], None]) -> None:
        super().__init__()
        self._apply, self._said = apply, said
        self._in_force = ""
        self.setAccessibleName(name)
        self.setProperty("role", "number")
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._tip = name
        self.setToolTip(name)
        self.textEdited.connect(lambda _: self._mark())
        self.returnPressed.connect(self.commit)

    def show_value(self, text: str) -> None:
        """The value in force; what is being typed is not disturbed."""
        self._in_force = text
        if not self.hasFocus() or not self.isModified():
            self.setText(text)
            self._set_state("")

    @property
    def state(self) -> str:
        """ "" in force, "pending" typed but not yet in force, "wrong" refused."""
        return str(self.property("state") or "")

    def commit(self) -> None:
        if self.text().strip() == self._in_force:
            self.setText(self._in_force)
            self._set_state("")
            return
        try:
            self.setModified(False)
            self._apply(self.text().strip())
        except ValueError as problem:
            self.setModified(True)
            self._set_state("wrong")
            self.setToolTip(str(problem))
            self._said(str(problem))
            return
        self._said("")
        self._set_state("")
        self.setToolTip(self._tip)

    def _mark(self) -> None:
        self._set_state("" if self.text().strip() == self._in_force else "pending")

    def _set_state(self, state: str) -> None:
        set_styled(self, "state", state)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if self.state == "pending":
            self.commit()

    def event(self, event: QEvent | None) -> bool:
        """Once a value is in force, undo is the plan's, not the field's."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and not self.state:
            keys = QKeySequence.StandardKey
            if event.matches(keys.Undo) or event.matches(keys.Redo):
                return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.state:
            self.setModified(False)
            self.setText(self._in_force)
            self._set_state("")
            self._said("")
            return
        super().keyPressEvent(event)


class BackMark(QAbstractButton):
    """A dot beside what differs from its default; pressed, it brings the default back."""

    WIDTH = 14

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(self.WIDTH, self.WIDTH + 8)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        theme.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = smooth(QPainter(self))
        middle = QRectF(self.rect()).center()
        if self.hasFocus():
            painter.setPen(theme.pen("focus", 1.5))
            painter.drawEllipse(middle, 6, 6)
        if self.isEnabled():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("accent"))
            painter.drawEllipse(middle, 3, 3)


def whole_number(text: str, what: str, least: int, most: int) -> int:
    """Raises ValueError that says what would be right."""
    try:
        value = int(text)
    except ValueError:
        raise ValueError(f"{what}: {text!r} is no whole number; write {least} to {most}") from None
    if not least <= value <= most:
        raise ValueError(f"{what}: {value} is not possible; {least} to {most}")
    return value


def number(text: str, what: str, above: float, most: float) -> float:
    """The same for numbers with decimals; a comma is understood as a point."""
    try:
        value = float(text.replace(",", ".").removesuffix("s").strip())
    except ValueError:
        raise ValueError(f"{what}: {text!r} is no number; write one up to {most:g}") from None
    if not above < value <= most:
        raise ValueError(f"{what}: {value:g} is not possible; above {above:g}, up to {most:g}")
    return value
