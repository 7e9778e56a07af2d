"""The solve error, frame by frame, while centring."""

import itertools
import math

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from vigil.ui.growing import GrowingRun
from vigil.ui.picture import CENTRE, RIGHT, write
from vigil.ui.record import Centring
from vigil.ui.theme import Size, number_font, text_font, theme

_LEAST_PX, _LEAST_TOP_PX = 0.1, 100.0


class CentringError(GrowingRun[Centring]):
    """How far off each solved frame was, on a logarithmic scale, with the limit."""

    NAME = "Centring error"

    def steps_of(self, run: Centring) -> int:
        return len(run.off_px)

    def last_step(self, run: Centring) -> str:
        return f"{run.off_px[-1]:.1f} px off, limit {run.limit_px:g}"

    def copy_text(self) -> str:
        if self._run is None:
            return ""
        lines = [f"{i + 1}\t{off:.2f}" for i, off in enumerate(self._run.off_px)]
        return "\n".join(["frame\toff_px", *lines])

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
        plot = QRectF(72, 84, self.width() - 104, self.height() - 136)
        if not run.off_px or plot.width() < 60 or plot.height() < 60:
            write(painter, plot.center(), "the first frame is being taken and solved", "soft", None, CENTRE)
            return
        write(painter, QPointF(20, 50), run.said or f"until within {run.limit_px:g} px", "soft")
        top, bottom = math.log10(max(_LEAST_TOP_PX, 2 * max(run.off_px))), math.log10(_LEAST_PX)

        def y(off_px: float) -> float:
            share = (math.log10(max(_LEAST_PX, off_px)) - bottom) / (top - bottom)
            return plot.bottom() - share * plot.height()

        font = number_font(Size.SMALL)
        for power in range(math.ceil(bottom), math.floor(top) + 1):
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(plot.left(), y(10**power)), QPointF(plot.right(), y(10**power)))
            write(painter, QPointF(plot.left() - 10, y(10**power) + 4), f"{10**power:g}", "soft", font, RIGHT)
        write(painter, QPointF(20, plot.top() - 8), "off target, px", "soft", text_font(Size.SMALL))
        if run.limit_px:
            painter.setPen(theme.pen("warn", 1.2, 1.0, dashed=True))
            painter.drawLine(QPointF(plot.left(), y(run.limit_px)), QPointF(plot.right(), y(run.limit_px)))
            write(
                painter,
                QPointF(plot.right(), y(run.limit_px) - 6),
                f"limit {run.limit_px:g} px",
                "warn",
                font,
                RIGHT,
            )
        slots = max(4, len(run.off_px))
        points = [
            QPointF(plot.left() + (i + 0.5) / slots * plot.width(), y(off))
            for i, off in enumerate(run.off_px)
        ]
        painter.setPen(theme.pen("accent", 1.4))
        for one, other in itertools.pairwise(points):
            painter.drawLine(one, other)
        for i, (point, off) in enumerate(zip(points, run.off_px, strict=True)):
            painter.setPen(theme.pen("text", 1.4))
            painter.setBrush(theme.colour("text" if off <= run.limit_px else "well"))
            painter.drawEllipse(point, 4.5, 4.5)
            arcsec = run.off_arcsec[i]
            said = f"{off:.1f} px · " + (f"{arcsec / 60:.1f}′" if arcsec >= 90 else f"{arcsec:.1f}″")
            write(painter, QPointF(point.x() + 10, point.y() - 8), said, "text", number_font(strong=True))
            write(painter, QPointF(point.x(), plot.bottom() + 20), f"frame {i + 1}", "soft", font, CENTRE)
