"""Across nights: one figure against another, nights' medians, and what time was lost to."""

from datetime import date

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter

from vigil.ledger.trends import Trends, theil_slope
from vigil.ui.picture import CENTRE, RIGHT, Picture, elided, write
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

Floats = NDArray[np.float64]
SIZE_WARMTH, SIZE_HEIGHT, SIZE_GUIDING = "Star size by temperature", "by air mass", "by guiding"
SIZE_NIGHTS, GUIDE_NIGHTS, SKY_NIGHTS = "Star size by night", "Guiding by night", "Background by night"
FOCUS, LOST = "Focus by temperature", "Time lost"
DARK, HOT = "Dark current", "Hot pixels"
_AXES = {
    SIZE_WARMTH: (("tube_c", "tube, °C"), ("fwhm_px", "FWHM, px")),
    SIZE_HEIGHT: (("air_mass", "air mass"), ("fwhm_px", "FWHM, px")),
    SIZE_GUIDING: (("guide_rms_arcsec", "guiding, ″ rms"), ("fwhm_px", "FWHM, px")),
    FOCUS: (("tube_c", "tube, °C"), ("focus_position", "focuser, steps")),
    SIZE_NIGHTS: (("day", ""), ("fwhm_px", "FWHM, px")),
    GUIDE_NIGHTS: (("day", ""), ("guide_rms_arcsec", "guiding, ″ rms")),
    SKY_NIGHTS: (("day", ""), ("background_adu", "background, ADU")),
    DARK: (("day", ""), ("dark_e_s", "dark current, e⁻/s and pixel")),
    HOT: (("day", ""), ("hot_percent", "hot pixels, %")),
}
OF_DARKS = (DARK, HOT)
"""Of the camera's darks on disk, not of lights."""
CHOICES = (*_AXES, LOST)
_MOST_DOTS = 4000
_LEGEND_PX = 250.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 64.0, 20.0, 58.0, 34.0


