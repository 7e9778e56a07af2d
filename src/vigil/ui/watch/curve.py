"""The V-curve while it grows."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from vigil.ui.picture import CENTRE, RIGHT, write
from vigil.ui.record import FocusRun
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.watch.growing import GrowingRun

_LEAST_TOP_PX = 4.0


class FocusCurve(GrowingRun[FocusRun]):
    """Star size against focuser position; the fitted curve once there is one."""

    NAME = "Focus curve"

    def steps_of(self, run: FocusRun) -> int:
        return len(run.samples)

    def last_step(self, run: FocusRun) -> str:
        return f"{run.samples[-1].hfr_px:.2f} px at {run.samples[-1].position}"

    def copy_text(self) -> str:
        if self._run is None:
            return ""
        lines = [f"{s.position}\t{s.hfr_px:.3f}\t{s.stars}" for s in self._run.samples]
        return "\n".join(["position\thfr_px\tstars", *lines])

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        run = self._run
        if run is None:
            return
        write(
            painter,
            QPointF(20, 30),
            run.words[:1].upper() + run.words[1:],
            "text",
            text_font(Size.LARGE, True),
        )
        write(painter, QPointF(20, 50), run.said or f"because {run.why}", "soft")
        plot = QRectF(64, 76, self.width() - 96, self.height() - 132)
        if not run.samples or plot.width() < 60 or plot.height() < 60:
            write(painter, plot.center(), "the first frame is being taken", "soft", None, CENTRE)
            return
        positions = np.array([s.position for s in run.samples], dtype=float)
        sizes = np.array([s.hfr_px for s in run.samples])
        low, high = positions.min(), positions.max()
        room = max(40.0, 0.12 * (high - low))
        low, high = low - room, high + room
        top = max(_LEAST_TOP_PX, 1.12 * float(sizes.max()))

        def place(position: float, size: float) -> QPointF:
            return QPointF(
                plot.left() + (position - low) / (high - low) * plot.width(),
                plot.bottom() - size / top * plot.height(),
            )

        self._paint_axes(painter, plot, low, high, top)
        curve = run.curve()
        if curve is not None:
            path = QPainterPath()
            for i, position in enumerate(np.linspace(low, high, 121)):
                point = place(position, float(curve.hfr_px(position)))
                path.lineTo(point) if i else path.moveTo(point)
            painter.save()
            painter.setClipRect(plot)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("accent", 1.6))
            painter.drawPath(path)
            best = place(curve.best, 0).x()
            painter.setPen(theme.pen("accent", 1.0, 0.8, dashed=True))
            painter.drawLine(QPointF(best, plot.top()), QPointF(best, plot.bottom()))
            painter.restore()
            said = f"{curve.floor_px:.2f} px at {curve.best:.0f} ± {curve.best_sigma:.0f}"
            write(painter, QPointF(best, plot.top() - 6), said, "accent", number_font(strong=True), CENTRE)
        for i, (position, size) in enumerate(zip(positions, sizes, strict=True)):
            last = i == len(positions) - 1
            painter.setPen(theme.pen("text", 1.4))
            painter.setBrush(theme.colour("text" if last else "well"))
            painter.drawEllipse(place(position, size), 4.5 if last else 3.5, 4.5 if last else 3.5)
        last_sample = run.samples[-1]
        write(
            painter,
            QPointF(plot.right(), 30),
            f"{last_sample.hfr_px:.2f} px",
            "text",
            number_font(Size.LARGE, strong=True),
            RIGHT,
        )
        write(
            painter,
            QPointF(plot.right(), 50),
            f"at {last_sample.position}, {last_sample.stars} stars",
            "soft",
            number_font(),
            RIGHT,
        )

    def _paint_axes(self, painter: QPainter, plot: QRectF, low: float, high: float, top: float) -> None:
        font = number_font(Size.SMALL)
        step = 1 if top <= 6 else 2 if top <= 14 else 5
        for size in range(0, int(top) + 1, step):
            y = plot.bottom() - size / top * plot.height()
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            write(painter, QPointF(plot.left() - 10, y + 4), f"{size}", "soft", font, RIGHT)
        reach = high - low
        step = next(s for s in (10, 20, 50, 100, 200, 500, 1000, 5000, 50000) if reach / s <= 9)
        for position in range(int(low // step + 1) * step, int(high) + 1, step):
            x = plot.left() + (position - low) / reach * plot.width()
            write(painter, QPointF(x, plot.bottom() + 20), f"{position}", "soft", font, CENTRE)
        write(
            painter,
            QPointF(plot.left() - 44, plot.top() - 8),
            "star size (HFR), px",
            "soft",
            text_font(Size.SMALL),
        )
        write(
            painter,
            QPointF(plot.right(), plot.bottom() + 40),
            "focuser position",
            "soft",
            text_font(Size.SMALL),
            RIGHT,
        )
