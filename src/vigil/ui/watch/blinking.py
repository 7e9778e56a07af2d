"""Two frames to and fro, the same way up; and a frame's small picture for the filmstrip."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from vigil.imaging.pyramid import Pyramid
from vigil.imaging.stretch import Stretch, table
from vigil.sky.angles import wrap_180
from vigil.ui.image.loading import Loaded, load_for_view
from vigil.ui.image.view import FrameView
from vigil.ui.jobs import Jobs
from vigil.ui.record import Light

_EVERY_MS = 700
_THUMB_PX = 80
_TURNED_DEG = 90.0


class Blinking(QObject):
    """Shows the frame before in place of the one looked at, and back; across a flip it is turned round."""

    def __init__(self, view: FrameView, jobs: Jobs) -> None:
        super().__init__(view)
        self._view, self._jobs = view, jobs
        self._wanted: Path | None = None
        self._pair: tuple[tuple[Pyramid, Stretch], tuple[Pyramid, Stretch]] | None = None
        self._before_shown = False
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self.turn)

    def begin(self, before: Light, light: Light) -> None:
        """Read the frame before, then alternate. The view must show `light`."""
        self._wanted = before.path
        self._jobs.run(
            "frame before",
            lambda: load_for_view(before.path),
            lambda loaded: self._loaded(loaded, upside_down(before, light)),
            lambda _: self.stop(),
        )

    def _loaded(self, loaded: Loaded, turned: bool) -> None:
        here = self._view.pyramid
        if loaded.path != self._wanted or here is None:
            return
        image = loaded.pyramid.image
        other = Pyramid(np.ascontiguousarray(image[::-1, ::-1])) if turned else loaded.pyramid
        self._pair = (here, self._view.stretch), (other, loaded.stretch)
        self.turn()
        self._timer.start()

    def turn(self) -> None:
        """The other one of the two."""
        if self._pair is not None:
            self._before_shown = not self._before_shown
            self._view.show_frame(*self._pair[self._before_shown])

    def stop(self) -> None:
        """Back to the frame that was looked at."""
        self._timer.stop()
        self._wanted = None
        if self._pair is not None and self._before_shown:
            self.turn()
        self._pair = None


def upside_down(one: Light, other: Light) -> bool:
    """Whether the mount changed sides between two frames, by their solved angles."""
    angles = one.values.get("position_angle_deg"), other.values.get("position_angle_deg")
    if angles[0] is None or angles[1] is None:
        return False
    return abs(float(wrap_180(angles[0] - angles[1]))) > _TURNED_DEG


def small_picture(loaded: Loaded, stretch: Stretch) -> QImage:
    """Of a frame, through its stretch; its colours are the painter's to set."""
    pyramid = loaded.pyramid
    share = _THUMB_PX / pyramid.image.shape[1]
    level = pyramid.level(pyramid.halvings_for(share))
    tones = np.ascontiguousarray(table(stretch)[level][::-1])
    rows, columns = tones.shape
    middle = tones[rows // 4 : rows - rows // 4]
    wide = -(-columns // 4) * 4
    padded = np.ascontiguousarray(np.pad(middle, ((0, 0), (0, wide - columns)), mode="edge"))
    image = QImage(padded.tobytes(), columns, padded.shape[0], wide, QImage.Format.Format_Indexed8)
    return image.copy()