class TrendsPicture(Picture):
    """Dots a light; where they are many, as tone."""

    def __init__(self) -> None:
        super().__init__()
        self._trends: Trends | None = None
        self._what, self._said = SIZE_WARMTH, ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Across nights")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_trends(self, trends: Trends | None, what: str, said: str) -> None:
        """`said` where there is nothing yet."""
        self._trends, self._what, self._said = trends, what, said
        self.setAccessibleDescription(self.sentence() or said)
        self.update()

    def copy_text(self) -> str:
        if self._trends is None:
            return ""
        if self._what == LOST:
            rows = [f"{n.evening}\t{c}\t{s / 60:.1f}" for n in self._trends.lost for c, s in n.lost_s.items()]
            return "\n".join(["evening\tlost to\tminutes", *rows])
        (x, _), (y, _) = _AXES[self._what]
        across, up = self._trends.numbers[x], self._trends.numbers[y]
        rows = [
            f"{a:g}\t{b:g}\t{self._trends.filters[f]}"
            for a, b, f in zip(across, up, self._trends.which, strict=True)
        ]
        return "\n".join([f"{x}\t{y}\tfilter", *rows])

    def sentence(self) -> str:
        """What the picture says, in words."""
        if self._trends is None:
            return ""
        if self._what == LOST:
            total: dict[str, float] = {}
            for night in self._trends.lost:
                for cause, seconds in night.lost_s.items():
                    total[cause] = total.get(cause, 0.0) + seconds
            worst = sorted(total.items(), key=lambda item: -item[1])[:2]
            exposed = sum(night.exposed_s for night in self._trends.lost)
            if not worst or worst[0][1] < 60:
                return f"{exposed / 3600:.0f} h exposed, nothing lost"
            told = " and ".join(
                f"{seconds / 60:.0f} min to {cause}" for cause, seconds in worst if seconds >= 60
            )
            return f"{exposed / 3600:.0f} h exposed; lost {told}"
        (x, _), (y, _) = _AXES[self._what]
        if self._what in OF_DARKS and len(self._trends):
            last = self._trends
            cold, hot = last.numbers["dark_e_s"][-1], last.numbers["hot_percent"][-1]
            return f"{cold:.4f} e⁻/s and {hot:.3f} % hot pixels at {last.filters[last.which[-1]]} last"
        if x == "day":
            return ""
        slope = theil_slope(self._trends.numbers[x], self._trends.numbers[y])
        if slope is None:
            return ""
        unit = {
            "tube_c": "each °C warmer",
            "air_mass": "each air mass more",
            "guide_rms_arcsec": "each 0.1″ more",
        }[x]
        by = slope * (0.1 if x == "guide_rms_arcsec" else 1)
        what = {"fwhm_px": ("px", 2), "focus_position": ("steps", 1)}[y]
        told = f"{abs(by):.{what[1]}f} {what[0]}"
        if y == "focus_position":
            return f"{told} {'out' if by > 0 else 'in'} for {unit}"
        return f"{told} {'larger' if by > 0 else 'smaller'} for {unit}"

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        trends = self._trends
        if trends is None or (not len(trends) and not trends.lost):
            write(painter, QPointF(Size.MARGIN, 28), self._said, "soft")
            return
        write(painter, QPointF(_LEFT, 24), self.sentence(), "text")
        box = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)
        if self._what == LOST:
            self._paint_lost(painter, trends, box)
        else:
            self._paint_points(painter, trends, box)

    def _paint_points(self, painter: QPainter, trends: Trends, box: QRectF) -> None:
        (x_name, x_words), (y_name, y_words) = _AXES[self._what]
        x, y = trends.numbers[x_name], trends.numbers[y_name]
        good = np.isfinite(x) & np.isfinite(y)
        small = text_font(Size.SMALL)
        if not good.any():
            write(painter, QPointF(_LEFT, 24), "None of the lights has these figures yet.", "soft")
            return
        x_low, x_high = _ends(x[good])
        y_low, y_high = _ends(y[good])
        self._paint_axes(painter, box, (x_low, x_high), (y_low, y_high), x_name == "day")
        write(painter, QPointF(box.right(), box.bottom() + 28), x_words, "soft", small, RIGHT)
        write(painter, QPointF(Size.MARGIN, box.top() - 10), y_words, "soft", small)
        across = box.left() + (x - x_low) / (x_high - x_low) * box.width()
        up = box.bottom() - (y - y_low) / (y_high - y_low) * box.height()
        seen = good & (x >= x_low) & (x <= x_high) & (y >= y_low) & (y <= y_high)
        if seen.sum() > _MOST_DOTS:
            painter.drawImage(box, _density(x[seen], y[seen], (x_low, x_high, y_low, y_high)))
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            for number, name in enumerate(trends.filters):
                tone = swatch_of(name)
                tone.setAlphaF(0.7)
                painter.setBrush(tone)
                for k in np.flatnonzero(seen & (trends.which == number)):
                    painter.drawEllipse(QPointF(float(across[k]), float(up[k])), 2.2, 2.2)
        if x_name == "day":
            self._paint_medians(painter, x[seen], y[seen], across[seen], box, (y_low, y_high))
        left = box.right()
        for name in reversed(trends.filters):
            told = name or "no filter"
            left -= write(painter, QPointF(left, 24), told, "soft", small, RIGHT) + 4
            painter.fillRect(QRectF(left - 9, 15, 9, 9), swatch_of(name))
            left -= 22

    def _paint_medians(
        self, painter: QPainter, x: Floats, y: Floats, across: Floats, box: QRectF, ends: tuple[float, float]
    ) -> None:
        painter.setPen(theme.pen("select", 2.0))
        before: QPointF | None = None
        for day in np.unique(x):
            here = x == day
            value = float(np.median(y[here]))
            up = box.bottom() - (value - ends[0]) / (ends[1] - ends[0]) * box.height()
            point = QPointF(float(across[here][0]), up)
            if before is not None:
                painter.drawLine(before, point)
            painter.drawEllipse(point, 3.0, 3.0)
            before = point

    def _paint_axes(
        self, painter: QPainter, box: QRectF, xs: tuple[float, float], ys: tuple[float, float], days: bool
    ) -> None:
        numbers = number_font(Size.SMALL)
        for value, told in _marks(*ys):
            y = box.bottom() - (value - ys[0]) / (ys[1] - ys[0]) * box.height()
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            write(painter, QPointF(box.left() - 8, y + 4), told, "soft", numbers, RIGHT)
        for value, told in _day_marks(*xs) if days else _marks(*xs):
            x = box.left() + (value - xs[0]) / (xs[1] - xs[0]) * box.width()
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + 4))
            write(painter, QPointF(x, box.bottom() + 17), told, "soft", numbers, CENTRE)

    def _paint_lost(self, painter: QPainter, trends: Trends, box: QRectF) -> None:
        """A bar a night, hours exposed up, minutes lost down by what they were lost to."""
        nights = trends.lost[-60:]
        if not nights:
            return
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        legend = box.right()
        box = box.adjusted(0, 0, -_LEGEND_PX, 0)
        most_h = max(max(n.exposed_s for n in nights) / 3600, 1.0)
        lost_h = max(max(sum(n.lost_s.values()) for n in nights) / 3600, 0.5)
        base = box.top() + box.height() * most_h / (most_h + lost_h)
        each = min(64.0, box.width() / len(nights))
        hour = box.height() / (most_h + lost_h)
        causes = sorted(
            {c for n in nights for c in n.lost_s}, key=lambda c: -sum(n.lost_s.get(c, 0) for n in nights)
        )
        roles = ["warn", "fault", "select", "dec", "faint"]
        painter.setPen(theme.pen("soft"))
        painter.drawLine(QPointF(box.left(), base), QPointF(box.right(), base))
        write(painter, QPointF(box.left() - 8, base - 6), "exposed", "soft", small, RIGHT)
        write(painter, QPointF(box.left() - 8, base + 16), "lost", "soft", small, RIGHT)
        for k, night in enumerate(nights):
            left = box.left() + k * each
            height = night.exposed_s / 3600 * hour
            painter.fillRect(QRectF(left + 3, base - height, each - 6, height), theme.colour("accent_fill"))
            if each > 40:
                told = f"{night.exposed_s / 3600:.1f} h"
                write(painter, QPointF(left + each / 2, base - height - 4), told, "text", numbers, CENTRE)
                write(
                    painter,
                    QPointF(left + each / 2, box.bottom() + 17),
                    night.evening[5:],
                    "soft",
                    numbers,
                    CENTRE,
                )
            down = base + 1
            for cause, seconds in night.lost_s.items():
                part = seconds / 3600 * hour
                role = roles[min(causes.index(cause), len(roles) - 1)]
                painter.fillRect(QRectF(left + 3, down, each - 6, part), theme.colour(role))
                down += part
        for n, cause in enumerate(causes[:5]):
            minutes = sum(night.lost_s.get(cause, 0) for night in nights) / 60
            line, left = box.top() + 14 + 18 * n, legend - _LEGEND_PX + 16
            painter.fillRect(QRectF(left, line - 9, 9, 9), theme.colour(roles[min(n, len(roles) - 1)]))
            told = elided(f"{minutes:.0f} min  {cause}", small, _LEGEND_PX - 32)
            write(painter, QPointF(left + 15, line), told, "text", small)


