"""The row of workspace words under the ribbon."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QWidget

from vigil.ui.picture import Picture, text_width, write
from vigil.ui.theme import Size, text_font, theme

GROUPS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("by day", ("Rig", "Targets", "Night")),
    ("in the dark", ("Tune", "Watch")),
    ("after", ("Flats & darks", "Ledger")),
)
WORKSPACES = tuple(name for _, names in GROUPS for name in names)


class WorkspaceRow(Picture):
    """Plain words in the order of the work; left and right arrows move among them."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._current = WORKSPACES[0]
        self._words: list[tuple[str, QRectF]] = []
        self.setFixedHeight(Size.WORKSPACES)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._lay_out()
        self.show_current(self._current)

    @property
    def current(self) -> str:
        return self._current

    def show_current(self, name: str) -> None:
        self._current = name
        self.setAccessibleName(f"Workspaces: {name}")
        self.update()

    def place_of(self, name: str) -> QRectF:
        """Where a word stands, for clicking on it."""
        return next(rect for word, rect in self._words if word == name)

    def _lay_out(self) -> None:
        self._words, self._captions = [], []
        x = float(Size.MARGIN)
        for caption, names in GROUPS:
            self._captions.append((caption, x))
            x += text_width(caption, text_font(Size.SMALL)) + 8
            for name in names:
                width = text_width(name, text_font(Size.HEAD, strong=True))
                self._words.append((name, QRectF(x, 0, width + 4, Size.WORKSPACES)))
                x += width + 16
            x += 8
        self._needed = x - 24

    def minimumSizeHint(self) -> QSize:
        return QSize(round(self._needed), Size.WORKSPACES)

    def paint(self, painter: QPainter) -> None:
        base = Size.WORKSPACES / 2 + 5
        for caption, x in self._captions:
            write(painter, QPointF(x, base), caption, "faint", text_font(Size.SMALL))
        for name, rect in self._words:
            here = name == self._current
            font = text_font(Size.HEAD, strong=here)
            under_pointer = rect.contains(QPointF(self.mapFromGlobal(self.cursor().pos())))
            write(
                painter, QPointF(rect.left(), base), name, "text" if here or under_pointer else "soft", font
            )
            if here:
                width = text_width(name, font)
                painter.fillRect(QRectF(rect.left(), Size.WORKSPACES - 3, width, 2), theme.colour("accent"))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        over = event is not None and any(r.contains(event.position()) for _, r in self._words)
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        for i, (name, rect) in enumerate(self._words):
            if event is not None and rect.contains(event.position()):
                self.setToolTip(f"{name}  Ctrl+{i + 1}")
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for name, rect in self._words:
            if event is not None and rect.adjusted(-8, 0, 8, 0).contains(event.position()):
                self.chosen.emit(name)
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key()) if event else None
        if step is None:
            super().keyPressEvent(event)
            return
        here = WORKSPACES.index(self._current)
        self.chosen.emit(WORKSPACES[(here + step) % len(WORKSPACES)])
