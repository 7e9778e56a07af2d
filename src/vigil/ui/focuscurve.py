"""The V-curve while it grows, with the stars themselves under it."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath

from vigil.documents.focusruns import FocusRun, FocusSample
from vigil.focusing.fit import Curve
from vigil.focusing.verdict import Verdict
from vigil.ui.growing import GrowingRun
from vigil.ui.picture import CENTRE, RIGHT, elided, text_width, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_LEAST_TOP_PX = 3.0
_STAR_PX, _STAR_GAP_PX, _LEAST_STAR_PX = 64.0, 4.0, 30.0
_STRETCH = 0.4
"""The power that a star's light is shown with: stars out of focus are faint, and must be seen."""
_LEFT, _TOP = 58.0, 94.0


class FocusCurve(GrowingRun[FocusRun]):
    """Star size against focuser position; the fitted curve, what it leaves open and the critical focus zone;
    under each position the median star of its frame, all at one scale and one stretch."""

    NAME = "Focus curve"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._earlier: Sequence[Curve] = ()
        self._verdict: Verdict | None = None

    def show_earlier(self, curves: Sequence[Curve]) -> None:
        """Of runs of this rig and filter; they stand faintly behind."""
        if list(curves) != list(self._earlier):
            self._earlier = tuple(curves)
            self.update()

    def steps_of(self, run: FocusRun) -> int:
        self._verdict = None
        return len(run.samples)

    def last_step(self, run: FocusRun) -> str:
        return f"{run.samples[-1].hfr_px:.2f} px at {run.samples[-1].position}"

    def copy_text(self) -> str:
        if self._run is None:
            return ""
        lines = [f"{s.position}\t{s.hfr_px:.3f}\t{s.sigma_px:.3f}\t{s.stars}" for s in self._run.samples]
        return "\n".join(["position\thfr_px\tsigma_px\tstars", *lines])

    # -- drawing --------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        run = self._run
        if run is None:
            return
        self._paint_words(painter, run)
        starry = any(s.kept for s in run.samples)
        below = 34.0 + (_STAR_PX + 12.0 if starry else 8.0)
        plot = QRectF(_LEFT, _TOP, self.width() - _LEFT - 62, self.height() - _TOP - below)
        if not run.samples or plot.width() < 80 or plot.height() < 50:
            said = "no frame was taken" if run.outcome else "the first frame is being taken"
            write(painter, plot.center(), said, "soft", None, CENTRE)
            return
        if not any(s.hfr_px > 0 for s in run.samples):
            where = ", ".join(f"{s.position}" for s in run.samples[-6:])
            write(painter, plot.center(), "no star in any frame", "text", text_font(Size.HEAD), CENTRE)
            write(painter, plot.center() + QPointF(0, 24), f"looked at {where}", "soft", None, CENTRE)
            return
        if self._verdict is None:
            self._verdict = run.verdict()
        curve = self._verdict.curve
        axes = _Axes(plot, self._shown(run), curve)
        self._paint_axes(painter, axes)
        painter.save()
        painter.setClipRect(plot)
        if curve is not None:
            self._paint_zone(painter, axes, curve, run)
        for earlier in self._earlier:
            self._paint_line(painter, axes, earlier, "faint", 1.0)
        if curve is not None:
            self._paint_line(painter, axes, curve, "accent", 1.8)
        painter.restore()
        self._paint_points(painter, axes, run, curve)
        if curve is not None:
            self._paint_interval(painter, axes, curve)
        if starry:
            self._paint_stars(painter, axes, run)

    def _shown(self, run: FocusRun) -> list[FocusSample]:
        """Those with stars that lie where the curve is; the way there would press it flat."""
        starry = [s for s in run.samples if s.hfr_px > 0 and s.disc_px is None] or run.samples
        used = [run.samples[k] for k, _ in run.points()]
        if len(used) < 5:
            return starry
        low, high = (pick(s.position for s in used) for pick in (min, max))
        return [s for s in starry if low - (high - low) / 2 <= s.position <= high + (high - low) / 2]

    def _paint_words(self, painter: QPainter, run: FocusRun) -> None:
        head = run.words[:1].upper() + run.words[1:]
        last = run.samples[-1] if run.samples else None
        number = "" if last is None or not last.hfr_px else f"{last.hfr_px:.2f} px"
        if number and last is not None:
            font = number_font(Size.LARGE, strong=True)
            write(painter, QPointF(self.width() - 16, 30), number, "text", font, RIGHT)
            beside = f"at {last.position}, {last.stars} stars"
            write(painter, QPointF(self.width() - 16, 50), beside, "soft", number_font(), RIGHT)
        room = self.width() - 40 - max(text_width(number, number_font(Size.LARGE, strong=True)), 170)
        strong = text_font(Size.LARGE, True)
        write(painter, QPointF(16, 30), elided(head, strong, room), "text", strong)
        said = run.said or (f"because {run.why}" if run.why and run.why != run.words else "")
        role = "fault" if run.outcome == "failed" else "soft"
        write(painter, QPointF(16, 50), elided(said, text_font(), room), role)

    def _paint_axes(self, painter: QPainter, axes: "_Axes") -> None:
        plot, font, small = axes.plot, number_font(Size.SMALL), text_font(Size.SMALL)
        scale = self._scale()
        step = 1 if axes.top <= 6 else 2 if axes.top <= 14 else 5 if axes.top <= 40 else 20
        for size in range(0, int(axes.top) + 1, step):
            y = axes.y(size)
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            write(painter, QPointF(plot.left() - 10, y + 4), f"{size}", "soft", font, RIGHT)
            if scale:
                write(painter, QPointF(plot.right() + 44, y + 4), f"{size * scale:.1f}", "soft", font, RIGHT)
        reach = axes.high - axes.low
        every = next(s for s in (5, 10, 20, 50, 100, 200, 500, 1000, 5000, 50000) if reach / s <= 9)
        for position in range(int(axes.low // every + 1) * every, int(axes.high) + 1, every):
            write(painter, QPointF(axes.x(position), plot.bottom() + 18), f"{position}", "soft", font, CENTRE)
        write(painter, QPointF(plot.left() - 42, plot.top() - 10), "star size (HFR), px", "soft", small)
        if scale:
            write(painter, QPointF(plot.right() + 44, plot.top() - 10), "″", "soft", small, RIGHT)

    def _paint_zone(self, painter: QPainter, axes: "_Axes", curve: Curve, run: FocusRun) -> None:
        zone = run.figures.get("zone_steps") or self._session.rig.focus_zone_steps
        if zone is None:
            return
        left, right = axes.x(curve.best - zone / 2), axes.x(curve.best + zone / 2)
        painter.fillRect(
            QRectF(left, axes.plot.top(), right - left, axes.plot.height()), theme.colour("accent", 0.10)
        )
        label, font = "critical focus zone", text_font(Size.SMALL)
        if right - left > text_width(label, font) + 8:
            write(painter, QPointF((left + right) / 2, axes.plot.top() + 16), label, "soft", font, CENTRE)

    def _paint_line(self, painter: QPainter, axes: "_Axes", curve: Curve, role: str, width: float) -> None:
        path = QPainterPath()
        for k, position in enumerate(np.linspace(axes.low, axes.high, 121)):
            point = QPointF(axes.x(float(position)), axes.y(float(curve.size(position))))
            path.lineTo(point) if k else path.moveTo(point)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen(role, width))
        painter.drawPath(path)

    def _paint_interval(self, painter: QPainter, axes: "_Axes", curve: Curve) -> None:
        """On the axis: where the lowest point is with 95 % probability."""
        plot, y = axes.plot, axes.plot.bottom()
        left, right = (min(max(axes.x(end), plot.left()), plot.right()) for end in curve.interval)
        painter.setPen(theme.pen("accent", 5.0))
        painter.drawLine(QPointF(left, y), QPointF(max(right, left + 1), y))
        painter.setPen(theme.pen("accent", 1.0, 0.8, dashed=True))
        x = axes.x(curve.best)
        if plot.left() <= x <= plot.right():
            painter.drawLine(QPointF(x, axes.y(curve.best_size)), QPointF(x, y))
        half = (curve.interval[1] - curve.interval[0]) / 2
        said = f"{curve.best_size:.2f} px at {curve.best:.0f} ± {max(half, 1):.0f}"
        width = text_width(said, number_font(strong=True)) / 2
        middle = min(max(x, plot.left() + width), plot.right() - width)
        write(painter, QPointF(middle, plot.top() - 8), said, "accent", number_font(strong=True), CENTRE)

    def _paint_points(self, painter: QPainter, axes: "_Axes", run: FocusRun, curve: Curve | None) -> None:
        points = run.points()
        out = {points[k][0] for k in curve.left_out} if curve is not None else set()
        used = {k for k, _ in points} - out
        for k, sample in enumerate(run.samples):
            place = QPointF(axes.x(sample.position), axes.y(sample.hfr_px))
            if sample.disc_px is not None or not axes.plot.adjusted(-1, -1, 1, 1).contains(place):
                continue
            last = k == len(run.samples) - 1 and not run.outcome
            painter.setPen(theme.pen("text" if k in used or last else "faint", 1.4))
            painter.setBrush(theme.colour("text" if last or sample.why == "confirm" else "well"))
            if k in out:
                painter.setPen(theme.pen("warn", 1.6))
                for sign in (-1, 1):
                    painter.drawLine(place + QPointF(-4, -4 * sign), place + QPointF(4, 4 * sign))
                continue
            radius = 5.0 if last else 3.5
            painter.drawEllipse(place, radius, radius)

    def _paint_stars(self, painter: QPainter, axes: "_Axes", run: FocusRun) -> None:
        """One for each position, as many as have room; of several frames the last."""
        by_position = {s.position: s for s in run.samples if s.cutout is not None and s.why != "confirm"}
        places = sorted(
            (axes.x(p), s)
            for p, s in by_position.items()
            if axes.plot.left() <= axes.x(p) <= axes.plot.right()
        )
        if not places:
            return
        gaps = [b[0] - a[0] for a, b in pairwise(places)]
        side = max(_LEAST_STAR_PX, min([_STAR_PX, *(g - _STAR_GAP_PX for g in gaps if g > _LEAST_STAR_PX)]))
        # light on an area of the sensor, so that frames cut out otherwise compare
        top = max(float(s.cutout[0].max()) / s.cutout[1] ** 2 for _, s in places if s.cutout is not None)
        y, taken = axes.plot.bottom() + 28, -1e9
        for x, sample in places:
            if sample.cutout is None or x - taken < side + 1:
                continue
            taken = x
            pixels, scale = sample.cutout
            image = stretched(pixels / scale**2 / top)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(x - side / 2, y, side, side), image)

    def _scale(self) -> float | None:
        try:
            return self._session.rig.scale_arcsec_px()
        except ValueError:
            return None


