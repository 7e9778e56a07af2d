"""The night's frames in a row: star size, level and verdict of each; one is chosen to be looked at."""

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from vigil.planning.verdict import Mark, Verdict, verdict
from vigil.ui import words
from vigil.ui.picture import Picture, elided, write
from vigil.ui.record import Light
from vigil.ui.session import Session
from vigil.ui.theme import Size, number_font, text_font, theme

_CELL, _HEIGHT, _GAP, _IMAGE = 84, 60, 4, 30
_MARKS = {
    Mark.DOUBTFUL: "?",
    Mark.UNCOUNTED: "–",
    Mark.REJECTED: "×",
    Mark.KEPT: "✓",
    Mark.GOOD: "",
    Mark.PENDING: "…",
}


class Filmstrip(Picture):
    """Newest at the right. Arrows choose, Esc goes back to the last one."""

    chosen = pyqtSignal(object)
    """The frame's id; None is the last one, whichever it is."""
    judged = pyqtSignal(str, str)
    """A frame's id, and "rejected" or "kept"."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._chosen: str | None = None
        self._last_cell = 0
        """How many cells the strip is wound back from the newest."""
        self._thumbs: dict[str, QImage] = {}
        self._verdicts: dict[str, tuple[int, Verdict]] = {}
        self.setFixedHeight(_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tonight's frames")
        session.night_changed.connect(self.update)

    # -- what is shown --------------------------------------------------------------------------------

    @property
    def lights(self) -> list[Light]:
        return list(self._session.record.lights.values())

    @property
    def chosen_id(self) -> str | None:
        return self._chosen

    def keep_thumb(self, frame_id: str, image: QImage) -> None:
        """The small picture of a frame that was read for the large one."""
        self._thumbs[frame_id] = image
        self.update()

    def clear(self) -> None:
        self._chosen, self._last_cell = None, 0
        self._thumbs.clear()
        self._verdicts.clear()
        self.update()

    def choose(self, frame_id: str | None) -> None:
        if frame_id != self._chosen:
            self._chosen = frame_id
            self.chosen.emit(frame_id)
            self.update()

    def judge(self) -> None:
        """Reject the frame that is looked at, or keep it after all."""
        light = self.current()
        if light is not None:
            rejected = verdict(light.values, []).mark is Mark.REJECTED
            self.judged.emit(light.frame_id, "kept" if rejected else "rejected")

    def current(self) -> Light | None:
        """The chosen frame, else the last."""
        record = self._session.record
        return record.lights.get(self._chosen) if self._chosen else record.last_light

    def verdict_of(self, light: Light) -> Verdict:
        """Kept until the frame's own figures change."""
        state = hash((len(light.values), light.values.get("verdict")))
        kept = self._verdicts.get(light.frame_id)
        if kept is not None and kept[0] == state:
            return kept[1]
        before = [
            other.values
            for other in self.lights
            if other.at < light.at and other.values["line"] == light.values["line"]
        ]
        found = verdict(light.values, before)
        self._verdicts[light.frame_id] = state, found
        return found

    # -- painting ---------------------------------------------------------------------------------------

    def _cells(self) -> list[tuple[Light, QRectF]]:
        """Those that there is room for, the newest at the right."""
        lights, room = self.lights, max(1, (self.width() + _GAP) // (_CELL + _GAP))
        last = max(0, len(lights) - self._last_cell)
        seen = lights[max(0, last - room) : last]
        return [(light, QRectF(i * (_CELL + _GAP), 0, _CELL, _HEIGHT)) for i, light in enumerate(seen)]

    def paint(self, painter: QPainter) -> None:
        cells = self._cells()
        if not cells:
            write(painter, QPointF(0, 34), "frames appear here", "soft", text_font(Size.SMALL))
        current = self.current()
        for light, cell in cells:
            self._paint_cell(painter, light, cell, current is not None and light is current)

    def _paint_cell(self, painter: QPainter, light: Light, cell: QRectF, here: bool) -> None:
        told, values = self.verdict_of(light), light.values
        picture = QRectF(cell.left() + 1, 1, cell.width() - 2, _IMAGE)
        painter.fillRect(picture, theme.colour("well"))
        thumb = self._thumbs.get(light.frame_id)
        if thumb is not None:
            thumb.setColorTable(theme.greys())  # as the light is now
            painter.drawImage(picture, thumb)
        if told.mark in (Mark.REJECTED, Mark.UNCOUNTED):
            painter.setPen(theme.pen("warn", 1.5))
            painter.drawLine(picture.topLeft(), picture.bottomRight())
        role = "warn" if told.mark in (Mark.DOUBTFUL, Mark.UNCOUNTED, Mark.REJECTED) else "text"
        name = f"{values['filter']} {values['number']}  {_MARKS[told.mark]}".strip()
        write(painter, QPointF(cell.left() + 5, 14), name, role, text_font(Size.SMALL, strong=True))
        size = f"{values['hfr_px']:.2f} px" if values.get("hfr_px") else ""
        room = cell.width() - 6
        write(painter, QPointF(cell.left() + 5, 44), elided(size, number_font(), room), "text", number_font())
        level = f"{words.grouped(values['background_adu'])} ADU" if "background_adu" in values else ""
        write(
            painter, QPointF(cell.left() + 5, 56), elided(level, number_font(), room), "soft", number_font()
        )
        if here:
            painter.setPen(theme.pen("accent", 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(cell.adjusted(0.75, 0.75, -0.75, -0.75))

    # -- pointer and keys --------------------------------------------------------------------------------

    def _at(self, point: QPointF) -> tuple[Light, QRectF] | None:
        return next(((light, cell) for light, cell in self._cells() if cell.contains(point)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        found = self._at(event.position()) if event is not None else None
        if found is not None:
            last = self._session.record.last_light
            self.choose(None if last is found[0] else found[0].frame_id)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            most = max(0, len(self.lights) - 1)
            self._last_cell = min(most, max(0, self._last_cell + (1 if event.angleDelta().y() > 0 else -1)))
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step(-1 if event.key() == Qt.Key.Key_Left else 1)
        elif event.key() == Qt.Key.Key_Escape and self._chosen:
            self.choose(None)
        else:
            super().keyPressEvent(event)

    def step(self, by: int) -> None:
        """To the frame before, or after."""
        lights, current = self.lights, self.current()
        if current is None:
            return
        there = min(len(lights) - 1, max(0, lights.index(current) + by))
        self.choose(None if there == len(lights) - 1 else lights[there].frame_id)
        room = max(1, (self.width() + _GAP) // (_CELL + _GAP))
        back = len(lights) - 1 - there
        if not self._last_cell <= back < self._last_cell + room:
            self._last_cell = max(0, back - room // 2)

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QHelpEvent.Type.ToolTip:
            found = self._at(QPointF(event.pos()))
            if found is None:
                QToolTip.hideText()
            else:
                QToolTip.showText(event.globalPos(), self.said_of(found[0]), self, QRect())
            return True
        return super().event(event)  # type: ignore[arg-type]

    def said_of(self, light: Light) -> str:
        """A frame and its verdict, in words."""
        v, told = light.values, self.verdict_of(light)
        head = f"{v['target']} · {v['filter']} {words.exposure(v['exposure_s'])} · {v['number']}"
        why = f": {told.because}" if told.because else ""
        return f"{head}\n{words.clock(light.at, self._session.zone)}  {told.mark.value}{why}"
