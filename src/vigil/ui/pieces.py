"""Small things that several screens are made of."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from vigil.ui.picture import LEFT, RIGHT, Picture, elided, text_width, write
from vigil.ui.theme import Size, number_font, smooth, text_font, theme


def label(text: str = "", role: str = "") -> QLabel:
    """Words in one of the theme's roles."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setIndent(0)
    if role:
        made.setProperty("role", role)
    return made


def wrapped(text: str = "", role: str = "soft") -> QLabel:
    made = label(text, role)
    made.setWordWrap(True)
    return made


class Told(QLabel):
    """Wrapped words that claim the height they need: a scrolled column would squeeze a plain label. Room for
    so many `lines` is kept where words change while somebody works in what stands below."""

    def __init__(self, text: str = "", role: str = "soft", lines: int = 1) -> None:
        self._lines = lines
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(True)
        self.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.setIndent(0)
        self.setProperty("role", role)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self._claim()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._claim()

    def _claim(self) -> None:
        self.setMinimumHeight(0)  # a label's height is never reckoned under its least one
        room = self._lines * self.fontMetrics().lineSpacing()
        self.setMinimumHeight(max(self.heightForWidth(self.width()), room) if self.text() else 0)


def button(text: str, role: str = "", tip: str = "", keys: str = "") -> QPushButton:
    """A button; its shortcut is shown in its tooltip."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    made.setToolTip(f"{tip}  {keys}".strip() if keys else tip)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def column(*widgets: QWidget, margin: int = 0, gap: int = Size.GAP) -> QVBoxLayout:
    layout = QVBoxLayout()
    layout.setContentsMargins(margin, margin, margin, margin)
    layout.setSpacing(gap)
    for widget in widgets:
        layout.addWidget(widget)
    return layout


def row(*widgets: QWidget, gap: int = Size.GAP) -> QHBoxLayout:
    layout = QHBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(gap)
    for widget in widgets:
        layout.addWidget(widget)
    return layout


class Facts(Picture):
    """Names at the left, values at the right, one a line; numbers in the tabular family."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._facts: list[tuple[str, str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def show_facts(self, facts: list[tuple[str, str]]) -> None:
        if facts != self._facts:
            self._facts = facts
            self.setAccessibleName("; ".join(f"{name} {value}" for name, value in facts))
            self.updateGeometry()
            self.update()

    @property
    def facts(self) -> list[tuple[str, str]]:
        return self._facts

    def sizeHint(self) -> QSize:
        return QSize(200, 21 * max(1, len(self._facts)))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paint(self, painter: QPainter) -> None:
        for i, (name, value) in enumerate(self._facts):
            base = 21 * i + 15
            write(painter, QPointF(0, base), name, "soft")
            write(painter, QPointF(self.width(), base), value, "text", number_font(), RIGHT)

    def needed_width(self) -> float:
        """For the test that nothing is clipped."""
        return max(
            (text_width(n, text_font()) + 8 + text_width(v, number_font()) for n, v in self._facts), default=0
        )


class ProgressBar(Picture):
    """A thin bar; None says that something goes on whose end is not known."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._share: float | None = 0.0
        self.setFixedHeight(6)
        self.setMinimumWidth(60)

    @property
    def share(self) -> float | None:
        return self._share

    def show_share(self, share: float | None) -> None:
        share = None if share is None else round(min(1.0, max(0.0, share)), 3)
        if share != self._share:
            self._share = share
            self.update()

    def paint(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawRoundedRect(QRectF(self.rect()), 3, 3)
        if self._share:
            painter.setBrush(theme.colour("accent"))
            painter.drawRoundedRect(QRectF(0, 0, self.width() * self._share, self.height()), 3, 3)
        elif self._share is None:
            painter.setBrush(theme.colour("accent", 0.35))
            painter.drawRoundedRect(QRectF(self.rect()), 3, 3)


class Lamp(Picture):
    """A device's state as a shape: disc ready, disc with a gap busy, hollow square off, triangle fault."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._name, self._state = name, "not connected"
        self.setFixedHeight(Size.STATUS - 2)
        self._fit()

    def show_state(self, state: str) -> None:
        if state != self._state:
            self._state = state
            self._fit()
            self.update()

    @property
    def state(self) -> str:
        return self._state

    def _fit(self) -> None:
        self.setFixedWidth(round(text_width(self._name, text_font(Size.SMALL))) + 18)
        self.setToolTip(f"{self._name}: {self._state}")
        self.setAccessibleName(f"{self._name}: {self._state}")

    def paint(self, painter: QPainter) -> None:
        paint_lamp(painter, QRectF(1, self.height() / 2 - 4.5, 9, 9), self._state)
        role = "soft" if self._state in ("ready", "busy") else "faint"
        if self._state not in ("ready", "busy", "not connected"):
            role = "fault"
        write(painter, QPointF(15, self.height() / 2 + 4.5), self._name, role, text_font(Size.SMALL))


