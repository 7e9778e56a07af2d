"""The year of a target: usable hours of every night, so that "when is it best?" is one look."""

from datetime import datetime, timedelta

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QHelpEvent, QPainter
from PyQt6.QtWidgets import QToolTip, QWidget

from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_MONTHS = "JFMAMJJASOND"
_MOST_H = 12.0


class YearStrip(Picture):
    """One bar a few nights wide from January to December; tonight is marked."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(64)
        self.setAccessibleName("Usable hours through the year")
        self._hours: np.ndarray | None = None
        self._first: datetime | None = None
        self._tonight = 0

    def show_hours(self, hours: np.ndarray, first: datetime, tonight: int) -> None:
        """`hours` a night from the night of `first` on; `tonight` is the index of the present one."""
        self._hours, self._first, self._tonight = hours, first, tonight
        best = first + timedelta(days=int(np.argmax(hours)))
        self.setAccessibleDescription(f"best {best:%d %B}, {hours.max():.1f} h")
        self.update()

    def clear(self) -> None:
        self._hours = None
        self.update()

    @property
    def hours(self) -> np.ndarray | None:
        return self._hours

    def copy_text(self) -> str:
        if self._hours is None or self._first is None:
            return ""
        rows = (f"{self._first + timedelta(days=n):%Y-%m-%d}\t{h:.2f}" for n, h in enumerate(self._hours))
        return "\n".join(["night\tusable_h", *rows])

    def paint(self, painter: QPainter) -> None:
        rect = QRectF(0, 2, self.width(), self.height() - 20)
        painter.fillRect(QRectF(0, rect.bottom(), rect.width(), 1), theme.colour("line"))
        hours, first = self._hours, self._first
        if hours is None or first is None:
            write(
                painter,
                QPointF(0, rect.center().y()),
                "calculating the year…",
                "faint",
                text_font(Size.SMALL),
            )
            return
        days, width = len(hours), rect.width()
        painter.setPen(Qt.PenStyle.NoPen)
        count = int(width // 4)
        edges = np.linspace(0, days, count + 1).astype(int)
        for k in range(count):
            mean = float(hours[edges[k] : max(edges[k + 1], edges[k] + 1)].mean())
            high = rect.height() * min(1.0, mean / _MOST_H)
            here = edges[k] <= self._tonight < edges[k + 1]
            painter.fillRect(
                QRectF(k * width / count, rect.bottom() - high, 3, high),
                theme.colour("accent" if here else "soft"),
            )
        x = (self._tonight + 0.5) / days * width
        painter.setPen(theme.pen("accent", 1.0, 0.7))
        painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))
        font = number_font(Size.SMALL)
        for month in range(12):
            day = (datetime(first.year, month + 1, 15, tzinfo=first.tzinfo) - first).days
            write(
                painter, QPointF(day / days * width, self.height() - 4), _MONTHS[month], "soft", font, CENTRE
            )

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            hours, first = self._hours, self._first
            if hours is not None and first is not None:
                n = int(min(len(hours) - 1, max(0, event.pos().x() / self.width() * len(hours))))
                said = f"{first + timedelta(days=n):%d %B}: {hours[n]:.1f} h"
                best = int(np.argmax(hours))
                said += f"\nbest {first + timedelta(days=best):%d %B}, {hours[best]:.1f} h"
                QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)


def first_night(zone_noon: datetime) -> datetime:
    """Noon of the first of January of a night's year."""
    return zone_noon.replace(month=1, day=1)
