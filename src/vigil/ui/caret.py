"""A line to type in whose caret has a colour of the theme's.

Qt draws the caret by inverting what is under it: a bright cyan stroke in red light. Ours is drawn over a
field whose own caret is made zero pixels wide. It does not blink: nothing is repainted for it.
"""

from functools import cache

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLineEdit, QProxyStyle, QStyle, QStyleOption, QWidget

from vigil.ui.theme import theme


class _NoCaret(QProxyStyle):
    """The application's style, with a caret of no width."""

    def pixelMetric(
        self,
        metric: QStyle.PixelMetric,
        option: QStyleOption | None = None,
        widget: QWidget | None = None,
    ) -> int:
        if metric == QStyle.PixelMetric.PM_TextCursorWidth:
            return 0
        return super().pixelMetric(metric, option, widget)


@cache
def _no_caret() -> _NoCaret:
    return _NoCaret("fusion")


class TextLine(QLineEdit):
    """A QLineEdit with the theme's caret."""

    def __init__(self) -> None:
        super().__init__()
        self.setStyle(_no_caret())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.hasFocus() and not self.isReadOnly() and not self.hasSelectedText():
            where = QRectF(self.cursorRect())
            painter = QPainter(self)
            painter.fillRect(
                QRectF(where.center().x(), where.top() + 2, 1.4, where.height() - 4), theme.colour("text")
            )
