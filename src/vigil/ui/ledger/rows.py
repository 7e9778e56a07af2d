"""Painted rows, one of which is chosen by keys or the pointer."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent

from vigil.ui.picture import Picture
from vigil.ui.theme import Size, theme


class Rows(Picture):
    """As many as there is room for are seen; the chosen one is always among them."""

    chosen = pyqtSignal(int)

    def __init__(self, name: str, row_px: int, head_px: int = 0) -> None:
        super().__init__()
        self.row_px, self.head_px = row_px, head_px
        self.at = 0
        self._first = 0
        self._said = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    # -- to be told by each kind ------------------------------------------------------------------------

    def count(self) -> int:
        raise NotImplementedError

    def paint_row(self, painter: QPainter, number: int, box: QRectF) -> None:
        raise NotImplementedError

    def paint_head(self, painter: QPainter, box: QRectF) -> None:
        """Over the rows."""

    def words_of(self, number: int) -> str:
        """A row in words, for those who can't see it."""
        raise NotImplementedError

    # -- showing ----------------------------------------------------------------------------------------

    def rows_changed(self, said: str) -> None:
        """`said` in place of no rows."""
        self._said = said
        self.at = max(0, min(self.at, self.count() - 1))
        self._reach()
        self._tell()
        self.update()

    @property
    def fitting(self) -> int:
        return max(1, (self.height() - self.head_px) // self.row_px)

    def choose(self, number: int) -> None:
        number = max(0, min(number, self.count() - 1))
        if number != self.at and self.count():
            self.at = number
            self._reach()
            self._tell()
            self.update()
            self.chosen.emit(number)

    def _tell(self) -> None:
        self.setAccessibleDescription(self.words_of(self.at) if self.count() else self._said)

    def _reach(self) -> None:
        self._first = min(self._first, self.at)
        self._first = max(self._first, self.at - self.fitting + 1, 0)
        self._first = max(0, min(self._first, self.count() - self.fitting))

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._reach()

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        left, width = float(Size.MARGIN), float(self.width() - 2 * Size.MARGIN)
        if not self.count():
            box = QRectF(left, 16, min(width, 560), 120)
            painter.setPen(theme.colour("soft"))
            painter.drawText(box, int(Qt.TextFlag.TextWordWrap), self._said)
            return
        if self.head_px:
            self.paint_head(painter, QRectF(left, 0, width, self.head_px))
        for k in range(self._first, min(self.count(), self._first + self.fitting)):
            top = self.head_px + (k - self._first) * self.row_px
            if k == self.at:
                painter.fillRect(QRectF(0, top, self.width(), self.row_px), theme.colour("raised"))
                painter.fillRect(QRectF(0, top, 3, self.row_px), theme.colour("select"))
            self.paint_row(painter, k, QRectF(left, top, width, self.row_px))
        if self.count() > self.fitting:
            self._paint_scrolled(painter)

    def _paint_scrolled(self, painter: QPainter) -> None:
        """How far down one is."""
        room = self.height() - self.head_px - 4.0
        long = max(16.0, room * self.fitting / self.count())
        share = self._first / (self.count() - self.fitting)
        painter.fillRect(
            QRectF(self.width() - 5, self.head_px + 2 + share * (room - long), 3, long), theme.colour("line")
        )

    # -- keys and pointer -------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        page = self.fitting
        steps = {
            Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: page, Qt.Key.Key_PageUp: -page,
            Qt.Key.Key_Home: -self.count(), Qt.Key.Key_End: self.count(),
        }  # fmt: skip
        if event is not None and event.key() in steps:
            self.choose(self.at + steps[Qt.Key(event.key())])
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().y() >= self.head_px:
            number = self._first + int((event.position().y() - self.head_px) // self.row_px)
            if number < self.count():
                self.choose(number)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self.count() > self.fitting:
            by = -1 if event.angleDelta().y() > 0 else 1
            self._first = max(0, min(self._first + by, self.count() - self.fitting))
            self.update()
