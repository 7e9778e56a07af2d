"""What must hold for each exposure, and how far each is from its limit."""

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vigil.ui.picture import RIGHT, Picture, elided, text_width, write
from vigil.ui.theme import Size, number_font, text_font, theme
from vigil.ui.words import ARC_MIN, ARC_SEC, MINUS

_ROW, _GAUGE_ROW = 20, 24
_NEAR = 0.5


class Conditions(Picture):
    """A tick, a circle or a question mark; with a bar that fills towards the limit where there is one."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: list[dict[str, Any]] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    @property
    def rows(self) -> list[dict[str, Any]]:
        return self._rows

    def show_checks(self, checks: list[dict[str, Any]]) -> None:
        """The conditions of a status message: a line a gauge, and a line for each that isn't met.

        What is met and has no limit in sight shares the last line.
        """
        rows: list[dict[str, Any]] = []
        quiet: list[str] = []
        for check in checks:
            met = check["standing"] == "met"
            near = [g for g in check["gauges"] if not (met and g["at_least"] and _share(g) < _NEAR)]
            for gauge in near:
                rows.append({**gauge, "standing": _standing(gauge, check["standing"])})
            if not met and near and all(_standing(g, check["standing"]) == "met" for g in near):
                # none of its limits says why it isn't met
                said = {"words": check["condition"], "said": check["words"], "standing": check["standing"]}
                rows.append(said)
            if met and not near:
                quiet.append(check["condition"])
            elif not near:
                said = {"words": check["condition"], "said": check["words"], "standing": check["standing"]}
                rows.append(said)
        if quiet:
            rows.append({"words": ", ".join(quiet), "said": "", "standing": "met"})
        if rows != self._rows:
            self._rows = rows
            self.setAccessibleName("Conditions: " + "; ".join(_spoken(r) for r in rows))
            self.updateGeometry()
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, sum(_GAUGE_ROW if "limit" in r else _ROW for r in self._rows) or _ROW)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paint(self, painter: QPainter) -> None:
        top = 0.0
        if not self._rows:
            write(painter, QPointF(0, 14), "shown while a night is under way", "faint")
        for line in self._rows:
            self._paint_mark(painter, top, line["standing"])
            if "limit" in line:
                self._paint_gauge(painter, top, line)
                top += _GAUGE_ROW
            else:
                words_font = text_font() if line["said"] else text_font(Size.SMALL)
                whole = elided(line["words"], words_font, self.width() - 20)
                used = write(painter, QPointF(20, top + 14), whole, "text", words_font)
                room = self.width() - 32 - used
                font = text_font(Size.SMALL)
                write(
                    painter,
                    QPointF(self.width(), top + 14),
                    elided(line["said"], font, room),
                    "soft",
                    font,
                    RIGHT,
                )
                top += _ROW

    def _paint_gauge(self, painter: QPainter, top: float, line: dict[str, Any]) -> None:
        said = _numbers(line)
        font = number_font()
        write(painter, QPointF(self.width(), top + 14), said, "text", font, RIGHT)
        room = self.width() - 28 - text_width(said, font)
        write(painter, QPointF(20, top + 14), elided(line["words"], text_font(), room), "text")
        track = QRectF(20, top + 18, self.width() - 20, 2)
        painter.fillRect(track, theme.colour("line"))
        share = _share(line)
        role = "soft" if share < 0.85 else "warn"
        painter.fillRect(QRectF(track.left(), track.top(), track.width() * share, 2), theme.colour(role))

    def _paint_mark(self, painter: QPainter, top: float, standing: str) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if standing == "met":
            path = QPainterPath(QPointF(2, top + 9.5))
            path.lineTo(5, top + 12.5)
            path.lineTo(11, top + 5.5)
            painter.setPen(theme.pen("accent", 1.6))
            painter.drawPath(path)
        elif standing == "unknown":
            write(painter, QPointF(3, top + 14), "?", "warn", text_font(strong=True))
        else:
            painter.setPen(theme.pen("warn", 1.6))
            painter.drawEllipse(QPointF(6.5, top + 9), 4, 4)


def _numbers(line: dict[str, Any]) -> str:
    value = f"{line['value']:g}".replace("-", MINUS)
    unit = line["unit"] if line["unit"] in ("", "°", ARC_MIN, ARC_SEC) else f" {line['unit']}"
    if not line["at_least"]:
        return f"{value}{unit}, limit {line['limit']:g}"
    least = f", least {line['limit']:g}" if line["limit"] else ""
    return f"{value}{unit}{least}"


def _standing(gauge: dict[str, Any], of_all: str) -> str:
    """Of one limit of several: only those that are passed keep the condition from being met."""
    if of_all != "not met":
        return of_all
    return "met" if gauge["kept"] else of_all


def _share(line: dict[str, Any]) -> float:
    """How much of the way to its limit a value has gone."""
    value, limit = line["value"], line["limit"]
    if line["at_least"]:
        return min(1.0, max(0.0, limit / value)) if value > 0 else 1.0
    return min(1.0, max(0.0, value / limit)) if limit else 0.0


def _spoken(line: dict[str, Any]) -> str:
    if "limit" in line:
        return f"{line['words']} {_numbers(line)}, {line['standing']}"
    return f"{line['words']} {line['standing']}"
