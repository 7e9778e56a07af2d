"""Questions and troubles, asked in the window itself: never a box from elsewhere, never white."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QFrame, QLabel, QPushButton, QWidget

from vigil.ui.pieces import button, column, label, row, wrapped
from vigil.ui.theme import Size, theme

_NARROW_BANNER = 480
"""Pixels."""


class Question(QWidget):
    """Dims the window and asks; answers are buttons. Esc is the last that loses nothing."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.title, self.text = label("", "title"), wrapped()
        self._buttons: list[QPushButton] = []
        self._escape: QPushButton | None = None
        self._back_to: QWidget | None = None
        self._row = row()
        self._card = QFrame(self)
        self._card.setObjectName("overlay")
        layout = column(self.title, self.text, margin=20, gap=12)
        layout.addLayout(self._row)
        self._card.setLayout(layout)
        self.hide()

    @property
    def answers(self) -> list[QPushButton]:
        return self._buttons

    def ask(self, title: str, text: str, answers: list[tuple[str, str, Callable[[], None]]]) -> None:
        """Each answer is (words, role, what then); the first has the focus; the last that isn't
        marked as a fault is Esc's."""
        window = self.window()
        self._back_to = window.focusWidget() if window is not None else None
        self.title.setText(title)
        self.text.setText(text)
        for old in self._buttons:
            self._row.removeWidget(old)
            old.deleteLater()
        self._buttons, self._escape = [], None
        for said, role, then in answers:
            made = button(said, role)
            made.clicked.connect(lambda _=False, then=then: self._answer(then))
            made.setAutoDefault(True)
            self._buttons.append(made)
            if role != "fault":
                self._escape = made
            self._row.addWidget(made)
        self.place()
        self.show()
        self.raise_()
        self._buttons[0].setFocus()

    def _answer(self, then: Callable[[], None]) -> None:
        self.hide()
        back_to = self._back_to or self.parentWidget()
        if back_to is not None:
            back_to.setFocus()
        then()

    def place(self) -> None:
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())
            self._card.setFixedWidth(min(520, parent.width() - 40))
            self._card.adjustSize()
            self._card.move(
                (self.width() - self._card.width()) // 2, (self.height() - self._card.height()) // 3
            )

    def paintEvent(self, event: object) -> None:
        QPainter(self).fillRect(self.rect(), theme.colour("ink", 0.72))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self._escape is not None:
            self._escape.click()
            return
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focused = next((b for b in self._buttons if b.hasFocus()), None)
            if focused is not None:
                focused.click()
            return
        super().keyPressEvent(event)


class Banner(QFrame):
    """Something to know, over the work area, with what to do about it; stays until it is past."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("banner")
        self.words: QLabel = wrapped("", "")
        self.action = button("")
        self.dismiss = button("Close", "plain", "Put this message away")
        self._then: Callable[[], None] | None = None
        self.action.clicked.connect(self._act)
        self.dismiss.clicked.connect(self.hide)
        self._across = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._across.setContentsMargins(Size.MARGIN, 6, Size.GAP, 6)
        self._across.addWidget(self.words, 1)
        self._across.addLayout(row(self.action, self.dismiss))
        self.hide()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where it is narrow the words have the width to themselves."""
        narrow = self.width() < _NARROW_BANNER
        ways = QBoxLayout.Direction
        self._across.setDirection(ways.TopToBottom if narrow else ways.LeftToRight)
        super().resizeEvent(event)

    def say(
        self, text: str, action: str = "", then: Callable[[], None] | None = None, lasting: bool = False
    ) -> None:
        """A lasting one goes when its cause goes; others can be put away."""
        self.words.setText(text)
        self.action.setText(action)
        self.action.setVisible(bool(action))
        self.dismiss.setVisible(not lasting)
        self._then = then
        self.show()

    def _act(self) -> None:
        if self._then is not None:
            self._then()
