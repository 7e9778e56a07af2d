"""The matrix of what lights need against what is there."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QWheelEvent

from vigil.levels.matching import Cover, Covered, Standing
from vigil.ui.picture import CENTRE, Picture, elided, wrapped, write
from vigil.ui.theme import Size, number_font, text_font, theme

_ROW_PX, _HEAD_PX = 60, 32
_LIGHTS_PX = 250
_KINDS = (("darks", "dark"), ("flats", "flat"), ("dark flats", "dark_flat"), ("bias", "bias"))
_ROLES = {Cover.OK: "accent", Cover.FEW: "select", Cover.STALE: "warn", Cover.MISSING: "warn"}
_WORDS = {Cover.OK: "", Cover.FEW: "few", Cover.STALE: "stale", Cover.MISSING: "missing"}


class CoveragePicture(Picture):
    """A row for lights that want the same, a cell for each kind of frame; scrolls by wheel and keys."""

    def __init__(self) -> None:
        super().__init__()
        self._covered: list[Covered] = []
        self._said = ""
        self._first = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Calibration frames that the lights have")

    def sizeHint(self) -> QSize:
        return QSize(720, 440)

    def show_covered(self, covered: list[Covered], said: str) -> None:
        """`said` in place of an empty matrix."""
        self._covered, self._said = covered, said
        self._first = min(self._first, max(0, len(covered) - 1))
        gaps = sum(s.state is not Cover.OK for one in covered for s in _standings(one))
        self.setAccessibleDescription(f"{len(covered)} kinds of lights, {gaps} gaps" if covered else said)
        self.update()

    def copy_text(self) -> str:
        lines = ["target\tfilter\texposure_s\tframes\t" + "\t".join(name for name, _ in _KINDS)]
        for one in self._covered:
            light = one.light
            cells = [f"{s.state.value} {s.have}/{s.wanted}" for s in _standings(one)]
            lines.append(
                "\t".join([light.target, light.filter, f"{light.exposure_s}", f"{one.frames}", *cells])
            )
        return "\n".join(lines) if self._covered else ""

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        painter.translate(Size.MARGIN, 0)
        small, room = text_font(Size.SMALL), self.width() - 2 * Size.MARGIN
        if not self._covered:
            write(painter, QPointF(0, _HEAD_PX), self._said, "soft")
            return
        cell = (room - _LIGHTS_PX) / len(_KINDS)
        write(painter, QPointF(0, 21), "lights", "faint", small)
        for k, (name, _) in enumerate(_KINDS):
            write(painter, QPointF(_LIGHTS_PX + k * cell + 8, 21), name, "faint", small)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(0, _HEAD_PX - 0.5), QPointF(room, _HEAD_PX - 0.5))
        for k, one in enumerate(self._covered[self._first :]):
            top = _HEAD_PX + k * _ROW_PX
            if top + _ROW_PX > self.height():
                break
            self._paint_lights(painter, one, top)
            for n, standing in enumerate(_standings(one)):
                box = QRectF(_LIGHTS_PX + n * cell, top + 3, cell - 6, _ROW_PX - 6)
                _paint_cell(painter, standing, box)

    def _paint_lights(self, painter: QPainter, one: Covered, top: float) -> None:
        light, numbers, small = one.light, number_font(Size.SMALL), text_font(Size.SMALL)
        name = " · ".join(part for part in (light.target or "no target", light.filter) if part)
        write(painter, QPointF(0, top + 18), elided(name, text_font(Size.BODY), _LIGHTS_PX - 12), "text")
        cold = "" if light.temperature_c is None else f"  {light.temperature_c:+.0f} °C".replace("-", "−")
        gain = "" if light.gain is None else f"  gain {light.gain}"
        binned = f"  {light.binning} × {light.binning}" if light.binning > 1 else ""
        told = f"{one.frames} × {light.exposure_s or 0:g} s{gain}{binned}{cold}"
        write(painter, QPointF(0, top + 36), elided(told, small, _LIGHTS_PX - 12), "soft", numbers)

    def _scroll(self, by: int) -> None:
        self._first = min(max(0, self._first + by), max(0, len(self._covered) - 1))
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self._scroll(-1 if event.angleDelta().y() > 0 else 1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}
        if event is not None and event.key() in steps:
            self._scroll(steps[Qt.Key(event.key())])
            return
        super().keyPressEvent(event)


def _standings(one: Covered) -> list[Standing]:
    return [getattr(one, key) for _, key in _KINDS]


def _paint_cell(painter: QPainter, standing: Standing, box: QRectF) -> None:
    """How far filled, the count, and the reason where it is not all there."""
    role, numbers, small = _ROLES[standing.state], number_font(Size.SMALL), text_font(Size.SMALL)
    if not standing.wanted:
        write(painter, QPointF(box.left() + 8, box.top() + 15), "not wanted", "faint", small)
        return
    share = min(standing.have / standing.wanted, 1.0)
    bar = QRectF(box.left(), box.bottom() - 3, box.width(), 3)
    painter.fillRect(bar, theme.colour("line"))
    if share > 0:
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, 3), theme.colour(role))
    count = f"{standing.have} of {standing.wanted}"
    write(painter, QPointF(box.left() + 8, box.top() + 15), count, "text" if share else "soft", numbers)
    word = _WORDS[standing.state]
    if word:
        write(painter, QPointF(box.right() - 30, box.top() + 15), word, role, small, CENTRE)
    if standing.reason:
        wrapped(painter, QRectF(box.left() + 8, box.top() + 19, box.width() - 14, 32), standing.reason)
