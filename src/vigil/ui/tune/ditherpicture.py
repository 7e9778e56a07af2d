"""Dithers of the night: where frames were to lie beside their target, and where they lay."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter

from vigil.guiding.dithers import Reached
from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_ASKED_PX, _REACHED_PX = 5.0, 2.6
_LEAST_SPAN_PX = 4.0


class DitherPicture(Picture):
    """Asked for is outlined, reached is filled; pixels of the main camera, north up and east left."""

    def __init__(self) -> None:
        super().__init__()
        self._places: Sequence[Reached] = ()
        self._scale_arcsec_px: float | None = None
        self._said = ""
        self.setAccessibleName("Dithers of the night")

    def sizeHint(self) -> QSize:
        return QSize(720, 460)

    def show_places(self, places: Sequence[Reached], scale_arcsec_px: float | None, said: str) -> None:
        """`said` stands where there are none."""
        self._places, self._scale_arcsec_px, self._said = places, scale_arcsec_px, said
        self.setAccessibleDescription("; ".join(self._facts()) or said)
        self.update()

    def copy_text(self) -> str:
        lines = [
            "\t".join(f"{v:.2f}" for v in (*p.asked_px, *p.reached_px)) + f"\t{p.frames}"
            for p in self._places
        ]
        head = "asked_east_px\tasked_north_px\treached_east_px\treached_north_px\tframes"
        return "\n".join([head, *lines]) if lines else ""

    def _facts(self) -> list[str]:
        if not self._places:
            return []
        missed = [place.missed_px for place in self._places]
        asked = [place.asked_px for place in self._places]
        apart = [math.dist(a, b) for n, a in enumerate(asked) for b in asked[n + 1 :]]
        told = [
            f"{len(self._places)} places",
            f"reached within {sorted(missed)[len(missed) // 2]:.2f} px, {max(missed):.2f} at most",
        ]
        return told + ([f"the nearest two {min(apart):.1f} px apart"] if apart else [])

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        if not self._places:
            write(painter, QPointF(self.rect().center()), self._said, "soft", None, CENTRE)
            return
        words_px = min(330.0, 0.42 * self.width())
        side = min(self.height() - 64.0, self.width() - words_px - 72)
        box = QRectF(32, 32, side, side)
        far = max(max(map(abs, (*p.asked_px, *p.reached_px))) for p in self._places)
        span = 2.2 * max(far, _LEAST_SPAN_PX)

        def at(place: tuple[float, float]) -> QPointF:
            return box.center() + QPointF(-place[0], -place[1]) * (side / span)

        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        middle = box.center()
        painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
        painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
        small = text_font(Size.SMALL)
        write(painter, QPointF(middle.x() + 6, box.top() + 14), "north", "soft", small)
        write(painter, QPointF(box.left() + 6, middle.y() - 6), "east", "soft", small)
        for n, place in enumerate(self._places):
            newest = n == len(self._places) - 1
            asked, reached = at(place.asked_px), at(place.reached_px)
            painter.setPen(theme.pen("accent" if newest else "soft", 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(asked, _ASKED_PX, _ASKED_PX)
            painter.drawLine(asked, reached)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("accent" if newest else "text"))
            painter.drawEllipse(reached, _REACHED_PX, _REACHED_PX)
            write(painter, asked + QPointF(8, -5), str(n + 1), "soft", number_font(Size.SMALL))
        self._paint_ruler(painter, box, span)
        self._paint_words(painter, box.topRight() + QPointF(32, 20))

    def _paint_ruler(self, painter: QPainter, box: QRectF, span: float) -> None:
        length = next((n for n in (50, 20, 10, 5, 2, 1) if n < span / 3), 1)
        px = length / span * box.width()
        left, base = box.left() + 12, box.bottom() - 10
        painter.setPen(theme.pen("soft", 1.4))
        painter.drawLine(QPointF(left, base), QPointF(left + px, base))
        said = f"{length} px"
        if self._scale_arcsec_px is not None:
            said += f" · {length * self._scale_arcsec_px:.1f}″"
        write(painter, QPointF(left, base - 6), said, "soft", number_font(Size.SMALL))

    def _paint_words(self, painter: QPainter, corner: QPointF) -> None:
        title, *facts = self._facts()
        write(painter, corner, title, "text", text_font(Size.LARGE, True))
        for n, words in enumerate(facts):
            write(painter, corner + QPointF(0, 26 + 20 * n), f"{words[:1].upper()}{words[1:]}", "text")
        below = corner + QPointF(0, 26 + 20 * len(facts) + 18)
        for n, (filled, words) in enumerate(((False, "asked for"), (True, "reached, by solved frames"))):
            dot = below + QPointF(5, 20 * n - 4)
            painter.setPen(Qt.PenStyle.NoPen if filled else theme.pen("soft", 1.4))
            painter.setBrush(theme.colour("text") if filled else Qt.BrushStyle.NoBrush)
            radius = _REACHED_PX if filled else _ASKED_PX
            painter.drawEllipse(dot, radius, radius)
            write(painter, below + QPointF(18, 20 * n), words, "soft")
