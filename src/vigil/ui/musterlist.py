"""What muster found: each with its reason, a way to its field, and a remedy where there is one click."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vigil.planning.muster import Finding
from vigil.ui.picture import Picture, elided, write
from vigil.ui.pieces import button, label, paint_lamp, row
from vigil.ui.theme import text_font, theme


class FindingLine(Picture):
    """A link in words: click it, or press Enter on it, to go to the field."""

    followed = pyqtSignal()

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.finding = finding
        self.setFixedHeight(24)
        self.setMinimumWidth(60)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        kind = "doubtful" if finding.doubt else "wrong"
        self.setAccessibleName(f"{kind}: {finding.words}")
        self.setToolTip(finding.words)

    def paint(self, painter: QPainter) -> None:
        mark = QRectF(2, self.height() / 2 - 4.5, 9, 9)
        if self.finding.doubt:
            painter.setPen(theme.pen("warn", 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(mark)
        else:
            paint_lamp(painter, mark, "fault")
        words = elided(self.finding.words, text_font(), self.width() - 24)
        write(painter, QPointF(20, self.height() / 2 + 4.5), words, "text", text_font())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.followed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.followed.emit()
            return
        super().keyPressEvent(event)


class MusterList(QWidget):
    """`wanted` asks for a finding's field, `remedied` for its remedy."""

    wanted = pyqtSignal(object)
    remedied = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[FindingLine] = []
        self.remedies: dict[int, QPushButton] = {}
        self._rows: list[QWidget] = []
        self._found: list[Finding] | None = None
        self.quiet = label("", "small")
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)
        self._layout.addWidget(self.quiet)
        self._layout.addStretch(1)

    def show_findings(self, found: list[Finding], quiet: str) -> None:
        """`quiet` is said when there are none."""
        self.quiet.setText(quiet)
        self.quiet.setVisible(not found)
        if found == self._found:
            return
        self._found = found
        for old in self._rows:
            self._layout.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.lines, self.remedies, self._rows = [], {}, []
        for n, finding in enumerate(found):
            line = FindingLine(finding)
            line.followed.connect(lambda f=finding: self.wanted.emit(f))
            layout = row(line)
            layout.setStretch(0, 1)
            if finding.remedy is not None:
                made = button(finding.remedy.words, "small", finding.words)
                made.clicked.connect(lambda _=False, f=finding: self.remedied.emit(f))
                self.remedies[n] = made
                layout.addWidget(made)
            holder = QWidget()
            holder.setLayout(layout)
            self.lines.append(line)
            self._rows.append(holder)
            self._layout.insertWidget(self._layout.count() - 1, holder)
