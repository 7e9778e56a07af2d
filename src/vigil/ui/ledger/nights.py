"""All nights: what each gave, and what it lost."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from vigil.ledger.accounts import NightLost
from vigil.ledger.reading import NightRow
from vigil.ui.ledger.rows import Rows
from vigil.ui.picture import RIGHT, elided, write
from vigil.ui.theme import Size, number_font, text_font, theme

_BAR_LEFT_PX, _BAR_PX = 170, 300


class NightRows(Rows):
    """A line a night, newest first."""

    def __init__(self) -> None:
        super().__init__("Nights", 34, 26)
        self._nights: list[NightRow] = []
        self._lost: dict[tuple[str, str], NightLost] = {}

    def show_nights(self, nights: Sequence[NightRow], lost: Sequence[NightLost], said: str) -> None:
        """`said` where there are none."""
        self._nights = list(nights)
        self._lost = {(n.evening, n.rig): n for n in lost}
        self.rows_changed(said)

    @property
    def night(self) -> NightRow | None:
        return self._nights[self.at] if self._nights else None

    def lost_of(self, night: NightRow) -> dict[str, float]:
        found = self._lost.get((night.evening, night.rig))
        return found.lost_s if found is not None else {}

    def count(self) -> int:
        return len(self._nights)

    def words_of(self, number: int) -> str:
        night = self._nights[number]
        lost = ", ".join(f"{s / 60:.0f} min lost: {c}" for c, s in self.lost_of(night).items() if s >= 60)
        return f"{night.evening}, {night.rig}: {night.kept_h:.1f} h kept of {night.taken_h:.1f}; {lost}"

    def copy_text(self) -> str:
        lines = ["evening\trig\tframes\ttaken_h\tkept_h\tdoubtful\trejected\ttargets"]
        for n in self._nights:
            figures = f"{n.frames}\t{n.taken_h:.3f}\t{n.kept_h:.3f}\t{n.doubtful}\t{n.rejected}"
            lines.append(f"{n.evening}\t{n.rig}\t{figures}\t{', '.join(n.targets)}")
        return "\n".join(lines) if self._nights else ""

    def paint_head(self, painter: QPainter, box: QRectF) -> None:
        small = text_font(Size.SMALL)
        for x, name in ((0, "evening"), (84, "rig"), (_BAR_LEFT_PX, "hours kept of those taken")):
            write(painter, QPointF(box.left() + x, 17), name, "faint", small)
        write(
            painter,
            QPointF(box.left() + _BAR_LEFT_PX + _BAR_PX + 96, 17),
            "targets, and what was lost",
            "faint",
            small,
        )
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), 25.5), QPointF(box.right(), 25.5))

    def paint_row(self, painter: QPainter, number: int, box: QRectF) -> None:
        night = self._nights[number]
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        base = box.top() + 21
        write(painter, QPointF(box.left(), base), night.evening, "text", numbers)
        write(painter, QPointF(box.left() + 84, base), elided(night.rig, small, 78), "soft", small)
        most = max(max(n.taken_h for n in self._nights), 1.0)
        bar = QRectF(box.left() + _BAR_LEFT_PX, box.top() + 10, _BAR_PX, 13)
        taken = QRectF(bar.left(), bar.top(), bar.width() * night.taken_h / most, bar.height())
        painter.setPen(theme.pen("soft"))
        painter.drawRect(taken.adjusted(0.5, 0.5, -0.5, -0.5))
        kept = QRectF(bar.left(), bar.top(), bar.width() * night.kept_h / most, bar.height())
        painter.fillRect(kept, theme.colour("accent"))
        told = f"{night.kept_h:.1f} of {night.taken_h:.1f}"
        write(painter, QPointF(bar.right() + 84, base), told, "text", numbers, RIGHT)
        lost = [f"{s / 60:.0f} min {c}" for c, s in self.lost_of(night).items() if s >= 60]
        under_way = "" if night.over_at else "under way"
        words = " · ".join(part for part in (", ".join(night.targets), *lost[:2], under_way) if part)
        left = bar.right() + 96
        write(painter, QPointF(left, base), elided(words, small, box.right() - left), "soft", small)
