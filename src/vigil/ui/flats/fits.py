"""What fits before the first frame: panel level across, exposure up, each filter's band."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.levels.advice import Limits
from vigil.levels.panel import PanelModel, fit_panel
from vigil.levels.trials import Camera, Trial
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_ROOM = 4.0
"""So many times beyond the limits is drawn, so that one sees what would help."""
_STEPS = 60


@dataclass(frozen=True, slots=True)
class Fits:
    """Trials and the limits that they are judged by; `chosen` are level and exposure by filter."""

    trials: Sequence[Trial]
    camera: Camera
    limits: Limits
    chosen: dict[str, tuple[int, float]]


class FitsPicture(Picture):
    """Both axes are logarithmic; the frame in it is what panel and exposure allow."""

    def __init__(self) -> None:
        super().__init__()
        self._fits: Fits | None = None
        self._said = ""
        self.setAccessibleName("Which levels and exposures fit, by filter")

    def show_fits(self, fits: Fits | None, said: str) -> None:
        self._fits, self._said = fits, said
        names = list(fits.chosen) if fits is not None else []
        self.setAccessibleDescription(f"inside: {', '.join(names) or 'none'}" if fits is not None else said)
        self.update()

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        fits = self._fits
        model = fit_panel(fits.trials, fits.camera) if fits is not None else None
        if fits is None or model is None:
            write(painter, QPointF(Size.MARGIN, 32), self._said, "soft")
            return
        limits = fits.limits
        box = QRectF(70, 20, self.width() - 110, self.height() - 76)
        low, high = max(limits.lowest_level, 1), max(limits.highest_level, 2)
        least_s, most_s = limits.least_exposure_s / _ROOM, limits.most_exposure_s * _ROOM

        def x(level: float) -> float:
            return box.left() + math.log(level / low) / math.log(high / low) * box.width()

        def y(exposure_s: float) -> float:
            share = math.log(exposure_s / least_s) / math.log(most_s / least_s)
            return box.bottom() - share * box.height()

        allowed = QRectF(box.left(), y(limits.most_exposure_s), box.width(), 0)
        allowed.setBottom(y(limits.least_exposure_s))
        painter.save()
        painter.setClipRect(box)
        painter.fillRect(allowed, theme.colour("accent", 0.07))
        levels = np.geomspace(low, high, _STEPS)
        for name in model.filters:
            self._paint_band(painter, model, name, levels, x, y, (box.top() + 12, box.bottom() - 12))
        painter.setPen(theme.pen("soft", 1.0, dashed=True))
        painter.drawRect(allowed)
        for trial in fits.trials:
            painter.setPen(theme.pen("text", 1.2))
            painter.drawEllipse(QPointF(x(max(trial.level, low)), y(trial.exposure_s)), 3.0, 3.0)
        painter.restore()
        self._paint_axes(painter, box, low, high, limits, x, y)

    def _paint_band(self, painter: QPainter, model: PanelModel, name: str, levels, x, y, shown) -> None:  # type: ignore[no-untyped-def]
        fits = self._fits
        assert fits is not None
        top, bottom = shown
        camera, limits = fits.camera, fits.limits
        upper, lower = [], []
        for level in levels:
            rate = model.brightness(name, round(level)).rate_adu_s
            upper.append(QPointF(x(level), y((limits.high_adu - camera.bias_adu) / rate)))
            lower.append(QPointF(x(level), y((limits.low_adu - camera.bias_adu) / rate)))
        chosen = fits.chosen.get(name)
        role = "select" if chosen is not None else "warn"
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(role, 0.4))
        painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        # names stand apart from each other, though bands run side by side
        number = model.filters.index(name)
        seen = [(a, b) for a, b in zip(upper, lower, strict=True) if top < b.y() and a.y() < bottom]
        if seen:
            above, below = seen[min(int(len(seen) * (0.3 + 0.17 * (number % 4))), len(seen) - 1)]
            at = QPointF(above.x(), (above.y() + below.y()) / 2 + 4)
            write(painter, at, name or "no filter", "text", text_font(Size.SMALL, True), CENTRE)
        if chosen is not None:
            painter.setPen(theme.pen("accent", 2.0))
            painter.setBrush(theme.colour("accent"))
            painter.drawEllipse(QPointF(x(chosen[0]), y(chosen[1])), 5.0, 5.0)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_axes(self, painter: QPainter, box: QRectF, low, high, limits: Limits, x, y) -> None:  # type: ignore[no-untyped-def]
        numbers, small = number_font(Size.SMALL), text_font(Size.SMALL)
        painter.setPen(theme.pen("line"))
        painter.drawRect(box)
        middle = round(math.sqrt(low * high))
        for level in (low, middle, high):
            write(painter, QPointF(x(level), box.bottom() + 16), f"{level}", "soft", numbers, CENTRE)
        for exposure_s in (limits.least_exposure_s, limits.most_exposure_s):
            write(
                painter,
                QPointF(box.left() - 8, y(exposure_s) + 4),
                f"{exposure_s:g} s",
                "soft",
                numbers,
                RIGHT,
            )
        key = "panel level across, exposure up; dashed: what is allowed; a spot: what is taken"
        write(painter, QPointF(box.left(), box.bottom() + 38), key, "soft", small)
