"""When the sky gives flats: its light through the twilight with each filter's turn, or by day the hours in
which a cloth can be lit evenly."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from vigil.planning.skyflats import SkyPlan
from vigil.ui import words
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_NAME_PX, _WORDS_PX, _SKY_PX = 64.0, 300.0, 90.0
_LEAST_ROW_PX, _MOST_ROW_PX = 26.0, 54.0


@dataclass(frozen=True, slots=True)
class ClothHours:
    """From `begins` on, for a day; `place` is where to look first."""

    begins: datetime
    spans: Sequence[tuple[datetime, datetime]]
    place: str


class WhenPicture(Picture):
    """Time goes across; `have` are the frames that are there of `count`."""

    def __init__(self) -> None:
        super().__init__()
        self._plan: SkyPlan | ClothHours | None = None
        self._said, self._zone, self._now = "", "UTC", datetime.min.replace(tzinfo=UTC)
        self._count, self._have = 0, dict[str, int]()
        self.setAccessibleName("When the sky gives flats")

    def show_when(
        self, plan: SkyPlan | ClothHours | None, said: str, zone: str, now: datetime, count: int,
        have: dict[str, int],
    ) -> None:  # fmt: skip
        """`said` where there is no such time."""
        self._plan, self._said, self._zone, self._now = plan, said, zone, now
        self._count, self._have = count, have
        self.setAccessibleDescription(self.copy_text() or said)
        self.update()

    def copy_text(self) -> str:
        plan = self._plan
        if isinstance(plan, ClothHours):
            return "\n".join(f"{self._clock(a)} to {self._clock(b)}" for a, b in plan.spans)
        if plan is None:
            return ""
        return "\n".join(self._turn_words(k) for k in range(len(plan.turns)))

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        plan = self._plan
        if plan is None:
            write(painter, QPointF(Size.MARGIN, 32), self._said, "soft")
        elif isinstance(plan, ClothHours):
            self._paint_cloth(painter, plan)
        else:
            self._paint_twilight(painter, plan)

    # -- twilight -------------------------------------------------------------------------------------

    def _paint_twilight(self, painter: QPainter, plan: SkyPlan) -> None:
        left, right = Size.MARGIN + _NAME_PX, self.width() - Size.MARGIN - _WORDS_PX
        whole_s = float(plan.course.at_s[-1])
        turns = plan.turns
        row = min(_MOST_ROW_PX, max(_LEAST_ROW_PX, (self.height() - _SKY_PX - 90) / max(len(turns), 1)))

        def x(seconds: float) -> float:
            return left + min(max(seconds / whole_s, 0.0), 1.0) * (right - left)

        title = f"{plan.window.when}, {words.clock(plan.window.begins, self._zone)} to "
        title += f"{words.clock(plan.window.ends, self._zone)}: the sky's light, and each filter's turn" + (
            ", at the latest" if plan.window.when == "dawn" else ""
        )
        write(painter, QPointF(left, 22), title, "soft", text_font(Size.SMALL))
        self._paint_light(painter, plan, QRectF(left, 32, right - left, _SKY_PX - 10), x)
        top = 32 + _SKY_PX
        bottom = top + row * len(turns)
        self._paint_clock(painter, plan, x, top, bottom)
        for k, turn in enumerate(turns):
            middle = top + (k + 0.5) * row
            write(
                painter, QPointF(left - 10, middle + 4), turn.name or "–", "text", text_font(Size.BODY), RIGHT
            )
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(left, top + (k + 1) * row), QPointF(right, top + (k + 1) * row))
            if turn.frames:
                begins, ends = x(turn.frames[0][0]), x(turn.ends_s)
                box = QRectF(begins, middle - 7, max(ends - begins, 3.0), 14)
                painter.fillRect(box, theme.colour("accent", 0.35))
                share = min(1.0, self._have.get(turn.name, 0) / max(self._count, 1))
                painter.fillRect(
                    QRectF(box.left(), box.top(), box.width() * share, 14), theme.colour("accent")
                )
            role = "soft" if len(turn.frames) >= self._count else "warn"
            text = self._turn_words(k).split(": ", 1)[1]
            write(painter, QPointF(right + 14, middle + 4), text, role, number_font(Size.SMALL))
        self._paint_now(painter, x((self._now - plan.window.begins).total_seconds()), plan, bottom)

    def _paint_light(self, painter: QPainter, plan: SkyPlan, box: QRectF, x) -> None:  # type: ignore[no-untyped-def]
        light = np.log10(plan.course.light)
        low, high = float(light.min()), float(light.max())
        step = max(1, len(light) // 200)
        points = [
            QPointF(x(float(s)), box.bottom() - (float(v) - low) / max(high - low, 1e-9) * box.height())
            for s, v in zip(plan.course.at_s[::step], light[::step], strict=True)
        ]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("select", 0.3))
        painter.drawPolygon(QPolygonF([QPointF(points[0].x(), box.bottom()), *points,
                                       QPointF(points[-1].x(), box.bottom())]))  # fmt: skip
        painter.setBrush(Qt.BrushStyle.NoBrush)
        write(
            painter, QPointF(box.left() - 10, box.bottom() - 2), "sky", "soft", text_font(Size.SMALL), RIGHT
        )

    def _paint_clock(self, painter: QPainter, plan: SkyPlan, x, top: float, bottom: float) -> None:  # type: ignore[no-untyped-def]
        at = plan.window.begins.replace(second=0, microsecond=0)
        at += timedelta(minutes=20 - at.minute % 20)
        while at < plan.window.ends:
            here = x((at - plan.window.begins).total_seconds())
            painter.setPen(theme.pen("faint", 1.0, 0.5))
            painter.drawLine(QPointF(here, top), QPointF(here, bottom))
            text = words.clock(at, self._zone)
            write(painter, QPointF(here, bottom + 18), text, "soft", number_font(Size.SMALL), CENTRE)
            at += timedelta(minutes=20)

    def _paint_now(self, painter: QPainter, here: float, plan: SkyPlan, bottom: float) -> None:
        if plan.window.begins <= self._now <= plan.window.ends:
            painter.setPen(theme.pen("moment", 1.4))
            painter.drawLine(QPointF(here, 30), QPointF(here, bottom))

    def _turn_words(self, k: int) -> str:
        plan = self._plan
        assert isinstance(plan, SkyPlan)
        turn = plan.turns[k]
        have = f", {self._have[turn.name]} there" if self._have.get(turn.name) else ""
        if not turn.frames:
            return f"{turn.name}: its time is too short{have}"
        begins, ends = self._clock(plan.at(turn.frames[0][0])), self._clock(plan.at(turn.ends_s))
        few = "" if len(turn.frames) >= self._count else f", {len(turn.frames)} of {self._count} only"
        first, last = turn.frames[0][1], turn.frames[-1][1]
        return f"{turn.name}: {begins} to {ends}, {first:.1f} to {last:.1f} s{few}{have}"

    def _clock(self, moment: datetime) -> str:
        return words.clock(moment, self._zone)

    # -- by day ---------------------------------------------------------------------------------------

    def _paint_cloth(self, painter: QPainter, plan: ClothHours) -> None:
        left, right = float(Size.MARGIN), self.width() - Size.MARGIN
        if not plan.spans:
            text = "Within a day there is no place about 90° from the sun and over 40° high."
            write(painter, QPointF(left, 32), text, "warn")
            return
        text = "About 90° from the sun and over 40° high there is a place:"
        write(painter, QPointF(left, 32), text, "soft")
        whole_s = 86_400.0
        for k in range(25):
            at = plan.begins.replace(minute=0, second=0, microsecond=0) + timedelta(hours=k + 1)
            here = left + (at - plan.begins).total_seconds() / whole_s * (right - left)
            if k % 3 == 0 and here < right - 20:
                write(painter, QPointF(here, 100), self._clock(at), "soft", number_font(Size.SMALL), CENTRE)
        for begins, ends in plan.spans:
            a, b = (
                (m - plan.begins).total_seconds() / whole_s * (right - left) + left for m in (begins, ends)
            )
            painter.fillRect(QRectF(a, 52, b - a, 24), theme.colour("accent", 0.4))
            painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(left, 80), QPointF(right, 80))
        spans = ", ".join(f"{self._clock(a)} to {self._clock(b)}" for a, b in plan.spans)
        write(painter, QPointF(left, 136), f"{spans}; first {plan.place}", "text")
