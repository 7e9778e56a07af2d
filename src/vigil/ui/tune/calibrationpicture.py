"""The guide calibration: measured moves against the two fitted lines, and what is said of it."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter

from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_AXES = (("ra", "west", "east", "warn"), ("dec", "north", "south", "dec"))
_DOT_PX = 4.0


class CalibrationPicture(Picture):
    """Onward is filled, back is outlined; right ascension is a disc, declination a square."""

    def __init__(self) -> None:
        super().__init__()
        self._found: dict[str, Any] | None = None
        self._moves: list[tuple[str, float, float]] = []
        self._said = ""
        self.setAccessibleName("Guide calibration")

    def sizeHint(self) -> QSize:
        return QSize(720, 460)

    def show_found(self, found: dict[str, Any] | None, said: str) -> None:
        """`found` is the calibration of an errand's end; `said` stands where there is none."""
        self._found, self._said = found, said
        if found is not None:
            self._moves = [(m[0], m[2], m[3]) for m in found["moves"]]
            self.setAccessibleDescription("; ".join(found["words"]))
        self.update()

    def begin(self) -> None:
        self._found, self._moves = None, []
        self.update()

    def add_move(self, values: dict[str, Any]) -> None:
        """A step of one that is under way."""
        self._moves.append((values["direction"], values["dx_px"], values["dy_px"]))
        self.update()

    def copy_text(self) -> str:
        lines = [f"{d}\t{x}\t{y}" for d, x, y in self._moves]
        return "\n".join(["direction\tx_px\ty_px", *lines]) if lines else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        if not self._moves:
            write(painter, QPointF(self.rect().center()), self._said, "soft", None, CENTRE)
            return
        words_px = min(330.0, 0.42 * self.width())
        side = min(self.height() - 64.0, self.width() - words_px - 72)
        box = QRectF(32, 32, side, side)
        places = np.array([(x, y) for _, x, y in self._moves])
        low, high = places.min(axis=0), places.max(axis=0)
        span = max(float((high - low).max()) * 1.12, 1.0)
        middle = (low + high) / 2

        def at(x: float, y: float) -> QPointF:
            dx, dy = (x - middle[0]) / span, (y - middle[1]) / span
            return box.center() + QPointF(dx, -dy) * side

        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        self._paint_lines(painter, at)
        for direction, x, y in self._moves:
            self._paint_move(painter, at(x, y), direction)
        self._paint_ruler(painter, box, span)
        self._paint_words(painter, QRectF(box.right() + 32, box.top(), words_px, box.height()))

    def _paint_lines(self, painter: QPainter, at: Callable[[float, float], QPointF]) -> None:
        """Through each axis's own moves, at the fitted angle and as long as they are."""
        if self._found is None:
            return
        for name, onward, back, role in _AXES:
            own = np.array([(x, y) for d, x, y in self._moves if d in (onward, back)])
            if len(own) < 2:
                continue
            turn = math.radians(self._found[f"{name}_angle_deg"])
            way = np.array([math.cos(turn), math.sin(turn)])
            centre = own.mean(axis=0)
            along = (own - centre) @ way
            painter.setPen(theme.pen(role, 1.4, 0.8, dashed=name == "dec"))
            ends = [centre + along.min() * way, centre + along.max() * way]
            painter.drawLine(at(*ends[0]), at(*ends[1]))

    def _paint_move(self, painter: QPainter, place: QPointF, direction: str) -> None:
        name, onward, _, role = _AXES[0] if direction in ("west", "east") else _AXES[1]
        painter.setPen(theme.pen(role, 1.4))
        painter.setBrush(theme.colour(role) if direction == onward else Qt.BrushStyle.NoBrush)
        if name == "ra":
            painter.drawEllipse(place, _DOT_PX, _DOT_PX)
        else:
            painter.drawRect(QRectF(place.x() - _DOT_PX, place.y() - _DOT_PX, 2 * _DOT_PX, 2 * _DOT_PX))

    def _paint_ruler(self, painter: QPainter, box: QRectF, span: float) -> None:
        length = next((n for n in (50, 20, 10, 5, 2, 1) if n < span / 2.5), 1)
        px = length / span * box.width()
        base = box.bottom() + 26
        painter.setPen(theme.pen("soft", 1.4))
        painter.drawLine(QPointF(box.left(), base), QPointF(box.left() + px, base))
        said = f"{length} px"
        if self._found is not None:
            said += f" · {length * self._found['scale_arcsec_px']:.1f}″"
        write(painter, QPointF(box.left(), base - 6), said, "soft", number_font(Size.SMALL))

    def _paint_words(self, painter: QPainter, box: QRectF) -> None:
        found = self._found
        if found is None:
            write(painter, box.topLeft() + QPointF(0, 20), "Measuring …", "text", text_font(Size.LARGE, True))
            write(painter, box.topLeft() + QPointF(0, 44), f"{len(self._moves)} moves so far", "soft")
            return
        good = found["good"]
        write(
            painter,
            box.topLeft() + QPointF(0, 20),
            "Good" if good else "Of no use",
            "accent" if good else "fault",
            text_font(Size.LARGE, True),
        )
        y = box.top() + 46
        for words in found["words"]:
            y = _wrapped(painter, QRectF(box.left(), y, box.width(), 80), f"{words[:1].upper()}{words[1:]}.")
        y += 14
        for line in self._table(found):
            write(painter, QPointF(box.left(), y + 12), line[0], "soft")
            for k, (text, role) in enumerate(line[1:]):
                write(painter, QPointF(box.left() + 110 + 100 * k, y + 12), text, role, number_font())
            y += 22

    @staticmethod
    def _table(found: dict[str, Any]) -> list[tuple[Any, ...]]:
        ra, dec = ("right asc.", "warn"), ("declination", "dec")

        def both(name: str, key: str, form: str) -> tuple[Any, ...]:
            return (
                name,
                (form.format(found[f"ra_{key}"]), "text"),
                (form.format(found[f"dec_{key}"]), "text"),
            )

        return [
            ("", ra, dec),
            both("rate", "rate_px_s", "{:.2f} px/s"),
            both("", "rate_arcsec_s", "{:.2f} ″/s"),
            both("angle", "angle_deg", "{:.1f}°"),
            (
                "scatter",
                (f"{100 * found['ra_crooked']:.1f} %", "text"),
                (f"{100 * found['dec_crooked']:.1f} %", "text"),
            ),
            ("between them", (f"{90 + found['square_off_deg']:.1f}°", "text")),
            (
                "backlash",
                ("", "text"),
                (f"{found['backlash_arcsec']:.1f} ± {found['backlash_error_arcsec']:.1f}″", "text"),
            ),
            (
                "made at",
                (f"{found['dec_deg']:+z.0f}° dec".replace("-", "−"), "text"),
                (found["pier_side"] or "", "text"),
            ),
        ]


def _wrapped(painter: QPainter, box: QRectF, text: str) -> float:
    """Text over several lines; returns where the next may begin."""
    painter.setFont(text_font())
    painter.setPen(theme.colour("text"))
    flags = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignTop)
    taken = painter.boundingRect(box, flags, text)
    painter.drawText(box, flags, text)
    return float(taken.bottom()) + 6
