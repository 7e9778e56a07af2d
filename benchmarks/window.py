"""The window's speed: the first picture, and frames on the screen."""

import os
import subprocess
import sys
import tempfile

import numpy as np

from benchmarks.ratio import Ratio, compare

_SHAPE = (4176, 6248)
_VIEW = (928, 520)

_BARE = """
import sys, numpy
from PyQt6.QtWidgets import QApplication, QMainWindow
class Window(QMainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        QApplication.instance().quit()
app = QApplication(sys.argv)
window = Window()
window.resize(1280, 800)
window.show()
app.exec()
"""

_VIGIL = """
import sys
from benchmarks.window import show_once
show_once(sys.argv[1])
"""


class _Nobody:
    """No keeper: what starting one costs is not the window's."""

    async def ensure(self) -> None: ...

    async def answers(self) -> bool:
        return False

    def open(self) -> None: ...


def show_once(folder: str) -> None:
    """Open the demo's window as `vigil window --demo` does, and leave once it has been painted whole."""
    from pathlib import Path

    from vigil.cli.window import hold_garbage

    hold_garbage()
    from vigil.cli.files import demo_file, load_document, load_fitting
    from vigil.documents.rig import Rig
    from vigil.ui.app import Desk, Files, Opened

    rig = load_document(Rig, demo_file("heron-480.json"))
    base = Path(folder)
    files = Files(base / "plan.json", base / "window.ini", base / "ledger.sqlite")
    desk = Desk(Opened(rig, load_fitting(demo_file("plan.json"), rig), files, _Nobody))
    desk.window.show()
    desk.app.processEvents()
    assert desk.window.status.isVisible()
    os._exit(0)


def first_picture() -> Ratio:
    """From the start of the interpreter to the first picture, against a bare window with NumPy loaded.

    Both with their modules compiled, as any start but the first has them.
    """
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as compiled:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPYCACHEPREFIX": compiled}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)

        def run(code: str) -> None:
            command = [sys.executable, "-c", code, folder]
            subprocess.run(command, check=True, env=environment, stderr=subprocess.DEVNULL)

        return compare("first picture of the window", lambda: run(_VIGIL), lambda: run(_BARE), 4.0, 9)


class _Screen:
    """A frame view with a 26-megapixel frame, and the bare reference: one look-up over all its pixels."""

    def __init__(self) -> None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        from vigil.imaging.stretch import auto_stretch, table
        from vigil.ui.app import make_application
        from vigil.ui.image.view import FrameView

        self.app = make_application(["bench"])
        noise = np.random.default_rng(1).normal(500, 10, _SHAPE)
        self.image = noise.clip(0).astype(np.uint16)
        self.stretch = auto_stretch(self.image)
        self.table = table(self.stretch)
        self.view = FrameView()
        self.view.resize(*_VIEW)
        self.view.show()
        self.app.processEvents()

    def bare(self) -> None:
        self.table[self.image]

    def first(self) -> None:
        from vigil.imaging.pyramid import Pyramid
        from vigil.imaging.stretch import auto_stretch

        self.view.show_frame(Pyramid(self.image), auto_stretch(self.image))
        self.view.repaint()

    def zoomed(self, zoom: float | None) -> None:
        self.first()
        if zoom is None:
            self.view.fit()
        else:
            self.view.zoom_to(zoom)
        self.view.repaint()


def frame_on_screen() -> Ratio:
    """From pixels in memory to the fitted, stretched picture."""
    screen = _Screen()
    return compare("26-megapixel frame on screen", screen.first, screen.bare, 1.5, 7)


def panning() -> Ratio:
    from PyQt6.QtCore import QPointF

    screen = _Screen()
    screen.zoomed(0.5)

    def pan() -> None:
        screen.view.pan(QPointF(-40, 25))
        screen.view.repaint()

    return compare("pan", pan, screen.bare, 0.2, 7)


def zooming() -> Ratio:
    screen = _Screen()
    screen.zoomed(0.3)
    steps = [0.35, 0.45, 0.55, 0.7, 0.9, 1.2, 0.3]

    def zoom() -> None:
        steps.append(steps.pop(0))
        screen.view.zoom_to(steps[0])
        screen.view.repaint()

    return compare("zoom", zoom, screen.bare, 0.2, 7)


def stretching() -> Ratio:
    from vigil.imaging.stretch import Stretch

    screen = _Screen()
    screen.zoomed(None)
    black = screen.stretch.black

    def stretch() -> None:
        nonlocal black
        black += 1
        screen.view.set_stretch(Stretch(black, screen.stretch.white, screen.stretch.softening))
        screen.view.repaint()

    return compare("stretch", stretch, screen.bare, 0.2, 7)
