"""A star's drift in declination: its places, the line through them, and how sure that is."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.ui.picture import CENTRE, LEFT, RIGHT, Picture, elided, write
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.tune.polarseen import PolarSeen

_LEAST_SPAN_ARCSEC, _LEAST_S = 6.0, 120.0
_GRID_ARCSEC = (1.0, 2.0, 5.0, 10.0, 20.0, 60.0, 120.0, 300.0)
_HEAD_PX, _FOOT_PX, _LEFT_PX = 76.0, 40.0, 56.0


class DriftPicture(Picture):
    """Time to the right, north up. While the adjuster is turned: how far the star still has to go."""

    def __init__(self) -> None:
        super().__init__()
        self._seen = PolarSeen()
        self._said = ""
        self.setAccessibleName("A star's drift")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_seen(self, seen: PolarSeen, said: str) -> None:
        """`said` stands where nothing is measured."""
        self._seen, self._said = seen, said
        self.setAccessibleDescription(str(seen.drift.get("words", said)))
        self.update()

    def copy_text(self) -> str:
        lines = [f"{at_s:.2f}\t{arcsec:.3f}" for at_s, arcsec in self._seen.points]
        return "\n".join(["time_s\tdec_arcsec", *lines]) if lines else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        seen = self._seen
        if seen.star:
            self._paint_turning(painter)
            return
        if not seen.points:
            said = seen.trouble or self._said
            write(painter, QPointF(self.rect().center()), said, "soft", None, CENTRE)
            return
        head, _, rest = str(seen.drift.get("words", "measuring; too few frames yet")).partition("; ")
        room = self.width() - 2 * Size.MARGIN
        font = text_font(Size.LARGE, True)
        write(painter, QPointF(Size.MARGIN, 32), elided(f"{head[:1].upper()}{head[1:]}", font, room), "text",
              font)  # fmt: skip
        done = seen.drift.get("enough")
        below = "Enough." if done else f"{rest[:1].upper()}{rest[1:]}" if rest else ""
        write(painter, QPointF(Size.MARGIN, 56), below, "accent" if done else "soft", text_font(Size.HEAD))
        box = QRectF(_LEFT_PX, _HEAD_PX, self.width() - _LEFT_PX - Size.MARGIN,
                     self.height() - _HEAD_PX - _FOOT_PX)  # fmt: skip
        if box.height() > 60:
            self._paint_points(painter, box)

    def _paint_points(self, painter: QPainter, box: QRectF) -> None:
        at_s, arcsec = np.array(self._seen.points).T
        more = float(self._seen.drift.get("seconds_more") or 0.0)
        last = max(_LEAST_S, float(at_s[-1]) + min(more, float(at_s[-1])))
        low, high = float(arcsec.min()), float(arcsec.max())
        middle, span = (low + high) / 2, max(_LEAST_SPAN_ARCSEC, 1.2 * (high - low))

        def x(seconds: float) -> float:
            return box.left() + seconds / last * box.width()

        def y(value: float) -> float:
            return box.center().y() - (value - middle) / span * box.height()

        self._paint_grid(painter, box, middle, span, last)
        painter.save()
        painter.setClipRect(box)
        self._paint_line(painter, box, x, y, last, at_s, arcsec)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        for seconds, value in zip(at_s.tolist(), arcsec.tolist(), strict=True):
            painter.drawEllipse(QPointF(x(seconds), y(value)), 1.8, 1.8)
        painter.restore()

    def _paint_grid(self, painter: QPainter, box: QRectF, middle: float, span: float, last: float) -> None:
        step = next((g for g in _GRID_ARCSEC if span / g <= 8), _GRID_ARCSEC[-1])
        font = number_font(Size.SMALL)
        first = math.ceil((middle - span / 2) / step)
        for k in range(first, math.floor((middle + span / 2) / step) + 1):
            at = box.center().y() - (k * step - middle) / span * box.height()
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(box.left(), at), QPointF(box.right(), at))
            write(painter, QPointF(box.left() - 8, at + 4), f"{k * step:+g}″", "soft", font, RIGHT)
        minutes = 1 if last <= 480 else 2 if last <= 960 else 5
        for minute in range(0, int(last // 60) + 1, minutes):
            at = box.left() + minute * 60 / last * box.width()
            align = LEFT if minute == 0 else CENTRE
            write(painter, QPointF(at, box.bottom() + 18), f"{minute} min", "soft", font, align)
        write(painter, QPointF(box.left() + 6, box.top() + 14), "north", "soft", text_font(Size.SMALL))

    def _paint_line(self, painter: QPainter, box: QRectF, x, y, last, at_s, arcsec) -> None:  # type: ignore[no-untyped-def]
        """With the band within which it lies by 95 %."""
        drift = self._seen.drift
        if "rate_arcsec_min" not in drift:
            return
        rate, half = drift["rate_arcsec_min"] / 60, drift["half_rate_arcsec_min"] / 60
        known = at_s <= drift["at_s"]
        middle_s, middle = float(at_s[known].mean()), float(np.median(arcsec[known] - rate * at_s[known]))
        middle += rate * middle_s
        ends = (0.0, last)
        upper = [QPointF(x(s), y(middle + rate * (s - middle_s) + half * abs(s - middle_s)))
                 for s in (0.0, middle_s, last)]  # fmt: skip
        lower = [QPointF(x(s), y(middle + rate * (s - middle_s) - half * abs(s - middle_s)))
                 for s in (last, middle_s, 0.0)]  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("accent", 0.22))
        painter.drawPolygon(QPolygonF([*upper, *lower]))
        painter.setPen(theme.pen("accent", 2.0))
        painter.drawLine(*(QPointF(x(s), y(middle + rate * (s - middle_s))) for s in ends))

    def _paint_turning(self, painter: QPainter) -> None:
        """One large number, and the way on the frame."""
        star = self._seen.star
        write(painter, QPointF(Size.MARGIN, 32), f"Turn the {self._seen.drift_axis} adjuster", "text",
              text_font(Size.LARGE, True))  # fmt: skip
        words = str(self._seen.drift.get("words", ""))
        write(painter, QPointF(Size.MARGIN, 56), words, "soft", text_font(Size.HEAD))
        if "star" not in star:
            said = star.get("reason", "")
            write(painter, QPointF(self.rect().center()), said, "warn", None, CENTRE)
            return
        figure = round(min(self.height() / 5, 140))
        away = f"{star['away_arcmin']:.1f}′"
        width = write(painter, QPointF(Size.MARGIN, 76 + figure), away, "text", number_font(figure, True))
        write(painter, QPointF(Size.MARGIN + width + 12, 76 + figure),
              f"to its mark, {star['away_px']:.0f} px of the guide camera", "soft")  # fmt: skip
        side = min(self.height() - figure - 130.0, self.width() - 2.0 * Size.MARGIN)
        if side < 80:
            return
        box = QRectF(Size.MARGIN, 100 + figure, side, side)
        places = {name: np.array(star[name]) for name in ("begins", "star", "mark")}
        far = max(20.0, *(float(np.abs(places[n] - places["mark"]).max()) for n in ("begins", "star")))

        def at(place: np.ndarray) -> QPointF:
            off = (place - places["mark"]) / far * side * 0.42
            return box.center() + QPointF(float(off[0]), -float(off[1]))

        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setPen(theme.pen("soft", 1.4, dashed=True))
        painter.drawLine(at(places["begins"]), at(places["mark"]))
        painter.setPen(theme.pen("accent", 2.6))
        painter.drawEllipse(box.center(), 13, 13)
        painter.setPen(theme.pen("select", 2.4))
        painter.drawEllipse(at(places["star"]), 8, 8)
        write(painter, box.topRight() + QPointF(16, 20),
              "as on the frame: the large ring is its mark", "soft",
              text_font(Size.SMALL))  # fmt: skip
