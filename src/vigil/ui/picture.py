"""The bases of painted widgets: themed, and over the shared time axis."""

from collections.abc import Sequence
from datetime import datetime

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QGuiApplication,
    QHelpEvent,
    QImage,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from vigil.ui import words
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, smooth, text_font, theme

LEFT, RIGHT = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
CENTRE = Qt.AlignmentFlag.AlignHCenter
_DARKEST_MAG, _BRIGHTEST_MAG = 21.4, 7.0
_FLAG_HALF_PX = 31.0


class Picture(QWidget):
    """Paints itself with the theme's colours, and anew when they change."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        theme.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = smooth(QPainter(self))
        try:
            self.paint(painter)
            if self.hasFocus():
                painter.setPen(theme.pen("focus", 1.0))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        finally:
            painter.end()

    def paint(self, painter: QPainter) -> None:
        """To be drawn by each kind of picture."""

    def copy_text(self) -> str:
        """The picture's data as tab-separated lines, for Ctrl+C; empty when it has none."""
        return ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        wants_copy = event is not None and event.matches(QKeySequence.StandardKey.Copy)
        clipboard = QGuiApplication.clipboard()
        if wants_copy and clipboard is not None and self.copy_text():
            clipboard.setText(self.copy_text())
            return
        super().keyPressEvent(event)


def write(
    painter: QPainter,
    where: QPointF,
    text: str,
    role: str = "text",
    font: QFont | None = None,
    align: Qt.AlignmentFlag = LEFT,
    colour: QColor | None = None,
) -> float:
    """Text on a base line at a point; returns its width."""
    font = font or text_font()
    painter.setFont(font)
    painter.setPen(colour or theme.colour(role))
    width = QFontMetricsF(font).horizontalAdvance(text)
    x = where.x() - (width if align == RIGHT else width / 2 if align == CENTRE else 0.0)
    painter.drawText(QPointF(x, where.y()), text)
    return width


def wrapped(painter: QPainter, box: QRectF, text: str, role: str = "soft") -> None:
    """Small words in a box, over as many lines as it has."""
    painter.setFont(text_font(Size.SMALL))
    painter.setPen(theme.colour(role))
    painter.drawText(box, int(Qt.TextFlag.TextWordWrap), text)


def text_width(text: str, font: QFont) -> float:
    return QFontMetricsF(font).horizontalAdvance(text)


def elided(text: str, font: QFont, width: float) -> str:
    """The text cut to a width with an ellipsis."""
    return QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, max(0.0, width))


def sky_strip(session: Session, width: int) -> QImage:
    """Darkness and moonlight as one tone, a pixel row of the time axis's width."""
    sky, axis = session.sky, session.axis
    width = max(1, width)
    seconds = np.interp(np.linspace(0, 1, width), axis.shares, axis.knots_s)
    mag = np.interp(seconds, sky.unix_s, sky.zenith_mag_arcsec2)
    share = np.clip((_DARKEST_MAG - mag) / (_DARKEST_MAG - _BRIGHTEST_MAG), 0, 1)
    night, day = (
        np.array([c.red(), c.green(), c.blue()]) for c in (theme.colour("night"), theme.colour("day"))
    )
    tones = np.rint(night + share[:, np.newaxis] * (day - night)).astype(np.uint32)
    argb = 0xFF000000 | tones[:, 0] << 16 | tones[:, 1] << 8 | tones[:, 2]
    pixels = argb.astype(np.uint32).tobytes()
    return QImage(pixels, width, 1, 4 * width, QImage.Format.Format_RGB32).copy()