def _ends(values: Floats) -> tuple[float, float]:
    """Where nearly all lie: a few wild ones must not flatten the others."""
    low, middle, high = (float(v) for v in np.quantile(values, [0.01, 0.5, 0.99]))
    quarter = np.quantile(values, [0.25, 0.75])
    reach = 5 * float(quarter[1] - quarter[0]) or high - low
    low, high = max(low, middle - reach), min(high, middle + reach)
    room = 0.08 * (high - low) or 0.5
    return low - room, high + room


def _marks(low: float, high: float) -> list[tuple[float, str]]:
    rough = (high - low) / 6
    power = 10.0 ** np.floor(np.log10(rough))
    step = float(power * next(n for n in (1, 2, 5, 10) if n * power >= rough))
    decimals = max(0, int(-np.floor(np.log10(step) + 1e-9)))
    first, last = int(np.ceil(low / step)), int(np.floor(high / step))
    return [(step * k, f"{step * k:.{decimals}f}".replace("-", "−")) for k in range(first, last + 1)]


def _day_marks(low: float, high: float) -> list[tuple[float, str]]:
    every = max(1, int(np.ceil((high - low) / 9)))
    days = range(int(np.ceil(low)), int(high) + 1, every)
    return [(float(day), f"{date.fromordinal(day):%m-%d}") for day in days]


def _density(x: Floats, y: Floats, ends: tuple[float, float, float, float]) -> QImage:
    counts, _, _ = np.histogram2d(y, x, bins=(120, 240), range=((ends[2], ends[3]), (ends[0], ends[1])))
    share = np.log1p(counts[::-1]) / np.log1p(counts.max())
    tone = theme.colour("accent")
    alpha = np.rint(255 * share).astype(np.uint32)
    argb = alpha << 24
    for shift, part in ((16, tone.red()), (8, tone.green()), (0, tone.blue())):
        argb |= np.rint(part * share).astype(np.uint32) << shift
    rows, columns = argb.shape
    made = QImage(argb.tobytes(), columns, rows, 4 * columns, QImage.Format.Format_ARGB32_Premultiplied)
    return made.copy()
