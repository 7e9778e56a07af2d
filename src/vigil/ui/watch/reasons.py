"""The reason log: every decision with its numbers, the newest first."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vigil.documents.reasonlog import Sentence, Weight
from vigil.ui import words
from vigil.ui.picture import Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_TIME_COLUMN = 46
_MOST_SHOWN = 200
_ROLES = {Weight.PLAIN: "text", Weight.NOTICE: "warn", Weight.FAULT: "fault"}


class Reasons(Picture):
    """Sits in a scroll area; as tall as what it says."""

    def __init__(self, zone: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._zone = zone
        self._sentences: list[Sentence] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Reason log")

    @property
    def sentences(self) -> list[Sentence]:
        """What is shown, the newest first."""
        return self._sentences

    def show_sentences(self, sentences: list[Sentence]) -> None:
        newest = sentences[: -_MOST_SHOWN - 1 : -1]
        if newest != self._sentences:
            self._sentences = newest
            if newest:
                self.setAccessibleDescription(f"{newest[0].what}: {newest[0].why}")
            self._refit()

    def resizeEvent(self, event: object) -> None:
        self._refit()

    def _refit(self) -> None:
        self.setFixedHeight(max(24, round(self._flow(None))))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    def copy_text(self) -> str:
        return "\n".join(f"{s.at:%Y-%m-%dT%H:%M:%S}\t{s.what}\t{s.why}" for s in reversed(self._sentences))

    def paint(self, painter: QPainter) -> None:
        if not self._sentences:
            write(painter, QPointF(0, 14), "nothing has happened yet", "faint")
        self._flow(painter)

    def _flow(self, painter: QPainter | None) -> float:
        """Lay the sentences out, drawing them when there is a painter; returns the height."""
        width = max(60.0, self.width() - _TIME_COLUMN - 4.0)
        top = 0.0
        for sentence in self._sentences:
            if painter is not None:
                clock = words.clock(sentence.at, self._zone)
                write(painter, QPointF(0, top + 13), clock, "faint", number_font(Size.SMALL))
            for text, role, font in (
                (sentence.what, _ROLES[sentence.weight], text_font()),
                (sentence.why, "soft", text_font(Size.SMALL)),
            ):
                if not text:
                    continue
                box = QRectF(_TIME_COLUMN, top, width, 400)
                flags = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft
                height = QFontMetricsF(font).boundingRect(box, int(flags.value), text).height()
                if painter is not None:
                    painter.setFont(font)
                    painter.setPen(theme.colour(role))
                    painter.drawText(QRectF(_TIME_COLUMN, top, width, height + 4), int(flags.value), text)
                top += height + 1
            top += 7
        return top
