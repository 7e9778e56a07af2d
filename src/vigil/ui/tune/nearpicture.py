"""Getting near: one star magnified, how large it is in one number, its profile, and where sizes have been."""

import base64
import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath

from vigil.ui.focuscurve import stretched
from vigil.ui.picture import CENTRE, RIGHT, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_TRAIL = 60
_STAR_SHARE = 0.62
_STRETCH = 0.75
"""Nearly as bright as it is: here one star is to be seen well, not faint ones beside it."""


class NearPicture(Picture):
    """Arrow keys turn the focuser: left and right by fine steps, with Shift by coarse ones (`moved`). A click
    on the star's picture chooses what is there (`picked`, in the sensor's pixels)."""

    moved = pyqtSignal(int, bool)
    """Direction, and whether coarse."""
    picked = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[dict[str, Any]] = []
        self._image: tuple[int, QImage] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The star while getting near")
        theme.changed.connect(self._drop_image)

    def sizeHint(self) -> QSize:
        return QSize(640, 420)

    def _drop_image(self) -> None:
        """It was drawn in the light of before: nothing white may stay in red light."""
        self._image = None

    def clear(self) -> None:
        self._rows, self._image = [], None
        self.update()

    def add(self, rows: Sequence[dict[str, Any]]) -> None:
        """Newest last."""
        self._rows = [*self._rows, *rows][-_TRAIL:]
        last = self._rows[-1] if self._rows else {}
        if last.get("size_px"):
            self.setAccessibleDescription(f"{last['size_px']:.2f} px at {last.get('position')}")
        self.update()

    @property
    def last(self) -> dict[str, Any]:
        return self._rows[-1] if self._rows else {}

    def copy_text(self) -> str:
        lines = [f"{r.get('position')}\t{r.get('size_px')}\t{r.get('peak_share')}" for r in self._rows]
        return "\n".join(["position\tsize_px\tpeak_share", *lines]) if self._rows else ""

    # -- drawing --------------------------------------------------------------------------------------

    def _square(self) -> QRectF:
        side = min(self.height() - 32.0, _STAR_SHARE * self.width() - 16)
        return QRectF(16, (self.height() - side) / 2, side, side)

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        last, square = self.last, self._square()
        if not last:
            write(painter, QPointF(self.rect().center()), "no star is looked at", "soft", None, CENTRE)
            return
        self._paint_star(painter, last, square)
        left = square.right() + 24
        right = self.width() - 20.0
        if right - left < 140:
            return
        self._paint_number(painter, last, left)
        top = square.top() + 150
        room = (square.bottom() - top - 56) / 2
        if room > 40:
            self._paint_profile(painter, last, QRectF(left, top, right - left, room))
            self._paint_trail(painter, QRectF(left, top + room + 50, right - left, room - 20))

    def _paint_star(self, painter: QPainter, last: dict[str, Any], square: QRectF) -> None:
        kept = last.get("cutout")
        painter.setPen(theme.pen("line"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(square)
        if not kept:
            said = "no star to see" if "size_px" not in last else "measured without a picture"
            write(painter, square.center(), said, "soft", None, CENTRE)
            return
        if self._image is None or self._image[0] != last["number"]:
            pixels = np.frombuffer(base64.b64decode(kept["pixels"]), dtype=np.uint8)
            shares = pixels.reshape(kept["side"], kept["side"]) / 255.0
            self._image = last["number"], stretched(shares, _STRETCH)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(square, self._image[1])
        across = kept["side"] * kept["scale"]
        radius = last["size_px"] / across * square.width()
        painter.setPen(theme.pen("select", 1.4, dashed=True))
        painter.drawEllipse(square.center(), radius, radius)
        self._paint_mask(painter, last, square, square.width() / across)
        write(
            painter,
            square.bottomRight() + QPointF(-8, -8),
            f"{across:.0f} px across",
            "soft",
            number_font(Size.SMALL),
            RIGHT,
        )

    def _paint_mask(self, painter: QPainter, last: dict[str, Any], square: QRectF, scale: float) -> None:
        """The three spikes as they were read; the middle one stands out."""
        lines = last.get("mask", {}).get("lines", [])
        painter.save()
        painter.setClipRect(square)
        for k, (x, y, angle_deg) in enumerate(lines):
            turn = math.radians(angle_deg)
            place = square.center() + QPointF(x, -y) * scale
            reach = QPointF(math.cos(turn), -math.sin(turn)) * square.width()
            painter.setPen(theme.pen("accent", 1.6) if k == 1 else theme.pen("select", 1.0, dashed=True))
            painter.drawLine(place - reach, place + reach)
        painter.restore()

    def _paint_number(self, painter: QPainter, last: dict[str, Any], left: float) -> None:
        top = self._square().top()
        mask = last.get("mask")
        if mask is not None:
            self._paint_offset(painter, mask, left, top)
            return
        if "blur" in last:
            write(
                painter,
                QPointF(left, top + 48),
                f"{last['blur']:.2f}",
                "text",
                number_font(Size.FIGURE, strong=True),
            )
            write(painter, QPointF(left, top + 74), "blur of what is seen: no star", "soft")
            return
        if "size_px" not in last:
            write(painter, QPointF(left, top + 48), "–", "faint", number_font(Size.FIGURE, strong=True))
            write(painter, QPointF(left, top + 76), "no star: longer, or turn the focuser", "soft")
            return
        text = f"{last['size_px']:.2f}" if last["size_px"] < 100 else f"{last['size_px']:.0f}"
        width = write(painter, QPointF(left, top + 48), text, "text", number_font(Size.FIGURE, strong=True))
        arcsec = last.get("size_arcsec")
        beside = "px" if arcsec is None else f"px, {arcsec:.1f}″"
        write(painter, QPointF(left + width + 10, top + 48), beside, "soft", text_font(Size.HEAD))
        what = "radius of half the light" + (" of a disc" if last.get("disc") else "")
        write(painter, QPointF(left, top + 74), what, "soft")
        smallest = min((r["size_px"] for r in self._rows if r.get("size_px")), default=None)
        if smallest is not None and len(self._rows) > 1:
            there = next(r.get("position") for r in self._rows if r.get("size_px") == smallest)
            where = "" if there is None else f" at {there}"
            write(painter, QPointF(left, top + 96), f"smallest so far {smallest:.2f} px{where}", "soft")
        peak = last.get("peak_share", 0.0)
        role = "fault" if last.get("clipped") else "soft"
        said = (
            "clips: shorter, or a fainter star"
            if last.get("clipped")
            else f"peak {100 * peak:.0f} % of full scale"
        )
        write(painter, QPointF(left, top + 118), said, role)

    def _paint_offset(self, painter: QPainter, mask: dict[str, Any], left: float, top: float) -> None:
        """The one number of a mask: 0 is in focus."""
        figure = number_font(Size.FIGURE, strong=True)
        if "offset_px" not in mask:
            write(painter, QPointF(left, top + 48), "–", "faint", figure)
            write(painter, QPointF(left, top + 76), mask["reason"], "soft")
            return
        offset, error = mask["offset_px"], mask["error_px"]
        near = abs(offset) <= max(2 * error, 0.2)
        text = f"{offset:+.1f}".replace("-", "−")
        width = write(painter, QPointF(left, top + 48), text, "accent" if near else "text", figure)
        write(painter, QPointF(left + width + 10, top + 48), "px", "soft", text_font(Size.HEAD))
        write(painter, QPointF(left, top + 74), "the middle spike beside the crossing", "soft")
        said = f"± {error:.1f} px; " + ("in focus" if near else "turn until it is 0")
        write(painter, QPointF(left, top + 96), said, "accent" if near else "soft")

    def _paint_profile(self, painter: QPainter, last: dict[str, Any], box: QRectF) -> None:
        profile = last.get("profile")
        small = text_font(Size.SMALL)
        write(
            painter, QPointF(box.left(), box.top() - 4), "brightness from the centre outwards", "soft", small
        )
        painter.setPen(theme.pen("line"))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if not profile:
            return
        path = QPainterPath()
        for k, value in enumerate(profile):
            point = QPointF(
                box.left() + (k + 0.5) / len(profile) * box.width(),
                box.bottom() - min(max(value, 0), 1.05) * (box.height() - 10),
            )
            path.lineTo(point) if k else path.moveTo(point)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.pen("accent", 1.6))
        painter.drawPath(path)
        end = f"{last.get('profile_px', 0):.0f} px"
        write(painter, box.bottomRight() + QPointF(0, 15), end, "soft", number_font(Size.SMALL), RIGHT)

    def _paint_trail(self, painter: QPainter, box: QRectF) -> None:
        """Sizes against positions, in the order they came; the newest is filled."""
        seen = [(r["position"], r["size_px"]) for r in self._rows if r.get("size_px") and r.get("position")]
        small = text_font(Size.SMALL)
        write(painter, QPointF(box.left(), box.top() - 6), "size against position", "soft", small)
        painter.setPen(theme.pen("line"))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if not seen:
            return
        low, high = (pick(p for p, _ in seen) for pick in (min, max))
        room = max(10.0, 0.1 * (high - low))
        low, high, top = low - room, high + room, 1.15 * max(s for _, s in seen)
        places = [
            QPointF(
                box.left() + (p - low) / (high - low) * box.width(),
                box.bottom() - s / top * (box.height() - 8),
            )
            for p, s in seen
        ]
        painter.setPen(theme.pen("faint", 1.0))
        for a, b in pairwise(places):
            painter.drawLine(a, b)
        painter.setPen(theme.pen("text", 1.3))
        for k, place in enumerate(places):
            last = k == len(places) - 1
            painter.setBrush(theme.colour("text" if last else "well"))
            painter.drawEllipse(place, 4.5 if last else 2.5, 4.5 if last else 2.5)
        font = number_font(Size.SMALL)
        write(painter, box.bottomLeft() + QPointF(0, 15), f"{low:.0f}", "soft", font)
        write(painter, box.bottomRight() + QPointF(0, 15), f"{high:.0f}", "soft", font, RIGHT)

    # -- hands ----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        ways = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event is not None and event.key() in ways:
            coarse = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.moved.emit(ways[Qt.Key(event.key())], coarse)
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        last, square = self.last, self._square()
        if event is None or "cutout" not in last or not square.contains(event.position()):
            return
        across = last["cutout"]["side"] * last["cutout"]["scale"]
        away = (event.position() - square.center()) * (across / square.width())
        # a picture's rows go up
        self.picked.emit(last["x_px"] + away.x(), last["y_px"] - away.y())
