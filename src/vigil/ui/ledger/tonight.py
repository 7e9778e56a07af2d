"""What tonight is best spent on: targets over the night's span, what is exposed when, and why."""

from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter

from vigil.planning.bestuse import SLOT_MIN, BestUse, Candidate, Stint
from vigil.ui import words
from vigil.ui.picture import RIGHT, TimePicture, elided, wrapped, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_HEAD_PX, _LANE_PX, _REASON_PX = 52, 58, 40


class TonightPicture(TimePicture):
    """A lane a target: when it stands high enough (the deeper the more an hour is worth), and its stretches
    as outlined bars. Beneath them each stretch in words; arrow keys go from one to the next."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._found: BestUse | None = None
        self._said = ""
        self._at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("What tonight is best spent on")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_found(self, found: BestUse | None, said: str) -> None:
        """`said` where nothing is reckoned."""
        if found is not self._found:
            self._at = 0
        self._found, self._said = found, said
        self._tell()
        self.update()

    def copy_text(self) -> str:
        if self._found is None or not self._found.stints:
            return ""
        lines = ["from\tuntil\ttarget\tfilter\tframes\texposure_s\treason"]
        lines += [
            f"{s.begins.isoformat()}\t{s.ends.isoformat()}\t{s.target}\t{s.filter}\t{s.frames}\t{s.exposure_s:g}\t{s.reason}"
            for s in self._found.stints
        ]
        return "\n".join(lines)

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        found = self._found
        if found is None or not found.candidates:
            box = QRectF(Size.MARGIN, 16, min(self.width() - 2 * Size.MARGIN, 620), 200)
            said = self._said or "Nothing of the projects can be taken tonight."
            painter.setPen(theme.colour("soft"))
            lines = [said, *(found.why_not if found is not None else ())]
            painter.drawText(box, int(Qt.TextFlag.TextWordWrap), "\n".join(lines))
            return
        self.paint_sky(painter, 20, 14)
        self.paint_hours(painter, 15, 34, _HEAD_PX - 8, (self.session.moments.now,))
        targets = list(dict.fromkeys(c.target for c in found.candidates))
        top = float(_HEAD_PX)
        for target in targets:
            self._paint_lane(painter, found, target, top)
            top += _LANE_PX
        self.paint_moments(painter, 0, top, labels=True)
        self._paint_reasons(painter, found, top + 14)

    def _paint_lane(self, painter: QPainter, found: BestUse, target: str, top: float) -> None:
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        write(painter, QPointF(Size.MARGIN, top + 12), target, "text", text_font(Size.BODY, strong=True))
        mine = [c for c in found.candidates if c.target == target]
        base = top + 18
        self._paint_worth(painter, found, max(mine, key=lambda c: float(c.option.worth.sum())), base)
        for number, stint in enumerate(found.stints):
            if stint.target != target:
                continue
            box = QRectF(self.x(stint.begins), base, self.x(stint.ends) - self.x(stint.begins), 26)
            painter.fillRect(box.adjusted(0, 20, 0, 0), swatch_of(stint.filter))
            chosen = number == self._at
            painter.setPen(theme.pen("select" if chosen else "text", 2.0 if chosen else 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
            told = stint.filter or "no filter"
            if box.width() > 24:
                shown = elided(told, small, box.width() - 8)
                write(painter, QPointF(box.left() + 5, box.top() + 15), shown, "text", small)
            if box.width() > 74:
                count = f"{stint.frames}"
                write(painter, QPointF(box.right() - 5, box.top() + 15), count, "soft", numbers, RIGHT)

    def _paint_worth(self, painter: QPainter, found: BestUse, candidate: Candidate, top: float) -> None:
        """Where it stands high enough, the deeper the more an hour there counts for."""
        slot = timedelta(minutes=SLOT_MIN)
        painter.setPen(Qt.PenStyle.NoPen)
        for begins, worth in zip(found.begins, candidate.option.worth, strict=True):
            if worth > 0:
                left, right = self.x(begins), self.x(begins + slot)
                painter.setBrush(theme.colour("accent_fill", 0.15 + 0.75 * float(worth)))
                painter.drawRect(QRectF(left, top, right - left + 0.5, 26))

    def _paint_reasons(self, painter: QPainter, found: BestUse, top: float) -> None:
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        zone = self.session.zone
        room = max(1, int((self.height() - top - 8 - 18 * len(found.why_not)) // _REASON_PX))
        first = max(0, min(self._at - room // 2, len(found.stints) - room))
        for number in range(first, min(len(found.stints), first + room)):
            stint = found.stints[number]
            if number == self._at:
                line = QRectF(0, top - 2, self.width(), _REASON_PX - 2)
                painter.fillRect(line, theme.colour("raised"))
                painter.fillRect(QRectF(0, top - 2, 3, _REASON_PX - 2), theme.colour("select"))
            painter.fillRect(QRectF(Size.MARGIN, top + 5, 9, 9), swatch_of(stint.filter))
            span = f"{words.clock(stint.begins, zone)}–{words.clock(stint.ends, zone)}"
            write(painter, QPointF(Size.MARGIN + 18, top + 14), span, "text", numbers)
            what = f"{stint.target} {stint.filter}  {stint.frames} × {stint.exposure_s:g} s"
            write(painter, QPointF(Size.MARGIN + 112, top + 14), what, "text")
            useful = f"{stint.useful_h:.1f} useful h"
            write(painter, QPointF(self.width() - Size.MARGIN, top + 14), useful, "soft", numbers, RIGHT)
            told = elided(stint.reason, small, self.width() - 2 * Size.MARGIN - 120)
            write(painter, QPointF(Size.MARGIN + 112, top + 30), told, "soft", small)
            top += _REASON_PX
        for line_words in found.why_not:
            wrapped(
                painter, QRectF(Size.MARGIN, top + 2, self.width() - 2 * Size.MARGIN, 18), line_words, "faint"
            )
            top += 18

    # -- choosing ---------------------------------------------------------------------------------------

    @property
    def stint(self) -> Stint | None:
        """The chosen stretch."""
        return self._found.stints[self._at] if self._found and self._found.stints else None

    def _choose(self, number: int) -> None:
        if self._found is not None and self._found.stints:
            self._at = max(0, min(number, len(self._found.stints) - 1))
            self._tell()
            self.update()

    def _tell(self) -> None:
        stint = self.stint
        said = self._said if stint is None else f"{stint.target} {stint.filter}: {stint.reason}"
        self.setAccessibleDescription(said)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1}
        if event is not None and event.key() in steps:
            self._choose(self._at + steps[Qt.Key(event.key())])
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._found is None:
            return
        at = self.moment_at(event.position().x())
        for number, stint in enumerate(self._found.stints):
            if stint.begins <= at < stint.ends and event.position().y() > _HEAD_PX:
                self._choose(number)

    def hover_text(self, moment: datetime) -> str:
        said = super().hover_text(moment)
        if self._found is not None:
            here = [s for s in self._found.stints if s.begins <= moment < s.ends]
            said += "".join(f"\n{s.target} {s.filter}: {s.reason}" for s in here)
        return said
