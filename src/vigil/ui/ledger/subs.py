"""How long to expose: what read noise costs at each length, and from which on stars clip."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.ledger.projecthours import FilterNoise
from vigil.subexposures.advice import USUAL_COST, advise, curve
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_SHORTEST_S, _LONGEST_S, _MOST_COST = 5.0, 3600.0, 0.50
_LEFT, _RIGHT, _TOP, _BOTTOM = 64.0, 24.0, 56.0, 46.0
_LENGTHS = (5, 10, 20, 30, 60, 120, 300, 600, 1200, 2400)


class SubsPicture(Picture):
    """A curve a filter, its present length a disc, the advised one where it meets the dashed line; short bars
    at the foot where stars begin to clip."""

    def __init__(self) -> None:
        super().__init__()
        self._found: list[FilterNoise] = []
        self._said = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("How long to expose")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_noise(self, found: Sequence[FilterNoise], said: str) -> None:
        """`said` where nothing is measured yet."""
        self._found, self._said = list(found), said
        told = "; ".join(f"{n.filter}: {advise(n.measured).words}" for n in self._found)
        self.setAccessibleDescription(told or said)
        self.update()

    def copy_text(self) -> str:
        lines = ["filter\texposure_s\tcost\tstars_clipped"]
        for noise in self._found:
            told = curve(noise.measured, _SHORTEST_S, _LONGEST_S, 40)
            lines += [
                f"{noise.filter}\t{t:.1f}\t{c:.4f}\t{n}"
                for t, c, n in zip(told.exposure_s, told.cost, told.clipped, strict=True)
            ]
        return "\n".join(lines) if self._found else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        if not self._found:
            write(painter, QPointF(Size.MARGIN, 28), self._said, "soft")
            return
        box = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)
        write(painter, QPointF(Size.MARGIN, 24), "What read noise costs", "text")
        write(painter, QPointF(Size.MARGIN, box.top() - 10), "% of the noise", "soft", small)
        for percent in range(0, 51, 5):
            y = self._y(box, percent / 100)
            usual = percent == round(100 * USUAL_COST)
            painter.setPen(theme.pen("accent" if usual else "line", 1.2 if usual else 1.0, dashed=usual))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            write(painter, QPointF(box.left() - 8, y + 4), f"{percent}", "soft", numbers, RIGHT)
        for length in _LENGTHS:
            x = self._x(box, length)
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + 4))
            write(painter, QPointF(x, box.bottom() + 17), f"{length}", "soft", numbers, CENTRE)
        write(painter, QPointF(box.right(), box.bottom() + 34), "exposure, s", "soft", small, RIGHT)
        for number, noise in enumerate(self._found):
            self._paint_curve(painter, noise, box, 14.0 * number)

    def _paint_curve(self, painter: QPainter, noise: FilterNoise, box: QRectF, lower: float) -> None:
        told = curve(noise.measured, _SHORTEST_S, _LONGEST_S, 200)
        seen = told.cost <= _MOST_COST
        tone = swatch_of(noise.filter)
        small = text_font(Size.SMALL)
        if seen.any():
            first = int(np.argmax(seen))
            path = QPainterPath(self._at(box, told.exposure_s[first], told.cost[first]))
            for t, c in zip(told.exposure_s[first + 1 :], told.cost[first + 1 :], strict=True):
                path.lineTo(self._at(box, t, c))
            pen = theme.pen("text", 2.0)
            pen.setColor(tone)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            start = self._at(box, told.exposure_s[first], told.cost[first])
            name = noise.filter or "no filter"
            write(painter, QPointF(start.x() + 8, start.y() + 10 + lower), name, "text", small)
        now = float(np.interp(noise.exposure_s, told.exposure_s, told.cost))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(tone)
        painter.drawEllipse(self._at(box, noise.exposure_s, min(now, _MOST_COST)), 4.5, 4.5)
        advice = advise(noise.measured)
        for clips, high in ((advice.clips_s, 10.0), (advice.many_clip_s, 20.0)):
            if clips is not None and _SHORTEST_S < clips < _LONGEST_S:
                x = self._x(box, clips)
                painter.fillRect(QRectF(x - 1.5, box.bottom() - high, 3, high), tone)

    def _at(self, box: QRectF, length_s: float, cost: float) -> QPointF:
        return QPointF(self._x(box, length_s), self._y(box, cost))

    def _x(self, box: QRectF, length_s: float) -> float:
        share = np.log(max(length_s, 1.0) / _SHORTEST_S) / np.log(_LONGEST_S / _SHORTEST_S)
        return float(box.left() + min(1.0, max(0.0, share)) * box.width())

    def _y(self, box: QRectF, cost: float) -> float:
        return box.bottom() - cost / _MOST_COST * box.height()
