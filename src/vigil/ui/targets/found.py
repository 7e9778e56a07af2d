"""What a search found: a list to walk through with the arrows."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vigil.files.deepsky import DeepSkyObject
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW = 46


class Found(Picture):
    """One object in two lines; the chosen one has the accent at its left."""

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Objects found")
        self.entries: list[DeepSkyObject] = []
        self.current = -1
        self.empty_words = ""

    def show_entries(self, entries: list[DeepSkyObject], empty_words: str) -> None:
        self.entries, self.current, self.empty_words = entries, -1, empty_words
        self.setFixedHeight(max(_ROW, _ROW * len(entries)))
        self.update()

    def choose(self, index: int) -> None:
        if 0 <= index < len(self.entries):
            self.current = index
            self.setAccessibleDescription(self.entries[index].name)
            self.update()
            self.chosen.emit(self.entries[index])

    def step(self, by: int) -> None:
        self.choose(min(len(self.entries) - 1, max(0, self.current + by)))

    def row_rect(self, index: int) -> QRectF:
        return QRectF(0, index * _ROW, self.width(), _ROW)

    def sizeHint(self) -> QSize:
        return QSize(200, max(_ROW, _ROW * len(self.entries)))

    def paint(self, painter: QPainter) -> None:
        if not self.entries:
            write(painter, QPointF(2, 18), self.empty_words, "faint", text_font(Size.SMALL))
        for i, entry in enumerate(self.entries):
            rect = self.row_rect(i)
            if i == self.current:
                painter.fillRect(rect, theme.colour("raised"))
                painter.fillRect(QRectF(rect.left(), rect.top(), 2, rect.height()), theme.colour("accent"))
            size = words.arc(entry.major_arcmin) if entry.major_arcmin else ""
            used = write(
                painter, QPointF(rect.right() - 4, rect.top() + 19), size, "soft", number_font(), RIGHT
            )
            name = elided(entry.name, text_font(strong=True), rect.width() - used - 24)
            write(painter, QPointF(10, rect.top() + 19), name, "text", text_font(strong=True))
            small = text_font(Size.SMALL)
            about = f"{entry.common_name} · {entry.kind}" if entry.common_name else entry.kind
            about = f"{about} · {entry.constellation}" if entry.constellation else about
            write(
                painter, QPointF(10, rect.top() + 36), elided(about, small, rect.width() - 16), "soft", small
            )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.choose(int(event.position().y() // _ROW))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key()) if event else None
        if step is None:
            super().keyPressEvent(event)
        else:
            self.step(step)
