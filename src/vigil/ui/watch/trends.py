"""Three quantities of the frames through the night, over the ribbon's span; or two against each other."""

from collections.abc import Iterator
from datetime import datetime

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QResizeEvent

from vigil.documents.conditions import guides
from vigil.planning.usual import off_target_limit_px, size_limit, stars_limit
from vigil.ui.marks import paint_mark
from vigil.ui.picture import CENTRE, RIGHT, TimePicture, write
from vigil.ui.pieces import Choice
from vigil.ui.record import Light
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme
from vigil.ui.watch.quantities import QUANTITIES, Quantity, quantity

_ROW, _HEAD = 42, 17
_USUAL = ("star size, px", "stars", "background, ADU")
_GUIDED = ("star size, px", "guide rms, ″", "stars")
"""Where something guides."""
_OVER_TIME = "over time"
_NAME_PX, _VALUE_PX = 150, 76


class Trends(TimePicture):
    """A point a frame. Each row's name chooses what it shows; the choice beside the first one puts that
    against another quantity in place of time."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.inset_left, self.inset_right = _NAME_PX + 10, _VALUE_PX
        self.setAccessibleName("Trends of the frames")
        titles = [each.title for each in QUANTITIES]
        chosen = _GUIDED if guides(session.rig) else _USUAL
        self.rows = [self._made_choice(f"Trend {n + 1}", titles, title) for n, title in enumerate(chosen)]
        against = [_OVER_TIME, *(f"against {title}" for title in titles)]
        self.against = self._made_choice("Over time, or against", against, _OVER_TIME)
        session.night_changed.connect(self.update)
        self._all = True
        self.show_rows(True)

    def show_rows(self, all_of_them: bool) -> None:
        """All three trends, or the first alone."""
        self._all = all_of_them
        self.setFixedHeight(_ROW * (len(_USUAL) if all_of_them else 1))
        self._chosen()

    def _made_choice(self, name: str, items: list[str], chosen: str) -> Choice:
        made = Choice(self)
        made.setProperty("role", "plain")
        made.setAccessibleName(name)
        made.setToolTip("What is drawn here")
        made.addItems(items)
        made.setCurrentText(chosen)
        made.currentIndexChanged.connect(self._chosen)
        return made

    def _chosen(self) -> None:
        time = self.against.currentText() == _OVER_TIME
        for row in self.rows[1:]:
            row.setVisible(time and self._all)
        if not time and not self._all:
            self._all = True
            self.setFixedHeight(_ROW * len(_USUAL))
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        for n, row in enumerate(self.rows):
            row.setGeometry(0, n * _ROW, _NAME_PX, _HEAD)
        self.against.setGeometry(0, _HEAD + 3, _NAME_PX, _HEAD)

    # -- what is shown ----------------------------------------------------------------------------------

    def lights(self) -> list[Light]:
        return self.session.tonight.measured()

    def points(self, shown: Quantity) -> list[tuple[Light, float]]:
        """Frames with a value of it."""
        values = ((light, self._value(shown, light)) for light in self.lights())
        return [(light, value) for light, value in values if value is not None]

    def _value(self, of: Quantity, light: Light) -> float | None:
        rig = self.session.rig
        return of.value(self._values(light), rig.scale_arcsec_px() if rig.frames_sky else 1.0)

    def _values(self, light: Light) -> dict[str, object]:
        room = self.session.room_gb(light.at)
        return light.values if room is None else {**light.values, "free_gb": room}

    def shown(self) -> list[Quantity]:
        rows = self.rows if self._all else self.rows[:1]
        return [quantity(row.currentText()) for row in rows]

    def limit(self, shown: Quantity, points: list[tuple[Light, float]]) -> float | None:
        """Where the night does something about it; None where it doesn't."""
        orders, rig = self.session.plan.plan.orders, self.session.rig
        last = points[-1][0].values["filter"]
        alike = [(light, value) for light, value in points if light.values["filter"] == last]
        if shown.name == "star size":
            runs = self.session.tonight.focus_runs
            focused = max((run.began for run in runs if run.outcome == "done"), default=None)
            return size_limit([v for light, v in alike if focused is None or light.at > focused], orders)
        if shown.name == "stars":
            return stars_limit([round(value) for _, value in alike], orders)
        if shown.name == "off target" and rig.frames_sky:
            return off_target_limit_px(orders, rig.scale_arcsec_px())
        return None

    def other(self) -> Quantity | None:
        """What the first row is drawn against; None for time."""
        chosen = self.against.currentText().removeprefix("against ")
        return None if chosen == _OVER_TIME else quantity(chosen)

    def copy_text(self) -> str:
        """All quantities, whatever is shown."""
        lines = ["\t".join(["time_utc", "filter", *(each.title for each in QUANTITIES)])]
        for light in self.lights():
            values = [self._value(each, light) for each in QUANTITIES]
            told = ("" if value is None else f"{value:g}" for value in values)
            lines.append("\t".join([f"{light.at:%Y-%m-%dT%H:%M:%S}", light.values["filter"], *told]))
        return "\n".join(lines)

    # -- drawing ----------------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        other = self.other()
        if other is not None:
            self._paint_against(painter, self.shown()[0], other)
            return
        for n, shown in enumerate(self.shown()):
            top = float(n * _ROW)
            plot = QRectF(self.span_left, top + 5, self.span_width, _ROW - 12)
            painter.setPen(theme.pen("line"))
            painter.drawLine(QPointF(0, top + _ROW - 0.5), QPointF(self.width(), top + _ROW - 0.5))
            points = self.points(shown)
            if points:
                limit = self.limit(shown, points)
                self._paint_row(painter, plot, points, shown, limit)
                last = shown.shown(points[-1][1])
                write(painter, QPointF(self.width(), top + 15), last, "text", number_font(strong=True), RIGHT)
                said = "" if limit is None else f"limit {shown.shown(limit)}"
                write(painter, QPointF(self.width(), top + 32), said, "soft", text_font(Size.SMALL), RIGHT)
        self._paint_marks(painter)
        self.paint_moments(painter, 0, self.height())

    def _paint_row(
        self,
        painter: QPainter,
        plot: QRectF,
        points: list[tuple[Light, float]],
        shown: Quantity,
        limit: float | None,
    ) -> None:
        """One line a filter, broken where the filter changes: their values don't compare. The limit is
        dashed."""
        low, high = shown.scale([value for _, value in points], limit)
        if limit is not None:
            y = plot.bottom() - (limit - low) / (high - low) * plot.height()
            painter.setPen(theme.pen("warn", 1.0, dashed=True))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        path, filter_name = QPainterPath(), None
        for light, value in points:
            point = QPointF(self.x(light.at), plot.bottom() - (value - low) / (high - low) * plot.height())
            if light.values["filter"] != filter_name:
                filter_name = light.values["filter"]
                path.moveTo(point)
                path.addEllipse(point, 0.8, 0.8)
                path.moveTo(point)
            path.lineTo(point)
        painter.setPen(theme.pen("text", 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _paint_marks(self, painter: QPainter) -> None:
        """What may have moved a trend: focus runs, flips, holds; dithers as ticks on the lowest line."""
        record, top = self.session.tonight, _ROW - 10.0
        for hold in record.holds:
            painter.setPen(theme.pen("soft", 1.6))
            y = top + 4
            painter.drawLine(
                QPointF(self.x(hold.begins), y), QPointF(self.x(hold.ends or self.session.now), y)
            )
        for run in record.focus_runs:
            paint_mark(painter, "focus", self.x(run.began), top, "soft", run.outcome not in ("", "done"))
        for flip in record.flips:
            paint_mark(painter, "flip", self.x(flip.began), top, "soft", flip.outcome not in ("", "done"))
        painter.setPen(theme.pen("soft", 1.0))
        for spell in record.spells.spells:
            if spell.kind == "dither":
                x = self.x(spell.begins)
                painter.drawLine(QPointF(x, self.height() - 4), QPointF(x, self.height()))

    def _paint_against(self, painter: QPainter, shown: Quantity, other: Quantity) -> None:
        """One quantity up, the other across; filters by their swatch, the newest frame ringed."""
        plot = QRectF(_NAME_PX, _HEAD + 8, self.width() - _NAME_PX - 60, self.height() - _HEAD - 28)
        painter.setPen(theme.pen("line"))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        painter.drawLine(plot.bottomLeft(), plot.topLeft())
        pairs = list(self.pairs(shown, other))
        small, font = text_font(Size.SMALL), number_font(Size.SMALL)
        write(painter, QPointF(plot.center().x(), self.height() - 3), other.title, "soft", small, CENTRE)
        if len(pairs) < 2:
            write(painter, plot.center(), "two frames with both values are needed", "soft", small, CENTRE)
            return
        low_x, high_x = other.around([x for _, x, _ in pairs])
        low_y, high_y = shown.around([y for _, _, y in pairs])
        for at, text, where in (
            (plot.topLeft(), shown.shown(high_y), RIGHT),
            (plot.bottomLeft(), shown.shown(low_y), RIGHT),
        ):
            write(painter, QPointF(at.x() - 6, at.y() + 4), text, "soft", font, where)
        write(painter, QPointF(plot.left(), self.height() - 3), other.shown(low_x), "soft", font, CENTRE)
        write(painter, QPointF(plot.right(), self.height() - 3), other.shown(high_x), "soft", font, CENTRE)
        for n, (light, across, up) in enumerate(pairs):
            x = plot.left() + (across - low_x) / (high_x - low_x) * plot.width()
            y = plot.bottom() - (up - low_y) / (high_y - low_y) * plot.height()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(swatch_of(str(light.values["filter"])))
            painter.drawEllipse(QPointF(x, y), 2.2, 2.2)
            if n == len(pairs) - 1:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(theme.pen("focus", 1.4))
                painter.drawEllipse(QPointF(x, y), 5, 5)

    def pairs(self, shown: Quantity, other: Quantity) -> Iterator[tuple[Light, float, float]]:
        """Frames with both values: (frame, across, up)."""
        across = {light.frame_id: value for light, value in self.points(other)}
        for light, value in self.points(shown):
            if light.frame_id in across:
                yield light, across[light.frame_id], value

    def hover_text(self, moment: datetime) -> str:
        lights = self.lights()
        said = [super().hover_text(moment)]
        if lights:
            near = min(lights, key=lambda light: abs(light.at - moment))
            v = near.values
            told = []
            for shown in self.shown():
                value = self._value(shown, near)
                if value is not None:
                    told.append(f"{shown.name} {shown.shown(value)} {shown.unit}".strip())
            of = f" of {v['of']}" if v["of"] is not None else ""
            said.append(f"{v['filter']} {v['number']}{of}: {', '.join(told)}")
        return "\n".join(said)
