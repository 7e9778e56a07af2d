"""The list at the left: what tonight offers, what a search found, what is on the shelf."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vigil.documents.shelf import Framed
from vigil.files.deepsky import DeepSkyObject
from vigil.planning.offer import Offer
from vigil.ui import words
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.theme import Size, number_font, text_font, theme

ROW = 46
_BAR = 58


@dataclass(frozen=True, slots=True)
class Row:
    """One line of two: `share` 0…1 is drawn as a bar, where there is one; `what` is what choosing it
    gives."""

    name: str
    about: str
    figure: str
    note: str
    share: float | None
    what: DeepSkyObject | Framed


def row_of_offer(offer: Offer) -> Row:
    entry = offer.entry
    common = entry.common_names[0] if entry.common_names else entry.kind
    size = f" · {words.arc(entry.major_arcmin)}" if entry.major_arcmin else ""
    return Row(entry.name, f"{common}{size}", f"{offer.hours:.1f} h", offer.fit, offer.score, entry)


def row_of_entry(entry: DeepSkyObject) -> Row:
    common = f"{entry.common_names[0]} · " if entry.common_names else ""
    size = words.arc(entry.major_arcmin) if entry.major_arcmin else ""
    place = f" · {entry.constellation}" if entry.constellation else ""
    return Row(entry.name, f"{common}{entry.kind}{place}", size, "", None, entry)


def row_of_framed(framed: Framed) -> Row:
    g = framed.framing
    panels = f"{g.columns} {words.TIMES} {g.rows}" if g.count > 1 else ""
    about = ", ".join(framed.tags) or f"at {g.position_angle_deg:.0f}°"
    count = sum(line.count for line in framed.lines)
    return Row(framed.name, about, panels, f"{count} frames" if count else "no lines yet", None, framed)


class Offers(Picture):
    """Walked through with the arrows; the chosen one has the accent at its left."""

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Targets")
        self.rows: list[Row] = []
        self.current = -1
        self.empty_words = ""

    def show_rows(self, rows: list[Row], empty_words: str, keep: str = "") -> None:
        """`keep` is the name that stays marked, where it is among them."""
        self.rows, self.empty_words = rows, empty_words
        self.current = next((i for i, row in enumerate(rows) if row.name == keep), -1)
        self.setFixedHeight(max(ROW, ROW * len(rows)))
        self.update()

    @property
    def entries(self) -> list[DeepSkyObject | Framed]:
        return [row.what for row in self.rows]

    @property
    def current_row(self) -> Row | None:
        return self.rows[self.current] if 0 <= self.current < len(self.rows) else None

    def choose(self, index: int) -> None:
        if 0 <= index < len(self.rows):
            self.current = index
            self.setAccessibleDescription(self.rows[index].name)
            self.update()
            self.chosen.emit(self.rows[index].what)

    def step(self, by: int) -> None:
        self.choose(min(len(self.rows) - 1, max(0, self.current + by)))

    def row_rect(self, index: int) -> QRectF:
        return QRectF(0, index * ROW, self.width(), ROW)

    def sizeHint(self) -> QSize:
        return QSize(200, max(ROW, ROW * len(self.rows)))

    def copy_text(self) -> str:
        return "\n".join(f"{r.name}\t{r.about}\t{r.figure}\t{r.note}" for r in self.rows)

    def paint(self, painter: QPainter) -> None:
        small = text_font(Size.SMALL)
        if not self.rows:
            write(painter, QPointF(2, 18), elided(self.empty_words, small, self.width() - 4), "faint", small)
        visible = self.visibleRegion().boundingRect()
        for i, row in enumerate(self.rows):
            rect = self.row_rect(i)
            if rect.bottom() < visible.top() or rect.top() > visible.bottom():
                continue
            if i == self.current:
                painter.fillRect(rect, theme.colour("raised"))
                painter.fillRect(QRectF(rect.left(), rect.top(), 2, rect.height()), theme.colour("accent"))
            right = rect.right() - 6
            used = write(painter, QPointF(right, rect.top() + 19), row.figure, "text", number_font(), RIGHT)
            if row.share is not None:
                self._bar(painter, right - used - 10 - _BAR, rect.top() + 14, row.share, i == self.current)
                used += _BAR + 10
            strong = text_font(strong=True)
            name = elided(row.name, strong, right - used - 20)
            write(painter, QPointF(10, rect.top() + 19), name, "text", strong)
            used = write(painter, QPointF(right, rect.top() + 36), row.note, "soft", small, RIGHT)
            about = elided(row.about, small, right - used - 20)
            write(painter, QPointF(10, rect.top() + 36), about, "soft", small)

    def _bar(self, painter: QPainter, left: float, y: float, share: float, current: bool) -> None:
        painter.fillRect(QRectF(left, y, _BAR, 2), theme.colour("line"))
        painter.fillRect(QRectF(left, y, _BAR * share, 2), theme.colour("accent" if current else "soft"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.choose(int(event.position().y() // ROW))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key()) if event else None
        if step is None:
            super().keyPressEvent(event)
        else:
            self.step(step)
