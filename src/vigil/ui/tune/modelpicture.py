"""The temperature model: accepted runs against temperature, the line through them, what is left over."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from vigil.focusing.history import History, Run
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_REST_SHARE = 0.26


class ModelPicture(Picture):
    """Positions are shown as through the reference: each filter's offset is taken off."""

    def __init__(self) -> None:
        super().__init__()
        self._runs: Sequence[Run] = ()
        self._history: History | None = None
        self._why = ""
        self.setAccessibleName("Focus against temperature")

    def show_model(self, runs: Sequence[Run], history: History | None, why: str) -> None:
        self._runs, self._history, self._why = runs, history, why
        self.setAccessibleDescription(why)
        self.update()

    def copy_text(self) -> str:
        lines = [f"{r.temperature_c}\t{r.position}\t{r.filter}" for r in self._runs]
        return "\n".join(["temperature_c\tposition\tfilter", *lines]) if self._runs else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        write(painter, QPointF(16, 30), "Focus against temperature", "text", text_font(Size.LARGE, True))
        write(painter, QPointF(16, 50), self._why, "soft")
        if len(self._runs) < 2:
            return
        whole = QRectF(72, 74, self.width() - 100, self.height() - 118)
        rest_height = _REST_SHARE * whole.height() if self._history and self._history.slope else 0.0
        box = QRectF(
            whole.left(),
            whole.top(),
            whole.width(),
            whole.height() - rest_height - (28 if rest_height else 0),
        )
        warmth = np.array([r.temperature_c for r in self._runs])
        offsets = self._history.offsets if self._history else {}
        place = np.array(
            [r.position - (offsets[r.filter].value if r.filter in offsets else 0.0) for r in self._runs]
        )
        out = set(self._history.left_out) if self._history else set()
        span = _Span(box, warmth, place)
        self._axes(painter, span, "position")
        slope = self._history.slope if self._history else None
        kept = np.array([k not in out for k in range(len(warmth))])
        if slope is not None:
            middle = float(place[kept].mean() - slope.value * warmth[kept].mean())
            painter.setClipRect(box)
            for value, width in ((slope.interval[0], 0.0), (slope.interval[1], 0.0), (slope.value, 1.8)):
                base = float(place[kept].mean() - value * warmth[kept].mean())
                painter.setPen(theme.pen("accent", width or 1.0, 1.0 if width else 0.45, dashed=not width))
                painter.drawLine(
                    *(QPointF(span.x(t), span.y(base + value * t)) for t in (span.low, span.high))
                )
            painter.setClipping(False)
            left = place - (middle + slope.value * warmth)
            rest = QRectF(box.left(), box.bottom() + 34, box.width(), rest_height - 12)
            self._paint_rest(painter, rest, span, warmth, left, out)
        self._points(
            painter, [QPointF(span.x(t), span.y(p)) for t, p in zip(warmth, place, strict=True)], out
        )

    def _axes(self, painter: QPainter, span: "_Span", name: str) -> None:
        font, box = number_font(Size.SMALL), span.box
        painter.setPen(theme.pen("line"))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        for value in _ticks(span.bottom, span.top):
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(box.left(), span.y(value)), QPointF(box.right(), span.y(value)))
            write(painter, QPointF(box.left() - 8, span.y(value) + 4), f"{value:g}", "soft", font, RIGHT)
        write(painter, QPointF(16, box.top() - 8), name, "soft", text_font(Size.SMALL))
        for value in _ticks(span.low, span.high):
            text = f"{value:g}".replace("-", "−")
            write(painter, QPointF(span.x(value), self.height() - 26), text, "soft", font, CENTRE)
        write(
            painter,
            QPointF(box.right(), self.height() - 8),
            "temperature, °C",
            "soft",
            text_font(Size.SMALL),
            RIGHT,
        )

    def _paint_rest(
        self,
        painter: QPainter,
        box: QRectF,
        span: "_Span",
        warmth: np.ndarray,
        left: np.ndarray,
        out: set[int],
    ) -> None:
        most = max(1.0, float(np.abs(left).max()) * 1.1)
        middle = box.center().y()
        painter.setPen(theme.pen("faint"))
        painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
        write(painter, QPointF(16, box.top() - 6), "left over, steps", "soft", text_font(Size.SMALL))
        write(
            painter,
            QPointF(box.left() - 8, box.top() + 10),
            f"+{most:.0f}",
            "soft",
            number_font(Size.SMALL),
            RIGHT,
        )
        write(
            painter,
            QPointF(box.left() - 8, box.bottom()),
            f"−{most:.0f}",
            "soft",
            number_font(Size.SMALL),
            RIGHT,
        )
        places = [
            QPointF(span.x(t), middle - v / most * box.height() / 2)
            for t, v in zip(warmth, left, strict=True)
        ]
        self._points(painter, places, out)

    def _points(self, painter: QPainter, places: Sequence[QPointF], out: set[int]) -> None:
        """A cross is a run that doesn't belong to the model."""
        painter.setBrush(theme.colour("well"))
        for k, place in enumerate(places):
            if k in out:
                painter.setPen(theme.pen("warn", 1.5))
                for sign in (-1, 1):
                    painter.drawLine(place + QPointF(-4, -4 * sign), place + QPointF(4, 4 * sign))
                continue
            painter.setPen(theme.pen("text", 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(place, 3.5, 3.5)


class _Span:
    """Temperatures and positions on the picture."""

    def __init__(self, box: QRectF, warmth: np.ndarray, place: np.ndarray) -> None:
        self.box = box
        self.low, self.high = _widened(float(warmth.min()), float(warmth.max()), 0.5)
        self.bottom, self.top = _widened(float(place.min()), float(place.max()), 5.0)

    def x(self, warmth: float) -> float:
        return self.box.left() + (warmth - self.low) / (self.high - self.low) * self.box.width()

    def y(self, place: float) -> float:
        return self.box.bottom() - (place - self.bottom) / (self.top - self.bottom) * self.box.height()


def _widened(low: float, high: float, least: float) -> tuple[float, float]:
    room = max(least, 0.08 * (high - low))
    return low - room, high + room


def _ticks(low: float, high: float) -> list[float]:
    step = next(
        s for s in (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000, 50000) if (high - low) / s <= 8
    )
    return [float(v) for v in np.arange(np.ceil(low / step) * step, high, step)]