class TimePicture(Picture):
    """A picture over the night's span: sky tone behind, hours, hover line, now-line.

    The span lies between `inset_left` and `inset_right`. Hovering shows one line in all of them; a drag
    puts altitude-dependent views on a moment; Esc returns to now.
    """

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.inset_left, self.inset_right = Size.MARGIN, Size.MARGIN
        self.setMouseTracking(True)
        self._strip: QImage | None = None
        self._last_now_px = -1
        session.moments.changed.connect(self.update)
        session.moments.now_changed.connect(self._now_moved)
        session.sky_changed.connect(self._sky_changed)
        theme.changed.connect(self._drop_strip)

    # -- geometry -------------------------------------------------------------------------------------

    @property
    def span_left(self) -> float:
        return float(self.inset_left)

    @property
    def span_width(self) -> float:
        return max(1.0, self.width() - self.inset_left - self.inset_right)

    def x(self, moment: datetime) -> float:
        return self.span_left + self.session.axis.share(moment) * self.span_width

    def moment_at(self, x: float) -> datetime:
        share = (x - self.span_left) / self.span_width
        return self.session.axis.moment(min(1.0, max(0.0, share)))

    # -- drawing --------------------------------------------------------------------------------------

    def paint_sky(self, painter: QPainter, top: float, height: float) -> None:
        """The night's tone over the span."""
        if self._strip is None or self._strip.width() != int(self.span_width):
            self._strip = sky_strip(self.session, int(self.span_width))
        painter.drawImage(QRectF(self.span_left, top, self.span_width, height), self._strip)

    def paint_hours(
        self,
        painter: QPainter,
        baseline: float,
        tick_top: float,
        tick_bottom: float,
        flags: Sequence[datetime | None] = (),
    ) -> None:
        """The local hours, but for those that a moment's flag would half cover."""
        font = number_font(Size.SMALL)
        covered = [self.x(moment) for moment in flags if moment is not None]
        for share, label in self.session.axis.hours(self.span_width):
            x = self.span_left + share * self.span_width
            if all(abs(x - flag) > _FLAG_HALF_PX for flag in covered):
                write(painter, QPointF(x, baseline), label, "soft", font, CENTRE)
            painter.setPen(theme.pen("faint", 1.0, 0.5))
            painter.drawLine(QPointF(round(x) + 0.5, tick_top), QPointF(round(x) + 0.5, tick_bottom))

    def paint_moments(self, painter: QPainter, top: float, bottom: float, labels: bool = False) -> None:
        """The now-line, the moment looked at, and the one under the pointer."""
        moments = self.session.moments
        for moment, role, dashed in (
            (moments.now, "moment", False),
            (moments.as_at, "select", False),
            (moments.hovered, "select", True),
        ):
            if moment is None or not self.session.axis.holds(moment):
                continue
            x = round(self.x(moment)) + 0.5
            painter.setPen(theme.pen(role, 1.4 if not dashed else 1.0, 0.95, dashed))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            if labels:
                self._paint_flag(painter, x, words.clock(moment, self.session.zone), role)

    def _paint_flag(self, painter: QPainter, x: float, text: str, role: str) -> None:
        font = number_font(Size.SMALL, strong=True)
        width = text_width(text, font) + 10
        left = min(max(0.0, x - width / 2), self.width() - width)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour(role))
        painter.drawRoundedRect(QRectF(left, 0, width, 15), 2, 2)
        write(painter, QPointF(left + 5, 11.5), text, "on_moment", font)

    def _drop_strip(self) -> None:
        self._strip = None
        self.update()

    def _sky_changed(self) -> None:
        self._drop_strip()

    def _now_moved(self) -> None:
        here = round(self.x(self.session.moments.now))
        if here != self._last_now_px:
            self._last_now_px = here
            self.update()

    # -- pointer --------------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        moment = self.moment_at(event.position().x())
        self.session.moments.hover(moment)
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.session.moments.look_at(moment)

    def leaveEvent(self, event: object) -> None:
        self.session.moments.hover(None)

    def event(self, event: object) -> bool:  # type: ignore[override]
        if isinstance(event, QHelpEvent) and event.type() == event.Type.ToolTip:
            text = self.hover_text(self.moment_at(event.pos().x()))
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)  # type: ignore[arg-type]

    def hover_text(self, moment: datetime) -> str:
        """The numbers at a moment."""
        session = self.session
        sky = session.sky
        mag = sky.at(sky.zenith_mag_arcsec2, moment)
        moon = sky.at(sky.moon_altitude_deg, moment)
        said = f"{100 * sky.moon_illumination:.0f} % lit, " + (
            f"{words.degrees(moon)} high" if moon > 0 else "below the horizon"
        )
        brightness = f"sky {mag:.1f} mag/arcsec²" if mag > 12 else "too bright for stars"
        lines = [
            words.both_clocks(moment, session.zone),
            f"sun {words.degrees(sky.at(sky.sun_altitude_deg, moment))} · {brightness}",
            f"moon {said}",
        ]
        return "\n".join(lines)
