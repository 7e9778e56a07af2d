"""The guiding graph: both axes at a fixed scale, corrections and signal to noise on one time axis, and the
scatter."""

import base64
from datetime import datetime, timedelta

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPainterPath

from vigil.ui.focuscurve import stretched
from vigil.ui.picture import CENTRE, RIGHT, Picture, text_width, write
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.tune.guideseen import AXES, GuideSeen

SCALES_ARCSEC = (1.0, 2.0, 4.0, 8.0)
SPANS_MIN = (2, 5, 15, 60)
_TICKS_MIN = {2: 0.5, 5: 1, 15: 3, 60: 15}
ROLES = {"ra": "warn", "dec": "dec"}
_PULSE_STRIP, _SNR_STRIP, _GAP = 58.0, 44.0, 22.0
_BAR_PX = 1.6
_CHANGE_ROWS = 6
_STRETCH = 0.6


class GuideGraph(Picture):
    """Keys: up and down change the scale, left and right the span. Right ascension is solid, declination
    dashed."""

    scaled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._seen = GuideSeen()
        self._main_px_arcsec: float | None = None
        self._bands = {"ra": 0.0, "dec": 0.0}
        self._said = ""
        self.scale_arcsec, self.span_min = 2.0, 5
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Guiding graph")

    def sizeHint(self) -> QSize:
        return QSize(720, 460)

    def show_seen(
        self, seen: GuideSeen, main_px_arcsec: float | None, bands_arcsec: dict[str, float], said: str
    ) -> None:
        """`main_px_arcsec` is the main camera's pixel, `said` what to do where nothing is guided yet."""
        self._seen, self._main_px_arcsec, self._bands, self._said = seen, main_px_arcsec, bands_arcsec, said
        if seen.error and np.isfinite(seen.error[-1][0]):
            ra, dec = seen.error[-1]
            self.setAccessibleDescription(f"right ascension {ra:+.2f}″, declination {dec:+.2f}″")
        self.update()

    def set_scale(self, arcsec: float) -> None:
        self.scale_arcsec = arcsec
        self.scaled.emit()
        self.update()

    def set_span(self, minutes: int) -> None:
        self.span_min = minutes
        self.scaled.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        spans = {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1}
        key = event.key() if event is not None else None
        if key in keys:
            at = SCALES_ARCSEC.index(self.scale_arcsec) + keys[Qt.Key(key)]
            self.set_scale(SCALES_ARCSEC[min(max(at, 0), len(SCALES_ARCSEC) - 1)])
        elif key in spans:
            at = SPANS_MIN.index(self.span_min) + spans[Qt.Key(key)]
            self.set_span(SPANS_MIN[min(max(at, 0), len(SPANS_MIN) - 1)])
        else:
            super().keyPressEvent(event)

    def copy_text(self) -> str:
        seen = self._seen
        rows = zip(seen.at, seen.error, seen.sent, seen.snr, strict=True)
        lines = [f"{at.isoformat()}\t{e[0]}\t{e[1]}\t{s[0]:.3f}\t{s[1]:.3f}\t{n}" for at, e, s, n in rows]
        head = "time\tra_arcsec\tdec_arcsec\tra_sent_arcsec\tdec_sent_arcsec\tsnr"
        return "\n".join([head, *lines]) if lines else ""

    # -- drawing --------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        side = min(0.26 * self.width(), self.height() - 80.0, 230.0)
        left, right = 46.0, self.width() - side - 44.0
        bottom = self.height() - 24.0
        graph = QRectF(left, 30, right - left, bottom - _PULSE_STRIP - _SNR_STRIP - 2 * _GAP - 30)
        pulses = QRectF(left, graph.bottom() + _GAP, right - left, _PULSE_STRIP)
        snr = QRectF(left, pulses.bottom() + _GAP, right - left, _SNR_STRIP)
        scatter = QRectF(right + 26, 30, side, side)
        self._paint_frame(painter, graph, scatter)
        last = self._seen.last
        if last is None:
            between = QPointF(graph.center().x(), graph.top() + graph.height() * 0.4)  # no line crosses it
            write(painter, between, self._said, "soft", None, CENTRE)
            return
        begins = last - timedelta(minutes=self.span_min)
        part = self._seen.since(begins)

        def x(at: datetime) -> float:
            share = (at - begins).total_seconds() / (60 * self.span_min)
            return graph.left() + share * graph.width()

        xs = [x(at) for at in self._seen.at[part]]
        self._paint_times(painter, snr)
        changes = [(x(c.at), c.words) for c in self._seen.changes if c.at >= begins]
        painter.setPen(theme.pen("select", 1.0, 0.9, dashed=True))
        for where, _ in changes:
            painter.drawLine(QPointF(where, graph.top()), QPointF(where, snr.bottom()))
        self._paint_lines(painter, graph, part, xs)
        self._paint_changes(painter, graph, changes)
        self._paint_pulses(painter, pulses, part, xs)
        self._paint_snr(painter, snr, part, xs)
        self._paint_scatter(painter, scatter, part)
        self._paint_star(
            painter,
            QRectF(scatter.left(), scatter.bottom() + 152, side, self.height() - scatter.bottom() - 168),
        )

    def _y(self, box: QRectF, arcsec: float) -> float:
        return box.center().y() - arcsec / self.scale_arcsec * box.height() / 2

    def _paint_frame(self, painter: QPainter, box: QRectF, scatter: QRectF) -> None:
        font = number_font(Size.SMALL)
        if self._main_px_arcsec:
            half = min(self._main_px_arcsec, self.scale_arcsec)
            fill = theme.colour("raised")
            painter.fillRect(
                QRectF(QPointF(box.left(), self._y(box, half)), QPointF(box.right(), self._y(box, -half))),
                fill,
            )
        for share in (-1.0, -0.5, 0.0, 0.5, 1.0):
            arcsec = share * self.scale_arcsec
            painter.setPen(theme.pen("line" if share else "faint"))
            painter.drawLine(
                QPointF(box.left(), self._y(box, arcsec)), QPointF(box.right(), self._y(box, arcsec))
            )
            text = f"{arcsec:+g}″".replace("-", "−") if share else "0"
            write(painter, QPointF(box.left() - 6, self._y(box, arcsec) + 4), text, "soft", font, RIGHT)
        for name in AXES:
            band = self._bands[name]
            if 0 < band < self.scale_arcsec:
                painter.setPen(theme.pen(ROLES[name], 1.0, 0.35, dashed=True))
                for sign in (-1, 1):
                    painter.drawLine(
                        QPointF(box.left(), self._y(box, sign * band)),
                        QPointF(box.right(), self._y(box, sign * band)),
                    )
        at = write(painter, QPointF(box.left(), 20), "── right ascension", "warn", text_font(Size.SMALL))
        beside = write(
            painter, QPointF(box.left() + at + 16, 20), "╌╌ declination", "dec", text_font(Size.SMALL)
        )
        if self._main_px_arcsec:
            said = f"shaded: ± a pixel of the main camera, {self._main_px_arcsec:.2f}″"
            place = QPointF(box.left() + at + beside + 32, 20)
            write(painter, place, said, "soft", text_font(Size.SMALL))
        write(
            painter,
            QPointF(scatter.left(), 20),
            f"scatter, ± {self.scale_arcsec:g}″",
            "soft",
            text_font(Size.SMALL),
        )
        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(scatter)
        painter.drawLine(
            QPointF(scatter.center().x(), scatter.top()), QPointF(scatter.center().x(), scatter.bottom())
        )
        painter.drawLine(
            QPointF(scatter.left(), scatter.center().y()), QPointF(scatter.right(), scatter.center().y())
        )

    def _paint_times(self, painter: QPainter, box: QRectF) -> None:
        font = number_font(Size.SMALL)
        step = _TICKS_MIN[self.span_min]
        count = round(self.span_min / step)
        for k in range(count + 1):
            text = f"−{self.span_min - k * step:g} min" if k < count else "now"
            place = QPointF(box.left() + k / count * box.width(), box.bottom() + 16)
            write(painter, place, text, "soft", font, RIGHT if k == count else CENTRE)

    def _paint_changes(self, painter: QPainter, box: QRectF, changes: list[tuple[float, str]]) -> None:
        """Their words, on ground of their own: the errors' lines don't cross them. Where they crowd each
        goes to the highest row with room, the newest first; there is none for the oldest of many."""
        font, grounds = text_font(Size.SMALL), list[QRectF]()
        for where, words in reversed(changes):
            width = text_width(words, font) + 8
            left = where - width - 1 if where > box.center().x() else where + 1
            for row in range(_CHANGE_ROWS):
                ground = QRectF(left, box.top() + 2 + 18 * row, width, 17)
                if not any(ground.intersects(other) for other in grounds):
                    grounds.append(ground)
                    painter.fillRect(ground, theme.colour("well"))
                    write(painter, QPointF(left + 4, ground.bottom() - 4), words, "select", font)
                    break

    def _paint_lines(self, painter: QPainter, box: QRectF, part: slice, xs: list[float]) -> None:
        painter.setClipRect(box.adjusted(0, -2, 0, 2))
        for k, name in enumerate(AXES):
            path, drawn = QPainterPath(), False
            for x, error, mark in zip(xs, self._seen.error[part], self._seen.marks[part], strict=True):
                y = self._y(box, error[k]) if np.isfinite(error[k]) else None
                if y is None or mark == "wild":
                    if y is not None:
                        painter.setPen(theme.pen("fault", 1.4))
                        painter.drawLine(QPointF(x - 3, y - 3), QPointF(x + 3, y + 3))
                        painter.drawLine(QPointF(x - 3, y + 3), QPointF(x + 3, y - 3))
                    drawn = drawn and y is not None
                    continue
                if drawn:
                    path.lineTo(x, y)
                else:
                    path.moveTo(x, y)
                drawn = True
            painter.setPen(theme.pen(ROLES[name], 1.6, 1.0, dashed=name == "dec"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        painter.setClipping(False)
        gone = [x for x, error in zip(xs, self._seen.error[part], strict=True) if not np.isfinite(error[0])]
        painter.setPen(theme.pen("fault", 2.0))
        for x in gone:
            painter.drawLine(QPointF(x, box.bottom() - 6), QPointF(x, box.bottom()))

    def _paint_pulses(self, painter: QPainter, box: QRectF, part: slice, xs: list[float]) -> None:
        write(painter, QPointF(box.left(), box.top() - 5), "corrections", "soft", text_font(Size.SMALL))
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
        most = max(self.scale_arcsec / 2, 1e-6)
        for k, name in enumerate(AXES):
            painter.setPen(theme.pen(ROLES[name], _BAR_PX))
            for x, sent in zip(xs, self._seen.sent[part], strict=True):
                if sent[k]:
                    tall = max(-1.0, min(1.0, sent[k] / most)) * box.height() / 2
                    beside = x + (1.2 if name == "dec" else -1.2)
                    painter.drawLine(
                        QPointF(beside, box.center().y()), QPointF(beside, box.center().y() - tall)
                    )

    def _paint_snr(self, painter: QPainter, box: QRectF, part: slice, xs: list[float]) -> None:
        values = self._seen.snr[part]
        most = max([*values, 1.0])
        said = f"signal to noise, now {values[-1]:.0f}" if values else "signal to noise"
        write(painter, QPointF(box.left(), box.top() - 5), said, "soft", text_font(Size.SMALL))
        path = QPainterPath()
        for k, (x, value) in enumerate(zip(xs, values, strict=True)):
            place = QPointF(x, box.bottom() - value / most * (box.height() - 6))
            path.moveTo(place) if k == 0 else path.lineTo(place)
        painter.setPen(theme.pen("line"))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.setPen(theme.pen("soft", 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _paint_scatter(self, painter: QPainter, box: QRectF, part: slice) -> None:
        half, centre = box.width() / 2, box.center()
        if self._main_px_arcsec and self._main_px_arcsec < self.scale_arcsec:
            radius = self._main_px_arcsec / self.scale_arcsec * half
            painter.setPen(theme.pen("faint", 1.0, 1.0, dashed=True))
            painter.drawEllipse(centre, radius, radius)
        painter.setClipRect(box)
        errors = [e for e in self._seen.error[part] if np.isfinite(e[0])]
        painter.setPen(Qt.PenStyle.NoPen)
        for k, (ra, dec) in enumerate(errors):
            colour = theme.colour("text")
            colour.setAlphaF(0.15 + 0.6 * (k + 1) / len(errors))
            painter.setBrush(colour)
            painter.drawEllipse(centre + QPointF(ra, -dec) / self.scale_arcsec * half, 1.8, 1.8)
        if errors:
            ra, dec = errors[-1]
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("accent", 2.0))
            painter.drawEllipse(centre + QPointF(ra, -dec) / self.scale_arcsec * half, 5, 5)
        painter.setClipping(False)
        self._paint_total(painter, box, part)
        write(
            painter,
            QPointF(box.right(), box.bottom() + 16),
            "right ascension →",
            "soft",
            text_font(Size.SMALL),
            RIGHT,
        )

    def _paint_total(self, painter: QPainter, box: QRectF, part: slice) -> None:
        """One number, large enough to be read from the telescope, and what it is made of: of the frames that
        are neither wild nor on their way after a dither, as in the figures beside."""
        top = box.bottom() + 34
        axes = [self._seen.axis(name, part)[1] for name in AXES]
        if len(axes[0]) < 3 or self.height() - top < 120:
            return
        ra, dec = (float(np.sqrt(np.mean(np.square(errors)))) for errors in axes)
        font = number_font(Size.FIGURE)
        write(painter, QPointF(box.left(), top + 56), f"{np.hypot(ra, dec):.2f}″", "text", font)
        small = text_font(Size.SMALL)
        write(painter, QPointF(box.left(), top + 78), f"rms in all, {self.span_min} min", "soft", small)
        at = write(painter, QPointF(box.left(), top + 102), f"{ra:.2f}″", "warn", number_font())
        write(painter, QPointF(box.left() + at + 16, top + 102), f"{dec:.2f}″", "dec", number_font())

    def _paint_star(self, painter: QPainter, box: QRectF) -> None:
        """The best star, magnified, with its light along the row through its middle."""
        kept, side = self._seen.star, min(box.height(), 0.42 * box.width())
        if kept is None or side < 56:
            return
        steps = np.frombuffer(base64.b64decode(kept["pixels"]), dtype=np.uint8)
        shares = (steps.reshape(kept["side"], kept["side"]) / 255.0) ** 2
        square = QRectF(box.left(), box.top(), side, side)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(square, stretched(shares, _STRETCH))
        line = QRectF(square.right() + 14, box.top(), box.right() - square.right() - 14, side - 16)
        row = shares[kept["side"] // 2]
        path = QPainterPath()
        for k, share in enumerate(row):
            place = QPointF(
                line.left() + k / (len(row) - 1) * line.width(), line.bottom() - share * (line.height() - 4)
            )
            path.moveTo(place) if k == 0 else path.lineTo(place)
        painter.setPen(theme.pen("line"))
        painter.drawLine(line.bottomLeft(), line.bottomRight())
        painter.setPen(theme.pen("select", 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        said = f"peak {kept['peak_adu']} ADU"
        write(painter, QPointF(line.left(), square.bottom()), said, "soft", text_font(Size.SMALL))
