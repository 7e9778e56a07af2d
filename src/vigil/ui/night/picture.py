"""The night as a picture: altitude curves, and beneath them each block as a bar of its exposure lines."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter

from vigil.documents.plan import Block, ExposureLine
from vigil.planning.account import Account
from vigil.planning.forecast import Forecast
from vigil.ui import words
from vigil.ui.curves import AltitudePicture
from vigil.ui.marks import paint_mark
from vigil.ui.night.bardrag import BarDrag, grip_at
from vigil.ui.picture import CENTRE, RIGHT, elided, text_width, write
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_BAR_ROW, _BAR, _BARS_IN_TURN = 46.0, 24.0, 28.0
_MOST_ROWS = 6
CURVE_ROLES = ("text", "select", "accent", "soft")


class NightPicture(AltitudePicture):
    """Planned is outlined, done is filled, what doesn't fit is hatched."""

    block_chosen = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.chosen_block = ""
        self.rehearsal: Account | None = None
        self.rehearsed_before: Account | None = None
        self.odds: Mapping[str, float] = {}
        """By line, the share of many rehearsals in which it was completed."""
        self._names: list[QRectF] = []
        self._drag: BarDrag | None = None
        self.setAccessibleName("Altitudes and blocks of the night")
        self.setMinimumHeight(300)
        session.night_changed.connect(self.update)

    @property
    def _blocks(self) -> list[Block]:
        return list(self.session.plan.plan.blocks)

    def curve_rect(self) -> QRectF:
        rows = min(_MOST_ROWS, max(1, len(self._blocks)))
        return QRectF(self.span_left, 0, self.span_width, max(120.0, self.height() - 44 - rows * _BAR_ROW))

    def show_rehearsal(self, told: Account | None, before: Account | None = None) -> None:
        """Drawn over the plan, the one `before` it in a strip beneath; None takes it away."""
        self.rehearsal, self.rehearsed_before = told, before
        self.update()

    def choose(self, block_id: str) -> None:
        if block_id != self.chosen_block:
            self.chosen_block = block_id
            self.update()

    def paint(self, painter: QPainter) -> None:
        rect = self.curve_rect()
        self.paint_ground(painter)
        font = number_font(Size.SMALL)
        for altitude in (15, 30, 45, 60, 75):
            y = self.y(altitude)
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
            write(painter, QPointF(rect.left() + 4, y - 3), f"{altitude}°", "soft", font)
        ahead = self.session.plan_to_come()
        self._names = []
        for i, block in enumerate(self._blocks):
            self._paint_block_curve(painter, i, block, ahead)
        self.paint_hours(painter, rect.bottom() + 14, rect.bottom(), rect.bottom() + 3)
        for i, block in enumerate(self._blocks[:_MOST_ROWS]):
            self._paint_bars(painter, self._bars_top(rect) + i * _BAR_ROW, i, block, ahead)
        self._paint_marks(painter, rect.bottom() + 21, ahead)
        self._paint_drag(painter)
        self.paint_moments(painter, rect.top(), self.height())

    def _bars_top(self, rect: QRectF) -> float:
        return rect.bottom() + 38

    def _paint_marks(self, painter: QPainter, top: float, ahead: Forecast | None) -> None:
        """What came, and is to come, between the exposures; or, where it was rehearsed, what came then."""
        if self.rehearsal is None:
            self._paint_happened(painter, top)
            steps = ahead.steps if ahead else ()
            for step in steps:
                if step.kind in ("focus", "flip"):
                    paint_mark(painter, step.kind, self.x(step.begins), top, "soft")
            self._paint_ticks(painter, top, [s.begins for s in steps if s.kind == "dither"])
            return
        told = self.rehearsal.of_kind("dither")
        self._paint_ticks(painter, top, [spell.begins for spell in told])
        for spell in self.rehearsal.spells:
            failed = spell.outcome not in ("done", "lost")
            if spell.kind in ("focus", "flip"):
                paint_mark(painter, spell.kind, self.x(spell.begins), top, "accent", failed)
            elif spell.kind in ("hold", "wait"):
                self._paint_lost(painter, top, spell.begins, spell.ends)

    def _paint_happened(self, painter: QPainter, top: float) -> None:
        record, now = self.session.tonight, self.session.now
        for hold in record.holds:
            self._paint_lost(painter, top, hold.begins, hold.ends or now)
        for kind, came in (("focus", record.focus_runs), ("flip", record.flips)):
            for one in came:
                failed = one.outcome not in ("", "done")
                paint_mark(painter, kind, self.x(one.began), top, "accent", failed)

    def _paint_lost(self, painter: QPainter, top: float, begins: datetime, ends: datetime) -> None:
        painter.setPen(theme.pen("warn", 2.0))
        painter.drawLine(QPointF(self.x(begins), top + 3.5), QPointF(self.x(ends), top + 3.5))

    def _paint_ticks(self, painter: QPainter, top: float, moments: list[datetime]) -> None:
        """Dithers, small, under the axis."""
        painter.setPen(theme.pen("faint", 1.0))
        for moment in moments:
            x = self.x(moment)
            painter.drawLine(QPointF(x, top + 9), QPointF(x, top + 12))

    def _paint_rehearsed(self, painter: QPainter, top: float, block: Block, told: Account, role: str) -> None:
        """A strip under the block's bars: each exposure as it was rehearsed, red where it failed."""
        for spell in told.of_kind("exposure"):
            if spell.block != block.id:
                continue
            left, right = self.x(spell.begins), self.x(spell.ends)
            done = spell.outcome == "done"
            painter.fillRect(
                QRectF(left, top, max(1.0, right - left - 0.4), 3),
                theme.colour(role if done else "fault"),
            )

    def _paint_block_curve(self, painter: QPainter, index: int, block: Block, ahead: Forecast | None) -> None:
        role = CURVE_ROLES[index % len(CURVE_ROLES)]
        altitudes = self.session.altitudes_deg(block.target.ra_deg, block.target.dec_deg)
        spans = [(b.timestamp(), e.timestamp()) for b, e in self._times(block, ahead)]
        chosen = block.id == self.chosen_block or len(self._blocks) == 1
        # in red light colours tell nothing apart
        dashed = theme.red and index % 2 == 1
        self.paint_curve(painter, altitudes, role, 3.0 if chosen else 2.2, spans, dashed)
        highest = int(altitudes.argmax())
        x = (
            self.span_left
            + self.session.axis.share_of_s(float(self.session.sky.unix_s[highest])) * self.span_width
        )
        half = text_width(block.target.name, text_font(strong=True)) / 2 + 4
        x = min(max(self.span_left + half, x), self.span_left + self.span_width - half)
        y = max(14.0, self.y(float(altitudes[highest])) - 8)
        place = self._room_for(QRectF(x - half, y - 14, 2 * half, 18))
        self._names.append(place)
        where = QPointF(place.center().x(), place.bottom() - 4)
        write(painter, where, block.target.name, role, text_font(strong=True), CENTRE)

    def _room_for(self, place: QRectF) -> QRectF:
        """For a name: over its curve's highest place, a little beside that where another name stands, else
        under it."""
        for aside in (0, 16, -16, 32, -32):
            moved = place.translated(aside, 0)
            if not any(moved.intersects(other) for other in self._names):
                return moved
        while any(place.intersects(other) for other in self._names):
            place.translate(0, 16)
        return place

    def _times(self, block: Block, ahead: Forecast | None) -> list[tuple[datetime, datetime]]:
        """When the block has been, and will be, exposed; exposures one after another joined."""
        pieces = [
            (e.begins, e.ends or e.expected_end)
            for e in self.session.tonight.exposures
            if e.block == block.id
        ]
        pieces += [(s.begins, s.ends) for s in ahead.of_block(block.id)] if ahead else []
        joined: list[tuple[datetime, datetime]] = []
        for begins, ends in sorted(pieces):
            if joined and begins - joined[-1][1] < timedelta(minutes=6):
                joined[-1] = (joined[-1][0], max(ends, joined[-1][1]))
            else:
                joined.append((begins, ends))
        return joined

    def _paint_bars(
        self, painter: QPainter, top: float, index: int, block: Block, ahead: Forecast | None
    ) -> None:
        role = CURVE_ROLES[index % len(CURVE_ROLES)]
        chosen = block.id == self.chosen_block
        name_width = write(
            painter,
            QPointF(self.span_left, top + 8),
            block.target.name,
            role,
            text_font(Size.SMALL, True),
        )
        if self.rehearsal is not None:
            self._paint_rehearsed(painter, top + 15 + _BAR, block, self.rehearsal, "accent")
        if self.rehearsed_before is not None:
            self._paint_rehearsed(painter, top + 19 + _BAR, block, self.rehearsed_before, "soft")
        shown = self.session.moments.shown
        altitudes = self.session.altitudes_deg(block.target.ra_deg, block.target.dec_deg)
        altitude = words.degrees(self.session.sky.at(altitudes, shown))
        said = f"{self._span_words(block, ahead)} · {altitude} at {words.clock(shown, self.session.zone)}"
        room = self.span_width - name_width - 16
        font = text_font(Size.SMALL)
        write(
            painter,
            QPointF(self.span_left + name_width + 10, top + 8),
            elided(said, font, room),
            "soft",
            font,
        )
        in_turn = block.order == "in turn" and len(block.active_lines) > 1
        height = _BARS_IN_TURN / len(block.active_lines) if in_turn else _BAR
        for line in block.lines:
            done = [
                e for e in self.session.tonight.exposures if e.line == line.id and e.outcome in ("", "done")
            ]
            steps = ahead.steps if ahead else ()
            coming = [s for s in steps if s.line == line.id and s.kind == "exposure"]
            if not done and not coming:
                continue
            begins = min([e.begins for e in done] + [s.begins for s in coming])
            ends = max([e.ends or e.expected_end for e in done] + [s.ends for s in coming])
            # in turn the lines run beside each other: each has its share of the bar's height
            share = block.active_lines.index(line) if in_turn and line in block.active_lines else 0
            left, right = self.x(begins), self.x(ends)
            bar = QRectF(left, top + 14 + share * height, max(3.0, right - left), height)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("ink", 0.6))
            painter.drawRoundedRect(bar, 2, 2)
            painter.setBrush(theme.colour("accent_fill"))
            for exposed in done:
                left = self.x(exposed.begins)
                right = self.x(exposed.ends or self.session.now)
                painter.drawRect(QRectF(left, bar.top(), max(0.6, right - left + 0.6), bar.height()))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.pen("focus" if chosen else "soft", 1.6 if chosen else 1.0))
            painter.drawRoundedRect(bar, 2, 2)
            if bar.width() > 16:
                inset = 5 if not in_turn else 2
                swatch = QRectF(bar.left() + 4, bar.top() + inset, 4, bar.height() - 2 * inset)
                painter.fillRect(swatch, swatch_of(line.filter))
            self._write_in_bar(painter, bar, line)
            lost = next((x for x in ahead.lost if x.line == line.id), None) if ahead else None
            if lost is not None:
                hatched = QRectF(bar.right(), bar.top(), 14, bar.height())
                painter.setPen(theme.pen("warn", 1.0))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(hatched)
                for k in range(-20, 14, 5):
                    painter.save()
                    painter.setClipRect(hatched)
                    painter.drawLine(
                        QPointF(hatched.left() + k, hatched.bottom()),
                        QPointF(hatched.left() + k + _BAR, hatched.top()),
                    )
                    painter.restore()

    def _write_in_bar(self, painter: QPainter, bar: QRectF, line: ExposureLine) -> None:
        """The filter's name; and where many nights were rehearsed how often the line was completed."""
        font, name = text_font(Size.SMALL), line.filter
        if bar.height() < Size.SMALL:
            return
        share = self.odds.get(line.id)
        odds = f"{100 * share:.0f} %" if share is not None else ""
        room = bar.width() - 18
        if odds and room > text_width(f"{name}  {odds}", font):
            role = "text" if share == 1.0 else "warn"
            write(painter, QPointF(bar.right() - 6, bar.center().y() + 4), odds, role, font, RIGHT)
        elif odds and room > text_width(odds, font):
            name = odds
        if name and room > text_width(name, font):
            write(painter, QPointF(bar.left() + 13, bar.center().y() + 4), name, "text", font)

    def _span_words(self, block: Block, ahead: Forecast | None) -> str:
        zone = self.session.zone
        times = self._times(block, ahead)
        if not times and ahead is None:
            return "no frame was taken of it"
        if not times:
            spans = ahead.spans.get(block.id, ())
            if not spans:
                return "never dark and high enough tonight"
            return "no time is left for it"
        return f"{words.clock(times[0][0], zone)}–{words.clock(times[-1][1], zone)}"

    def hover_text(self, moment: datetime) -> str:
        said = [super().hover_text(moment)]
        for block in self._blocks:
            altitudes = self.session.altitudes_deg(block.target.ra_deg, block.target.dec_deg)
            said.append(f"{block.target.name} {words.degrees(self.session.sky.at(altitudes, moment))}")
        return "\n".join(said)

    # -- pointer ------------------------------------------------------------------------------------------

    def _row_at(self, y: float) -> int | None:
        """The block under a height; None above the bars."""
        below = y - self._bars_top(self.curve_rect())
        index = int(below // _BAR_ROW)
        return index if below > 0 and 0 <= index < len(self._blocks) else None

    def _edges(self, block: Block) -> tuple[float, float] | None:
        times = self._times(block, self.session.plan_to_come())
        return (self.x(times[0][0]), self.x(times[-1][1])) if times else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        where = event.position()
        row = self._row_at(where.y())
        if row is None:
            self.session.moments.look_at(self.moment_at(where.x()))
            return
        block = self._blocks[row]
        self.block_chosen.emit(block.id)
        if not self.session.plan.locked:
            self._drag = BarDrag(block.id, grip_at(where.x(), self._edges(block)), (where.x(), where.y()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is None:
            super().mouseMoveEvent(event)
        where = event.position()
        row = self._row_at(where.y())
        if self._drag is not None:
            below = where.y() - self._bars_top(self.curve_rect())
            self._drag.follow(where.x(), where.y(), self.moment_at(where.x()), int(below // _BAR_ROW))
            self.update()
        elif row is not None and not self.session.plan.locked:
            grip = grip_at(where.x(), self._edges(self._blocks[row]))
            self.setCursor(Qt.CursorShape.ArrowCursor if grip == "order" else Qt.CursorShape.SizeHorCursor)
        else:
            self.unsetCursor()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if drag is not None:
            try:
                drag.drop(self.session.plan, self.session.zone)
            except ValueError as problem:
                self.session.refused.emit(str(problem))
            self.update()

    def _paint_drag(self, painter: QPainter) -> None:
        """Where the edge would be, or the block go."""
        drag = self._drag
        if drag is None or not drag.moved or drag.moment is None:
            return
        top = self._bars_top(self.curve_rect())
        painter.setPen(theme.pen("focus", 1.6))
        if drag.grip == "order":
            row = min(len(self._blocks) - 1, max(0, drag.row))
            y = top + row * _BAR_ROW - 4
            painter.drawLine(QPointF(self.span_left, y), QPointF(self.span_left + self.span_width, y))
            return
        x = self.x(drag.moment)
        painter.drawLine(QPointF(x, top), QPointF(x, self.height()))
        said = words.clock(drag.moment, self.session.zone)
        write(painter, QPointF(x + 5, self.height() - 4), said, "select", number_font(Size.SMALL))
