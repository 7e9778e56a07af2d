"""What is handed over: lights by filter with the calibration frames that serve them."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from vigil.ledger.handover import Gathering
from vigil.ui.ledger.rows import Rows
from vigil.ui.picture import RIGHT, elided, write
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_KINDS = ("lights", "flats", "dark flats", "darks", "bias")


@dataclass(frozen=True, slots=True)
class Group:
    """Lights of a filter and an exposure; `least` and `most` of each other kind that serve them."""

    target: str
    filter: str
    exposure_s: float
    lights: int
    each: tuple[tuple[int, int], ...]


def groups_of(gathered: Gathering) -> list[Group]:
    """By target, filter and exposure."""
    found: dict[tuple[str, str, float], list[tuple[int, int, int, int]]] = {}
    for item in gathered.lights:
        key = item.made.target, item.made.filter, item.made.exposure_s or 0.0
        found.setdefault(key, []).append(item.serving or (0, 0, 0, 0))
    return [
        Group(*key, len(mine), tuple((min(column), max(column)) for column in zip(*mine, strict=True)))
        for key, mine in found.items()
    ]


class HandoverRows(Rows):
    """A line a series of lights."""

    def __init__(self) -> None:
        super().__init__("What is handed over", 32, 30)
        self._groups: list[Group] = []

    def show_groups(self, groups: Sequence[Group], said: str) -> None:
        """`said` where there are none."""
        self._groups = list(groups)
        self.rows_changed(said)

    def count(self) -> int:
        return len(self._groups)

    def words_of(self, number: int) -> str:
        group = self._groups[number]
        served = ", ".join(f"{low} {kind}" for kind, (low, _) in zip(_KINDS[1:], group.each, strict=True))
        return f"{group.target} {group.filter} {group.exposure_s:g} s: {group.lights} lights, {served}"

    def copy_text(self) -> str:
        lines = ["target\tfilter\texposure_s\t" + "\t".join(_KINDS)]
        lines += [
            f"{g.target}\t{g.filter}\t{g.exposure_s:g}\t{g.lights}\t"
            + "\t".join(str(low) for low, _ in g.each)
            for g in self._groups
        ]
        return "\n".join(lines) if self._groups else ""

    def _x(self, box: QRectF, k: int) -> float:
        return box.left() + 330 + (box.width() - 330) * (k + 1) / len(_KINDS)

    def paint_head(self, painter: QPainter, box: QRectF) -> None:
        small = text_font(Size.SMALL)
        write(painter, QPointF(box.left(), 19), "series", "faint", small)
        for k, kind in enumerate(_KINDS):
            write(painter, QPointF(self._x(box, k), 19), kind, "faint", small, RIGHT)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), 29.5), QPointF(box.right(), 29.5))

    def paint_row(self, painter: QPainter, number: int, box: QRectF) -> None:
        group = self._groups[number]
        numbers = number_font(Size.SMALL)
        base = box.top() + 20
        painter.fillRect(QRectF(box.left(), box.top() + 11, 9, 9), swatch_of(group.filter))
        what = f"{group.target} {group.filter} {group.exposure_s:g} s"
        write(painter, QPointF(box.left() + 16, base), elided(what, text_font(), 300), "text")
        write(painter, QPointF(self._x(box, 0), base), f"{group.lights}", "text", numbers, RIGHT)
        for k, (low, high) in enumerate(group.each, start=1):
            told = "none" if not high else f"{low}" if low == high else f"{low}–{high}"
            needed = k in (1, 3)
            role = "text" if low else ("warn" if needed else "faint")
            write(painter, QPointF(self._x(box, k), base), told, role, numbers, RIGHT)
