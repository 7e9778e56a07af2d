"""Lights with their verdicts: one large, to be judged with the keyboard, and the list that it is one of."""

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPainter

from vigil.files.fits import BadFrame, read_frame, top_down
from vigil.imaging.shrink import shrunk
from vigil.imaging.stretch import auto_stretch, table
from vigil.ui import words
from vigil.ui.ledger.rows import Rows
from vigil.ui.picture import RIGHT, Picture, elided, write
from vigil.ui.theme import Size, number_font, swatch_of, text_font, theme

_SIDE_PX = 1100
_ROLES = {"kept": "soft", "doubtful": "warn", "rejected": "fault"}
_COLUMNS = (("FWHM", "fwhm_px", "{:.2f}"), ("stars", "stars", "{:.0f}"), ("long", "elongation", "{:.2f}"),
            ("sky", "background_adu", "{:.0f}"), ("guide ″", "guide_rms_arcsec", "{:.2f}"))  # fmt: skip


def tones_of(path: Path) -> "np.ndarray[Any, np.dtype[np.uint8]]":
    """A frame as it is shown, small, its top row first. For a worker thread. Raises BadFrame."""
    if not path.exists():
        raise BadFrame("its file isn't there any more")
    frame = read_frame(path)
    image = frame.image if top_down(frame.header) else frame.image[::-1]
    small = np.rint(shrunk(image, max(1, -(-max(image.shape) // _SIDE_PX)))).astype(np.uint16)
    return np.ascontiguousarray(table(auto_stretch(small))[small])


class FramePicture(Picture):
    """The chosen light, or the one that it is blinked against."""

    def __init__(self) -> None:
        super().__init__()
        self._tones: np.ndarray[Any, np.dtype[np.uint8]] | None = None
        self._words, self._said = "", ""
        self._role = "soft"
        theme.changed.connect(self._drop)
        self._image: QImage | None = None
        self.setAccessibleName("The chosen light")

    def sizeHint(self) -> QSize:
        return QSize(640, 320)

    def _drop(self) -> None:
        self._image = None

    def show_tones(
        self, tones: "np.ndarray[Any, np.dtype[np.uint8]] | None", title: str, said: str, role: str = "soft"
    ) -> None:
        """`said` beneath the title, and in place of a picture that isn't there."""
        if tones is not self._tones:
            self._image = None
        self._tones, self._words, self._said, self._role = tones, title, said, role
        self.setAccessibleDescription(f"{title}: {said}")
        self.update()

    def paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("well"))
        small = text_font(Size.SMALL)
        write(painter, QPointF(Size.MARGIN, 18), self._words, "text")
        said = elided(self._said, small, self.width() - 2 * Size.MARGIN)
        write(painter, QPointF(Size.MARGIN, 35), said, self._role, small)
        if self._tones is None:
            return
        if self._image is None:
            rows, columns = self._tones.shape
            image = QImage(self._tones.tobytes(), columns, rows, columns, QImage.Format.Format_Indexed8)
            image.setColorTable(theme.greys())
            self._image = image.convertToFormat(QImage.Format.Format_RGB32)
        room = QRectF(0, 44, self.width(), self.height() - 44)
        scale = min(room.width() / self._image.width(), room.height() / self._image.height())
        size = self._image.width() * scale, self._image.height() * scale
        where = QRectF(room.center().x() - size[0] / 2, room.top() + (room.height() - size[1]) / 2, *size)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(where, self._image)


class FrameRows(Rows):
    """The list: K keeps the chosen light, X rejects it, U takes that back, the space bar blinks."""

    judged = pyqtSignal(str, str)
    blinked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__("Lights with their verdicts", 22, 24)
        self._frames: list[dict[str, Any]] = []
        self._zone = "UTC"

    def show_frames(self, frames: Sequence[dict[str, Any]], zone: str, said: str) -> None:
        """`said` where there are none; the chosen one stays chosen."""
        before = self.frame
        self._frames, self._zone = list(frames), zone
        if before is not None:
            ids = [f["frame_id"] for f in self._frames]
            self.at = ids.index(before["frame_id"]) if before["frame_id"] in ids else min(self.at, len(ids))
        self.rows_changed(said)

    @property
    def frame(self) -> dict[str, Any] | None:
        return self._frames[self.at] if self._frames and self.at < len(self._frames) else None

    @property
    def frames(self) -> list[dict[str, Any]]:
        return self._frames

    def count(self) -> int:
        return len(self._frames)

    def words_of(self, number: int) -> str:
        frame = self._frames[number]
        return f"{title_of(frame, self._zone)}: {frame['standing']}{because_of(frame)}"

    def copy_text(self) -> str:
        names = [
            "started_at",
            "target",
            "filter",
            "exposure_s",
            *(c[1] for c in _COLUMNS),
            "standing",
            "because",
        ]
        rows = ["\t".join("" if f[n] is None else str(f[n]) for n in names) for f in self._frames]
        return "\n".join(["\t".join(names), *rows]) if rows else ""

    def paint_head(self, painter: QPainter, box: QRectF) -> None:
        small = text_font(Size.SMALL)
        write(painter, QPointF(box.left(), 16), "light", "faint", small)
        for k, (name, *_) in enumerate(_COLUMNS):
            write(painter, QPointF(self._column_x(box, k), 16), name, "faint", small, RIGHT)
        write(painter, QPointF(self._column_x(box, len(_COLUMNS) - 1) + 20, 16), "verdict", "faint", small)
        painter.setPen(theme.pen("line"))
        painter.drawLine(QPointF(box.left(), 23.5), QPointF(box.right(), 23.5))

    def _column_x(self, box: QRectF, k: int) -> float:
        return box.left() + 300 + 56 * k

    def paint_row(self, painter: QPainter, number: int, box: QRectF) -> None:
        frame = self._frames[number]
        small, numbers = text_font(Size.SMALL), number_font(Size.SMALL)
        base = box.top() + 15
        at = datetime.fromisoformat(frame["started_at"])
        moment = f"{frame['evening'][5:]} {words.clock(at, self._zone)}"
        write(painter, QPointF(box.left(), base), moment, "soft", numbers)
        painter.fillRect(QRectF(box.left() + 92, box.top() + 7, 8, 8), swatch_of(frame["filter"] or ""))
        what = f"{frame['target']} {frame['filter'] or ''} {frame['exposure_s']:g} s"
        write(painter, QPointF(box.left() + 106, base), elided(what, small, 150), "text", small)
        for k, (_, name, shape) in enumerate(_COLUMNS):
            told = words.NOTHING if frame[name] is None else shape.format(frame[name])
            write(painter, QPointF(self._column_x(box, k), base), told, "text", numbers, RIGHT)
        left = self._column_x(box, len(_COLUMNS) - 1) + 20
        verdict = frame["standing"] + (" by you" if frame["verdict"] else "")
        width = write(painter, QPointF(left, base), verdict, _ROLES[frame["standing"]], small)
        why = elided(because_of(frame).removeprefix(": "), small, box.right() - left - width - 10)
        write(painter, QPointF(left + width + 10, base), why, "soft", small)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        said = {Qt.Key.Key_K: "kept", Qt.Key.Key_X: "rejected", Qt.Key.Key_U: "undecided"}
        frame = self.frame
        plain = event is not None and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if event is not None and plain and frame is not None:
            if event.key() in said:
                self.judged.emit(frame["frame_id"], said[Qt.Key(event.key())])
                return
            if event.key() == Qt.Key.Key_Space:
                self.blinked.emit()
                return
        super().keyPressEvent(event)


def title_of(frame: dict[str, Any], zone: str) -> str:
    """ "12 Jan 21:30 · IC 405 Ha 300 s"."""
    at = datetime.fromisoformat(frame["started_at"])
    what = f"{frame['target']} {frame['filter'] or ''}".strip()
    return f"{frame['evening']} {words.clock(at, zone)} · {what} {frame['exposure_s']:g} s"


def because_of(frame: dict[str, Any]) -> str:
    """Why it isn't kept, after a colon."""
    why = frame["doubtful"] or frame["because"]
    return f": {why}" if why else ""


def best_alike(frame: dict[str, Any], others: Sequence[dict[str, Any]]) -> dict[str, Any] | None:
    """The sharpest kept light of its series, to blink against."""
    alike = [
        f
        for f in others
        if f["standing"] == "kept"
        and f["frame_id"] != frame["frame_id"]
        and all(f[n] == frame[n] for n in ("target", "filter", "exposure_s", "binning", "rig"))
        and f["fwhm_px"]
    ]
    return min(alike, key=lambda f: float(f["fwhm_px"]), default=None)
