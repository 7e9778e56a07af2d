"""The main picture: each project's hours against its goals, over its season."""

from collections.abc import Sequence
from datetime import date, timedelta

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPolygonF

from vigil.planning.progress import Counted, GoalProgress, Progress, Season
from vigil.ui.ledger.rows import Rows
from vigil.ui.picture import CENTRE, RIGHT, elided, write
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_NAME_PX, _NUMBERS_PX = 74, 150
_TOP_PX, _MOST_BARS = 46, 4
_END_PX = 26
_SMALL, _LARGE = (13, 8, 40), (20, 11, 76)
"""Pixels of a bar, between bars, and of the season: large where few projects have the room to themselves."""
_MOST_H = 14.0
"""Of a night, that the season's height stands for."""


class ProjectsPicture(Rows):
    """A block a project: bars, and the year beneath them."""

    def __init__(self) -> None:
        super().__init__("Projects", 200)
        self._all: list[Progress] = []
        self._sizes = _SMALL

    def show_projects(self, found: Sequence[Progress], said: str) -> None:
        """`said` where there are none."""
        self._all = list(found)
        self._fit()
        self.rows_changed(said)

    def resizeEvent(self, event: object) -> None:
        self._fit()
        super().resizeEvent(event)

    def _fit(self) -> None:
        """Rows as high as their bars want, larger where there is room."""
        bars = min(_MOST_BARS, max((len(p.goals) for p in self._all), default=1))

        def high(sizes: tuple[int, int, int]) -> int:
            return _TOP_PX + bars * (sizes[0] + sizes[1]) + sizes[2] + _END_PX

        roomy = bool(self._all) and high(_LARGE) * len(self._all) <= self.height()
        self._sizes = _LARGE if roomy else _SMALL
        self.row_px = high(self._sizes)

    @property
    def progress(self) -> Progress | None:
        """The chosen one."""
        return self._all[self.at] if self._all else None

    def count(self) -> int:
        return len(self._all)

    def words_of(self, number: int) -> str:
        progress = self._all[number]
        hours = ", ".join(f"{g.goal.name} {g.kept_h:.1f} of {g.wanted_h:g} h" for g in progress.goals)
        return f"{progress.project.name}: {hours}; {progress.words}"

    def copy_text(self) -> str:
        lines = ["project\tgoal\tkept_h\tdoubtful_h\ttaken_h\twanted_h"]
        lines += [
            f"{p.project.name}\t{g.goal.words}\t{g.kept_h:.3f}\t{g.doubtful_h:.3f}\t{g.taken_h:.3f}\t{g.wanted_h:g}"
            for p in self._all
            for g in p.goals
        ]
        return "\n".join(lines) if self._all else ""

    def paint_row(self, painter: QPainter, number: int, box: QRectF) -> None:
        progress = self._all[number]
        project = progress.project
        head, small = text_font(Size.HEAD, strong=True), text_font(Size.SMALL)
        width = write(painter, QPointF(box.left(), box.top() + 20), project.name, "text", head)
        about = project.target.name if project.target.name not in project.name else ""
        if project.panels:
            about = f"{about} · {len(project.panels)} panels".strip(" ·")
        if project.paused:
            about = f"{about} · paused".strip(" ·")
        write(painter, QPointF(box.left() + width + 12, box.top() + 20), about, "soft", small)
        late = progress.in_time is False and progress.missing_h > 0
        words = elided(progress.words, small, box.width())
        write(painter, QPointF(box.left(), box.top() + 37), words, "warn" if late else "soft", small)
        bar_px, between_px, season_px = self._sizes
        top = box.top() + _TOP_PX
        goals = list(progress.goals)[:_MOST_BARS]
        most = max([g.wanted_h for g in goals] + [g.kept_h + g.doubtful_h for g in goals])
        for goal in goals:
            line = QRectF(box.left(), top, box.width(), bar_px)
            self._paint_goal(painter, progress, goal, line, most)
            top += bar_px + between_px
        if more := len(progress.goals) - len(goals):
            write(painter, QPointF(box.right(), box.top() + 20), f"{more} more goals", "faint", small, RIGHT)
        if progress.season is not None:
            season = QRectF(box.left() + _NAME_PX, top + 4, box.width() - _NAME_PX - _NUMBERS_PX, season_px)
            self._paint_season(painter, progress, progress.season, season)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))

    def _paint_goal(
        self, painter: QPainter, progress: Progress, goal: GoalProgress, line: QRectF, most: float
    ) -> None:
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        name = elided(goal.goal.name, small, _NAME_PX - 22)
        if len(goal.goal.filters) == 1:
            chip = QRectF(line.left(), line.center().y() - 4.5, 9, 9)
            painter.fillRect(chip, swatch_of(goal.goal.filters[0]))
        write(painter, QPointF(line.left() + 15, line.center().y() + 4.5), name, "text", small)
        left, room = line.left() + _NAME_PX, line.width() - _NAME_PX - _NUMBERS_PX
        each_h = room / max(most, 0.01)
        x = left
        mine = [(n, c) for n, c in progress.by_filter.items() if goal.goal.takes(n)]
        # what one panel has too much of is not drawn: the bars end where the sum says
        shrink = min(1.0, goal.kept_h / kept) if (kept := sum(c.kept_h for _, c in mine)) > 0 else 1.0
        for name, counted in mine:
            x = self._fill(painter, x, line, counted.kept_h * shrink * each_h, swatch_of(name))
        for name, counted in mine:
            x = self._fill(painter, x, line, counted.doubtful_h * each_h, swatch_of(name), hatched=True)
        painter.setPen(theme.pen("soft", 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        outline = QRectF(left, line.top(), goal.wanted_h * each_h, line.height()).adjusted(
            0.5, 0.5, -0.5, -0.5
        )
        painter.drawRect(outline)
        if goal.least_h < goal.wanted_h:
            least = left + goal.least_h * each_h
            painter.drawLine(QPointF(least, line.top() - 3), QPointF(least, line.bottom() + 3))
        if goal.goal.open_ended:
            write(painter, QPointF(outline.right() + 4, line.center().y() + 4.5), "+", "soft", numbers)
        of = f"{goal.least_h:g}–{goal.wanted_h:g}" if goal.least_h < goal.wanted_h else f"{goal.wanted_h:g}"
        told = f"{goal.kept_h:.1f} of {of} h"
        role = "accent" if goal.met else "text"
        write(painter, QPointF(line.right(), line.center().y() + 4.5), told, role, numbers, RIGHT)

    def _fill(
        self, painter: QPainter, x: float, line: QRectF, width: float, tone: QColor, hatched: bool = False
    ) -> float:
        box = QRectF(x, line.top() + 1, width, line.height() - 2)
        painter.fillRect(box, QBrush(tone, Qt.BrushStyle.BDiagPattern) if hatched else QBrush(tone))
        return x + width

    def _paint_season(self, painter: QPainter, progress: Progress, season: Season, box: QRectF) -> None:
        """Usable hours of each night from today on; when it will be finished as it goes."""
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        days = len(season.hours)
        base = box.bottom() - 14

        def x_of(day: date) -> float:
            return box.left() + (day - season.first).days / days * box.width()

        heights = np.minimum(season.hours, _MOST_H) / _MOST_H * (base - box.top())
        corners = [QPointF(box.left(), base)]
        corners += [QPointF(box.left() + k / days * box.width(), base - h) for k, h in enumerate(heights)]
        corners.append(QPointF(box.right(), base))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("day", 0.55))
        painter.drawPolygon(QPolygonF(corners))
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), base + 0.5), QPointF(box.right(), base + 0.5))
        month = (season.first.replace(day=1) + timedelta(days=32)).replace(day=1)
        while (month - season.first).days < days:
            x = x_of(month)
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(x, base), QPointF(x, base + 3))
            middle = x + box.width() / 24
            if middle < box.right() - 8:
                write(painter, QPointF(middle, base + 13), f"{month:%b}", "faint", small, CENTRE)
            month = (month + timedelta(days=32)).replace(day=1)
        write(painter, QPointF(box.left() - 10, base - 4), "season", "faint", small, RIGHT)
        if progress.missing_h > 0 and progress.expected is not None and season.begins is not None:
            x = x_of(progress.expected)
            late = progress.in_time is False
            painter.setPen(theme.pen("warn" if late else "accent", 1.6))
            painter.drawLine(QPointF(x, box.top() - 2), QPointF(x, base))
            words = f"done {progress.expected.day} {progress.expected:%b}"
            write(painter, QPointF(x + 5, box.top() + 8), words, "warn" if late else "accent", small)
        hours = f"{season.left_h:.0f} h left" if season.ends else f"{season.hours.sum():.0f} h a year"
        told = hours if season.begins is not None else "never up"
        write(painter, QPointF(box.right() + _NUMBERS_PX, base - 4), told, "soft", numbers, RIGHT)


def panel_rows(progress: Progress) -> list[tuple[str, str]]:
    """Each panel's hours by filter, for the inspector."""
    found: dict[str, list[Counted]] = {}
    for one in progress.counted:
        found.setdefault(one.target, []).append(one)
    return [
        (name, "  ".join(f"{c.filter} {c.kept_h:.1f}" for c in mine)) for name, mine in sorted(found.items())
    ]
