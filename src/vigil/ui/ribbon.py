"""The ribbon: the night across the window, planned and done, in every workspace."""

from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QMenu, QWidget

from vigil.documents.errands import GUARD, ErrandState, Outcome
from vigil.ui import words
from vigil.ui.marks import paint_mark
from vigil.ui.picture import TimePicture, elided, text_width, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, text_font, theme

_SKY_TOP = 16.0
_BAR_TOP, _BAR_HEIGHT = 35.0, 25.0
_TOUCH_PX = 0.6
_MARK_TOP = 66.0
_ERRANDS_TOP, _ERRANDS_HEIGHT, _SHORTEST_PX = 77.0, 5.0, 5.0
_NEAR_PX = 2.0
_STEP = timedelta(minutes=5)


class Ribbon(TimePicture):
    """Planned is outlined, done is filled; a focus run is a V, a hold a bar across."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.setFixedHeight(Size.RIBBON)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("The night: darkness, plan, what was done, now")
        session.night_changed.connect(self._describe)
        session.night_changed.connect(self.update)
        session.errands_changed.connect(self.update)

    def paint(self, painter: QPainter) -> None:
        self.paint_sky(painter, _SKY_TOP, Size.RIBBON - _SKY_TOP)
        moments = self.session.moments
        flags = (moments.now, moments.as_at, moments.hovered)
        self.paint_hours(painter, 12, _SKY_TOP, _SKY_TOP + 4, flags)
        for begins, ends, _ in self._planned():
            self._paint_bar(painter, begins, ends)
        self._paint_done(painter)
        self._paint_marks(painter)
        self._paint_errands(painter)
        self.paint_moments(painter, _SKY_TOP - 1, Size.RIBBON, labels=True)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(0, Size.RIBBON - 0.5), QPointF(self.width(), Size.RIBBON - 0.5))

    def _planned(self) -> list[tuple[datetime, datetime, str]]:
        """Each block from its first to its last frame: what is done, and what is still foreseen."""
        session = self.session
        ahead = session.plan_to_come()
        found = []
        for block in session.plan.plan.blocks:
            ends = [s.ends for s in ahead.of_block(block.id)] if ahead else []
            begins = [s.begins for s in ahead.of_block(block.id)] if ahead else []
            for exposed in session.tonight.exposures:
                if exposed.block == block.id:
                    begins.append(exposed.begins)
                    ends.append(exposed.ends or exposed.expected_end)
            if begins:
                found.append((min(begins), max(ends), block.target.name))
        return found

    def _paint_bar(self, painter: QPainter, begins: datetime, ends: datetime) -> None:
        left, right = self.x(begins), self.x(ends)
        bar = QRectF(left, _BAR_TOP, max(3.0, right - left), _BAR_HEIGHT)
        painter.setPen(theme.pen("accent", 1.2))
        painter.setBrush(theme.colour("ink", 0.55))
        painter.drawRoundedRect(bar, 2, 2)

    def _paint_done(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        for left, right, whole in self._joined():
            painter.setBrush(theme.colour("accent_fill", 1.0 if whole else 0.35))
            painter.drawRect(QRectF(left, _BAR_TOP + 1, max(0.5, right - left + 0.6), _BAR_HEIGHT - 2))
        planned = sorted(self._planned(), key=lambda bar: bar[0])
        for n, (begins, ends, label) in enumerate(planned):
            left, right = self.x(begins), self.x(ends)
            following = self.x(planned[n + 1][0]) if n + 1 < len(planned) else float(self.width())
            inside = elided(label, text_font(), right - left - 14)
            if inside == label:
                write(painter, QPointF(left + 8, _BAR_TOP + 17), label)
            elif right + 6 + text_width(label, text_font()) < following:  # too short a bar: beside it
                write(painter, QPointF(right + 6, _BAR_TOP + 17), label)

    def _joined(self) -> list[tuple[float, float, bool]]:
        """Exposures as (left, right, whole), those that touch as one: a night has hundreds."""
        found: list[tuple[float, float, bool]] = []
        for exposed in self.session.tonight.exposures:
            ends = exposed.ends or min(self.session.now, exposed.expected_end)
            left, right, whole = self.x(exposed.begins), self.x(ends), exposed.outcome in ("", "done")
            if found and found[-1][2] is whole and left - found[-1][1] < _TOUCH_PX:
                found[-1] = (found[-1][0], right, whole)
            else:
                found.append((left, right, whole))
        return found

    def _paint_marks(self, painter: QPainter) -> None:
        record = self.session.tonight
        for hold in record.holds:
            left, right = self.x(hold.begins), self.x(hold.ends or self.session.now)
            middle = _BAR_TOP + _BAR_HEIGHT / 2
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("ink", 0.7))
            painter.drawRect(QRectF(left, _BAR_TOP, max(4.0, right - left), _BAR_HEIGHT))
            painter.setPen(theme.pen("text", 2.0))
            painter.drawLine(QPointF(left, middle), QPointF(max(left + 4.0, right), middle))
        for run in record.focus_runs:
            failed = run.outcome not in ("", "done")
            paint_mark(painter, "focus", self.x(run.began), _MARK_TOP, failed=failed)
        for flip in record.flips:
            failed = flip.outcome not in ("", "done")
            paint_mark(painter, "flip", self.x(flip.began), _MARK_TOP, failed=failed)
        for centring in record.centrings:
            paint_mark(painter, "centre", self.x(centring.began), _MARK_TOP + 7, "soft")

    def _errands(self) -> list[tuple[datetime, datetime, ErrandState]]:
        """What was, or is, done beside the night, with when."""
        now = self.session.now
        return [(e.began, e.ended or now, e) for e in self.session.errands.values() if e.began is not None]

    def _paint_errands(self, painter: QPainter) -> None:
        """Along the lower edge: a bar as long as it took, filled once it is done, as a block's is."""
        for begins, ends, errand in self._errands():
            left, right = self.x(begins), self.x(ends)
            failed = errand.outcome in (Outcome.FAILED, Outcome.CUT_OFF)
            painter.setPen(theme.pen("fault" if failed else "accent"))
            painter.setBrush(
                theme.colour("accent_fill") if errand.over and not failed else Qt.BrushStyle.NoBrush
            )
            painter.drawRect(QRectF(left, _ERRANDS_TOP, max(_SHORTEST_PX, right - left), _ERRANDS_HEIGHT))

    def errand_at(self, x: float) -> ErrandState | None:
        """The last one that was under way there."""
        found = [
            errand
            for begins, ends, errand in self._errands()
            if self.x(begins) - _NEAR_PX <= x <= self.x(ends) + _NEAR_PX
        ]
        return found[-1] if found else None

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What is under way beside the night can be stopped here too."""
        if event is None:
            return
        menu = QMenu(self)
        for errand in self.session.errands_under_way:
            if errand.kind != GUARD:
                stop = menu.addAction(f"Stop: {errand.words}")
                assert stop is not None
                stop.triggered.connect(lambda _=False, e=errand: self.session.stop_errand(e.errand))
        if menu.actions():
            menu.popup(event.globalPos())

    def hover_text(self, moment: datetime) -> str:
        said = [super().hover_text(moment)]
        for begins, ends, label in self._planned():
            if begins <= moment <= ends:
                zone = self.session.zone
                said.append(f"{label}, {words.clock(begins, zone)} to {words.clock(ends, zone)}")
        if (errand := self.errand_at(self.x(moment))) is not None:
            how = errand.reason if errand.over else "under way"
            said.append(f"{errand.kind}: {errand.words}{f' ({how})' if how else ''}")
        return "\n".join(said)

    def _describe(self) -> None:
        zone = self.session.zone
        bars = [
            f"{label} {words.clock(begins, zone)} to {words.clock(ends, zone)}"
            for begins, ends, label in self._planned()
        ]
        self.setAccessibleDescription("; ".join(bars) or "nothing planned")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.session.moments.look_at(self.moment_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right move the moment looked at by five minutes."""
        moments = self.session.moments
        step = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}.get(event.key()) if event else None
        if step is None:
            super().keyPressEvent(event)
            return
        moments.look_at(moments.shown + step)