def paint_lamp(painter: QPainter, disc: QRectF, state: str) -> None:
    """A device's state in a square of nine pixels."""
    painter.setPen(Qt.PenStyle.NoPen)
    if state == "ready":
        painter.setBrush(theme.colour("accent"))
        painter.drawEllipse(disc)
    elif state == "busy":
        painter.setBrush(theme.colour("text"))
        painter.drawPie(disc, 90 * 16, 270 * 16)
    elif state == "not connected":
        painter.setPen(theme.pen("faint", 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(disc.adjusted(0.5, 0.5, -0.5, -0.5))
    else:
        painter.setBrush(theme.colour("fault"))
        triangle = QPainterPath(QPointF(disc.center().x(), disc.top()))
        triangle.lineTo(disc.bottomRight())
        triangle.lineTo(disc.bottomLeft())
        painter.drawPath(triangle)


class Choice(QComboBox):
    """A combo box with an arrow of the theme's; the wheel changes it only when it has the focus."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = smooth(QPainter(self))
        x, y = self.width() - 12.0, self.height() / 2 - 1.0
        arrow = QPainterPath(QPointF(x - 3.5, y - 1.5))
        arrow.lineTo(x, y + 2.5)
        arrow.lineTo(x + 3.5, y - 1.5)
        painter.setPen(theme.pen("soft" if self.isEnabled() else "faint", 1.4))
        painter.drawPath(arrow)


class Note(QWidget):
    """An empty, busy or error state: what it is, why, and the one thing to do."""

    def __init__(self, title: str, why: str = "", action: QPushButton | None = None) -> None:
        super().__init__()
        self.title, self.why = label(title, "title"), wrapped(why)
        self.title.setWordWrap(True)
        self.title.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.why.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.why.setFixedWidth(440)
        inner = column(self.title, gap=Size.GAP)
        inner.addLayout(_in_the_middle(self.why))
        self.action = action
        if action is not None:
            inner.addSpacing(Size.GAP)
            inner.addLayout(_in_the_middle(action))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(Size.MARGIN, Size.MARGIN, Size.MARGIN, Size.MARGIN)
        outer.addStretch(1)
        outer.addLayout(inner)
        outer.addStretch(1)

    def say(self, title: str, why: str = "") -> None:
        self.title.setText(title)
        self.why.setText(why)


def _in_the_middle(widget: QWidget) -> QHBoxLayout:
    """Stretches at both sides: an alignment would keep wrapped words from growing in height."""
    layout = row()
    layout.addStretch(1)
    layout.addWidget(widget)
    layout.addStretch(1)
    return layout


class OneLine(Picture):
    """A line of words that is cut with an ellipsis where there is no room, and whole in its tooltip."""

    def __init__(
        self, role: str = "text", strong: bool = False, size: int = Size.BODY, align: Qt.AlignmentFlag = LEFT
    ) -> None:
        super().__init__()
        self._align = align
        self._text, self._role = "", role
        self._strong = strong
        self._font = text_font(size, strong)
        self.setMinimumWidth(40)
        self.setFixedHeight(size + 9)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    @property
    def text(self) -> str:
        return self._text

    def enlarge(self, size: int) -> None:
        """Another text size."""
        self._font = text_font(size, self._strong)
        self.setFixedHeight(size + 9)
        self.update()

    def say(self, text: str, role: str | None = None) -> None:
        role = role or self._role
        if (text, role) != (self._text, self._role):
            self._text, self._role = text, role
            self.setToolTip(text)
            self.setAccessibleName(text)
            self.update()

    def paint(self, painter: QPainter) -> None:
        shown = elided(self._text, self._font, self.width())
        where = QPointF(
            self.width() if self._align == RIGHT else 0, self.height() / 2 + self._font.pixelSize() * 0.36
        )
        write(painter, where, shown, self._role, self._font, self._align)
