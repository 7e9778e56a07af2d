"""While the adjusters are turned: the field with a star and its mark, and what is left in figures that are
read from three metres."""

import base64
import zlib
from datetime import datetime
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPolygonF

from vigil.polar.adjusters import RIGHT_ARCMIN, WAYS, AdjusterName
from vigil.ui.focuscurve import stretched
from vigil.ui.picture import CENTRE, Picture, elided, write
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.tune.polarseen import PolarSeen

_OLD_S = 6.0
_FIGURES_SHARE, _LEAST_FIGURES_PX = 0.36, 250.0
_STRETCH = 0.8


class TurningPicture(Picture):
    """A click chooses another star (`picked`, unbinned px). `now` tells the time by the keeper's clock."""

    picked = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self._seen = PolarSeen()
        self._said, self._south = "", False
        self._now: datetime | None = None
        self._image: tuple[int, QImage] | None = None
        self.setAccessibleName("The star and its mark")
        theme.changed.connect(self._drop_image)

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def _drop_image(self) -> None:
        """It was drawn in the light of before: nothing white may stay in red light."""
        self._image = None

    def show_seen(self, seen: PolarSeen, south: bool, now: datetime, said: str) -> None:
        """`said` stands where nobody turns; in the south one faces the other way."""
        self._seen, self._south, self._now, self._said = seen, south, now, said
        live = seen.live
        self.setAccessibleDescription("; ".join(_words(live)) if live else said)
        self.update()

    def copy_text(self) -> str:
        live = self._seen.live
        names = ("altitude_arcmin", "azimuth_arcmin", "total_arcmin", "away_arcmin")
        return "\n".join(f"{name}\t{live[name]}" for name in names if name in live)

    # -- drawing --------------------------------------------------------------------------------------

    def _places(self) -> tuple[QRectF, QRectF]:
        """Of the field and of the figures: beside each other, in a narrow window below."""
        whole = QRectF(self.rect()).adjusted(12, 12, -12, -12)
        if whole.width() > whole.height():
            figures = max(_LEAST_FIGURES_PX, _FIGURES_SHARE * whole.width())
            field = QRectF(whole.left(), whole.top(), whole.width() - figures - 16, whole.height())
            return field, QRectF(field.right() + 16, whole.top(), figures, whole.height())
        high = 0.52 * whole.height()
        return (
            QRectF(whole.left(), whole.top(), whole.width(), high),
            QRectF(whole.left(), whole.top() + high + 12, whole.width(), whole.height() - high - 12),
        )

    def _field(self) -> QRectF:
        """Where the frame is drawn: as much of its room as its shape allows."""
        room, live = self._places()[0], self._seen.live
        rows, columns = live.get("rows", 3), live.get("columns", 4)
        scale = min(room.width() / columns, room.height() / rows)
        size = QPointF(columns * scale, rows * scale)
        corner = room.center() - size / 2
        return QRectF(corner.x(), corner.y(), size.x(), size.y())

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        live = self._seen.live
        if not live:
            said = self._seen.trouble or self._said
            write(painter, QPointF(self.rect().center()), said, "soft", None, CENTRE)
            return
        self._paint_field(painter, live, self._field())
        self._paint_figures(painter, live, self._places()[1])

    def _paint_field(self, painter: QPainter, live: dict[str, Any], box: QRectF) -> None:
        image = self._shown_image()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
        if image is not None:
            painter.drawImage(box, image)
        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if "star" not in live:
            return
        star, turn, mark = (self._on(box, live, live[name]) for name in ("star", "turn", "mark"))
        painter.save()
        painter.setClipRect(box)
        size = max(9.0, box.height() / 45)
        painter.setPen(theme.pen("text", 2.0))
        painter.drawLine(star, turn)
        painter.setPen(theme.pen("text", 2.0, dashed=True))
        painter.drawLine(turn, mark)
        painter.setPen(theme.pen("select", 2.4))
        painter.drawEllipse(star, size, size)
        painter.setPen(theme.pen("accent", 2.8))
        painter.drawEllipse(mark, size * 1.5, size * 1.5)
        for way in (QPointF(1, 0), QPointF(0, 1)):
            painter.drawLine(mark - way * size * 2.2, mark - way * size * 0.8)
            painter.drawLine(mark + way * size * 0.8, mark + way * size * 2.2)
        font = text_font(max(Size.SMALL, round(box.height() / 40)))
        for one, other, word in ((star, turn, "altitude"), (turn, mark, "azimuth")):
            if (one - other).manhattanLength() > 8 * size:
                at = one + (other - one) * 0.4 + QPointF(size, -size)
                write(painter, at, word, "text", font, CENTRE)
        painter.restore()
        if live.get("leads_out"):
            said = "the way leads out of the frame: another star is taken on the way"
            write(painter, box.bottomLeft() + QPointF(10, -10), said, "warn", text_font(Size.SMALL))

    def _on(self, box: QRectF, live: dict[str, Any], place: tuple[float, float]) -> QPointF:
        x = (place[0] + 0.5) / live["columns"] * box.width()
        y = (place[1] + 0.5) / live["rows"] * box.height()
        return QPointF(box.left() + x, box.bottom() - y)

    def _shown_image(self) -> QImage | None:
        kept, live = self._seen.image, self._seen.live
        if kept is None:
            return None
        number = live.get("number", 0)
        if self._image is None or self._image[0] != number:
            pixels = np.frombuffer(zlib.decompress(base64.b64decode(kept["pixels"])), dtype=np.uint8)
            shares = pixels.reshape(kept["rows"], kept["columns"]) / 255.0
            self._image = number, stretched(shares, _STRETCH)
        return self._image[1]

    # -- figures --------------------------------------------------------------------------------------

    def _paint_figures(self, painter: QPainter, live: dict[str, Any], box: QRectF) -> None:
        """Each axis with its figure, an arrow, and what to do in words."""
        block = box.height() / 3.1
        y = box.top()
        for name in ("altitude", "azimuth"):
            self._paint_axis(painter, name, live[f"{name}_arcmin"], QRectF(box.left(), y, box.width(), block))  # type: ignore[arg-type]
            y += block
        self._paint_star_words(painter, live, QRectF(box.left(), y, box.width(), box.bottom() - y))

    def _paint_axis(self, painter: QPainter, name: AdjusterName, error: float, box: QRectF) -> None:
        figure = self._fitting(box, 0.5)
        small = text_font(max(Size.BODY, round(figure * 0.26)))
        right = abs(error) <= RIGHT_ARCMIN
        write(painter, QPointF(box.left(), box.top() + figure * 0.3), name, "soft", small)
        base = box.top() + figure * 1.22
        text = f"{abs(error):.1f}′" if abs(error) < 100 else f"{abs(error):.0f}′"
        width = write(
            painter, QPointF(box.left(), base), text, "accent" if right else "text", number_font(figure, True)
        )
        if not right:
            at = QPointF(box.left() + width + figure * 0.6, base - figure * 0.36)
            self._arrow(painter, name, error, at, figure * 0.34)
        words = "right" if right else WAYS[name][error > 0]
        font = text_font(max(Size.BODY, round(figure * 0.3)), True)
        said = elided(f"{words[:1].upper()}{words[1:]}", font, box.width())
        write(painter, QPointF(box.left(), base + figure * 0.46), said, "accent" if right else "text", font)

    @staticmethod
    def _fitting(box: QRectF, share: float) -> int:
        # a figure of five signs, and the arrow beside it
        return round(min(max(Size.FIGURE * 0.6, share * box.height()), box.width() / 4.5))

    def _arrow(self, painter: QPainter, name: AdjusterName, error: float, at: QPointF, size: float) -> None:
        """Where the axis has to go, as one stands facing the pole."""
        if name == "altitude":
            way = QPointF(0, 1 if error > 0 else -1)
        else:
            east = -1.0 if self._south else 1.0
            way = QPointF(-east if error > 0 else east, 0)
        across = QPointF(-way.y(), way.x())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("accent"))
        tip, foot = at + way * size, at - way * size * 0.2
        painter.drawPolygon(QPolygonF([tip, foot + across * size * 0.8, foot - across * size * 0.8]))
        shaft = size * 0.28
        tail = at - way * size
        painter.drawPolygon(
            QPolygonF(
                [foot + across * shaft, tail + across * shaft, tail - across * shaft, foot - across * shaft]
            )
        )

    def _paint_star_words(self, painter: QPainter, live: dict[str, Any], box: QRectF) -> None:
        size = round(min(max(Size.BODY, box.height() / 7.5), box.width() / 15))
        small, y = text_font(size), box.top() + 2.0 * size
        if "away_arcmin" in live:
            figure = number_font(round(1.7 * size), True)
            width = write(painter, QPointF(box.left(), y), f"{live['away_arcmin']:.1f}′", "text", figure)
            write(painter, QPointF(box.left() + width + size / 2, y), "from star to mark", "soft", small)
            y += 1.5 * size
        age = self._age_s()
        if age is not None:
            old = age > _OLD_S
            said = f"frame {age:.0f} s old" + (": it hangs" if old else "")
            write(painter, QPointF(box.left(), y), said, "warn" if old else "soft", small)
        rest = QRectF(box.left(), y + 0.5 * size, box.width(), box.bottom() - y - 0.5 * size)
        said, role = (self._seen.trouble, "warn") if self._seen.trouble else (self._seen.turned, "soft")
        painter.setFont(small)
        painter.setPen(theme.colour(role))
        painter.drawText(rest, Qt.TextFlag.TextWordWrap, said)

    def _age_s(self) -> float | None:
        if self._now is None or self._seen.seen_at is None:
            return None
        return max(0.0, (self._now - self._seen.seen_at).total_seconds())

    # -- hands ----------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        live, box = self._seen.live, self._field()
        if event is None or not live or not box.contains(event.position()):
            return
        x = (event.position().x() - box.left()) / box.width() * live["columns"] - 0.5
        y = (box.bottom() - event.position().y()) / box.height() * live["rows"] - 0.5
        binning = live.get("binning", 1)
        self.picked.emit(x * binning, y * binning)


def _words(live: dict[str, Any]) -> list[str]:
    told = []
    for name in ("altitude", "azimuth"):
        error = live[f"{name}_arcmin"]
        told.append(f"{WAYS[name][error > 0]} by {abs(error):.1f}′")  # type: ignore[index]
    return told