class _Axes:
    """Where positions and sizes are on the picture."""

    def __init__(self, plot: QRectF, samples: Sequence[FocusSample], curve: Curve | None) -> None:
        self.plot = plot
        positions = [s.position for s in samples]
        low, high = min(positions), max(positions)
        if curve is not None:
            low, high = min(low, *curve.interval), max(high, *curve.interval)
        room = max(6.0, 0.07 * (high - low))
        self.low, self.high = low - room, high + room
        self.top = max(_LEAST_TOP_PX, 1.12 * max(s.hfr_px for s in samples))

    def x(self, position: float) -> float:
        return self.plot.left() + (position - self.low) / (self.high - self.low) * self.plot.width()

    def y(self, size: float) -> float:
        return self.plot.bottom() - size / self.top * self.plot.height()


def stretched(shares: np.ndarray, power: float = _STRETCH) -> QImage:
    """A star's pixels as an image in the theme's light, 0 to 1; row 0 at the bottom."""
    tone = np.clip(shares, 0, 1)[::-1] ** power
    light, dark = theme.colour("text"), theme.colour("well")
    channels = [
        np.rint(d + tone * (c - d)).astype(np.uint32)
        for c, d in zip(light.getRgb()[:3], dark.getRgb()[:3], strict=True)
    ]
    argb = 0xFF000000 | channels[0] << 16 | channels[1] << 8 | channels[2]
    rows, columns = argb.shape
    data = np.ascontiguousarray(argb, dtype=np.uint32).tobytes()
    return QImage(data, columns, rows, 4 * columns, QImage.Format.Format_RGB32).copy()
