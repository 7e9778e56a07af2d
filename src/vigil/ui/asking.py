"""What Vigil asks a person, over the work area of whatever workspace is shown."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton

from vigil.documents.errands import Question
from vigil.ui import words
from vigil.ui.pieces import button, label, row, wrapped
from vigil.ui.session import Session
from vigil.ui.theme import Size


class Asking(QFrame):
    """The question that has been open longest, its answers, and what follows without one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("banner")
        self._session = session
        self._asked: tuple[str, Question] | None = None
        self.words = wrapped("", "")
        self.otherwise = label("", "small")
        self.answers: list[QPushButton] = []
        self._row = row()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(Size.MARGIN, 6, Size.GAP, 6)
        layout.addWidget(self.words, 1)
        layout.addWidget(self.otherwise)
        layout.addSpacing(Size.GAP)
        layout.addLayout(self._row)
        for signal in (session.night_changed, session.errands_changed, session.link_changed):
            signal.connect(self.refresh)
        session.status_changed.connect(self.refresh)
        self.hide()
        self.refresh()

    def refresh(self) -> None:
        asked = next(iter(self._session.questions), None)
        if asked == self._asked:
            return
        self._asked = asked
        for old in self.answers:
            self._row.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.answers = []
        self.setVisible(asked is not None)
        if asked is None:
            return
        errand, question = asked
        self.words.setText(f"Vigil asks: {question.words}")
        self.otherwise.setText(self._without(question))
        for number, answer in enumerate(question.answers):
            made = button(
                answer[:1].upper() + answer[1:],
                "primary" if number == 0 else "",
                "The answer to what Vigil asks",
            )
            made.clicked.connect(lambda _=False, a=answer: self._session.answer(errand, question.number, a))
            self.answers.append(made)
            self._row.addWidget(made)

    def come_here(self) -> None:
        """The first answer has the keyboard."""
        if self.answers:
            self.answers[0].setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter answers as Space does."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focused = next((answer for answer in self.answers if answer.hasFocus()), None)
            if focused is not None:
                focused.click()
                return
        super().keyPressEvent(event)

    def _without(self, question: Question) -> str:
        if question.until is None or not question.otherwise:
            return ""
        return f"without an answer at {words.clock(question.until, self._session.zone)}: {question.otherwise}"
