"""The field by its zones: where each is in focus against the centre; what it says of tilt and back focus."""

import math
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from vigil.ui import words
from vigil.ui.picture import CENTRE, Picture, write
from vigil.ui.theme import Size, number_font, text_font, theme

_CLEAR_SIGMAS = 3.0
_CIRCLE_SHARE = 0.30


def field_words(field: dict[str, Any], zone_um: float | None) -> list[str]:
    """What a run's field numbers say, against the critical focus zone."""
    of_zone = "" if not zone_um else f", {abs(field['tilt_um']) / zone_um:.1f} times the critical focus zone"
    sure = field["tilt_deg"] > _CLEAR_SIGMAS * field["tilt_sigma_deg"]
    if sure:
        tilt = (
            f"Tilt {field['tilt_deg']:.3f} ± {field['tilt_sigma_deg']:.3f}°: {field['tilt_um']:.0f} µm from "
            f"corner to corner{of_zone}; focus lies farther out towards {side_words(field['towards_deg'])}."
        )
    else:
        tilt = f"No tilt shows: {field['tilt_deg']:.3f} ± {field['tilt_sigma_deg']:.3f}°."
    bowl, error = field["curvature_um"], field["curvature_sigma_um"]
    if abs(bowl) <= _CLEAR_SIGMAS * error:
        return [tilt, f"The field is flat: corners {bowl:+.0f} ± {error:.0f} µm against the centre."]
    way = "out" if bowl > 0 else "in"
    return [
        tilt,
        f"The field is curved: corners focus {abs(bowl):.0f} ± {error:.0f} µm farther {way} than the centre. "
        "Where a flattener is in, its distance to the sensor is off; which way depends on its kind.",
    ]


def side_words(towards_deg: float) -> str:
    """A direction on the picture, columns to the right and rows up."""
    names = (
        "the right", "the upper right", "the top", "the upper left",
        "the left", "the lower left", "the bottom", "the lower right",
    )  # fmt: skip
    return names[round(towards_deg / 45) % 8]


class FieldPicture(Picture):
    """Circles where zones are: filled where focus is farther out, hollow where farther in, as large as that
    is far; an arrow for the tilt."""

    def __init__(self) -> None:
        super().__init__()
        self._field: dict[str, Any] | None = None
        self._zone_um: float | None = None
        self.setAccessibleName("Focus over the field")

    def show_field(self, field: dict[str, Any] | None, zone_um: float | None) -> None:
        self._field, self._zone_um = field, zone_um
        self.setAccessibleDescription(" ".join(field_words(field, zone_um)) if field else "")
        self.update()

    def copy_text(self) -> str:
        if self._field is None:
            return ""
        lines = ["\t".join(map(str, zone)) for zone in self._field["zones"]]
        return "\n".join(["x_mm\ty_mm\tbest_um\tsigma_um", *lines])

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        write(painter, QPointF(16, 30), "Focus over the field", "text", text_font(Size.LARGE, True))
        field = self._field
        if field is None:
            said = "Choose an accepted run: six stars have to be in four of its frames or more."
            write(painter, QPointF(16, 50), said, "soft")
            return
        for k, line in enumerate(field_words(field, self._zone_um)):
            write(painter, QPointF(16, 50 + 19 * k), line.partition(". Where")[0], "soft")
        wide, high = field["width_mm"], field["height_mm"]
        room = QRectF(24, 96, self.width() - 48, self.height() - 132)
        scale = min(room.width() / wide, room.height() / high)
        box = QRectF(0, 0, wide * scale, high * scale)
        box.moveCenter(room.center())
        painter.setPen(theme.pen("faint"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        most = max(max(abs(z[2]) for z in field["zones"]), (self._zone_um or 4.0) / 4, 1.0)
        cell = min(box.width() / 5, box.height() / 3)
        for x_mm, y_mm, best_um, sigma_um in field["zones"]:
            place = box.center() + QPointF(x_mm * scale, -y_mm * scale)
            radius = max(2.0, _CIRCLE_SHARE * cell * math.sqrt(abs(best_um) / most))
            painter.setPen(theme.pen("accent", 1.5))
            painter.setBrush(theme.colour("accent", 0.55) if best_um > 0 else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(place, radius, radius)
            text = f"{words.steps(best_um)} ±{max(sigma_um, 1):.0f}"
            below = place + QPointF(0, _CIRCLE_SHARE * cell + 14)
            write(painter, below, text, "text", number_font(Size.SMALL), CENTRE)
        self._paint_arrow(painter, box, field)
        key = "filled: focus farther out, hollow: farther in; µm against the centre"
        write(
            painter, QPointF(self.width() / 2, self.height() - 12), key, "soft", text_font(Size.SMALL), CENTRE
        )

    def _paint_arrow(self, painter: QPainter, box: QRectF, field: dict[str, Any]) -> None:
        if field["tilt_deg"] <= _CLEAR_SIGMAS * field["tilt_sigma_deg"]:
            return
        angle = math.radians(field["towards_deg"])
        way = QPointF(math.cos(angle), -math.sin(angle))
        length = 0.4 * min(box.width(), box.height())
        start, end = box.center() - way * length / 2, box.center() + way * length / 2
        painter.setPen(theme.pen("select", 2.0, 0.75))
        painter.drawLine(start, end)
        for turn in (150, -150):
            barb = angle + math.radians(turn)
            painter.drawLine(end, end + QPointF(math.cos(barb), -math.sin(barb)) * 12)
