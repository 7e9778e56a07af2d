"""A real screen without a monitor: an X server of our own, read pixel by pixel, worked by keys and mouse."""

import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QFont, QImage, QPainter
from scipy.fft import irfft2, next_fast_len, rfft2

from vigil.ui.picture import text_width
from vigil.ui.theme import text_font

_WIDTH, _HEIGHT = 1280, 800
_LIKE = 0.82
_LIMIT_S = 240.0


class NotSeen(AssertionError):
    """Something that should be on the screen isn't."""


class Screen:
    """Xvfb with its picture in a file. `sees` looks for words as the theme draws them."""

    def __init__(self) -> None:
        self._folder = tempfile.mkdtemp(prefix="vigil-screen-")
        reader, writer = os.pipe()
        self._server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(writer), "-screen", "0", f"{_WIDTH}x{_HEIGHT}x24",
             "-fbdir", self._folder, "-nolisten", "tcp"],
            pass_fds=(writer,), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(writer)
        with os.fdopen(reader) as line:
            self.display = f":{line.readline().strip()}"

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._server.terminate()
        self._server.wait(10)
        shutil.rmtree(self._folder, ignore_errors=True)

    @property
    def environment(self) -> dict[str, str]:
        found = {k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"}
        return {**found, "DISPLAY": self.display, "QT_QPA_PLATFORM": "xcb"}

    # -- hands ------------------------------------------------------------------------------------------

    def _do(self, *words: str) -> str:
        done = subprocess.run(
            ["xdotool", *words], env=self.environment, capture_output=True, text=True, timeout=20
        )
        return done.stdout.strip()

    def keys(self, *names: str) -> None:
        self._do("key", "--delay", "30", *names)

    def type(self, text: str) -> None:
        self._do("type", "--delay", "30", text)

    def click(self, x: float, y: float) -> None:
        self._do("mousemove", str(round(x)), str(round(y)), "click", "1")

    def click_on(self, text: str, **look: object) -> None:
        """Click on words that can be seen."""
        self.click(*self.wait_for(text, **look))

    def take_focus(self) -> None:
        """Without a window manager nobody gives the keyboard to a window."""
        self.until(lambda: bool(self._do("search", "--onlyvisible", "--name", "Vigil")), "the window")
        window = self._do("search", "--onlyvisible", "--name", "Vigil").split()[-1]
        self._do("windowfocus", "--sync", window)

    # -- eyes -------------------------------------------------------------------------------------------

    def picture(self) -> np.ndarray:
        """The screen's lightness, [row, column], 0…255: the X server's own memory (XWD, version 7)."""
        data = (Path(self._folder) / "Xvfb_screen0").read_bytes()
        header = np.frombuffer(data, ">u4", 25)
        start = int(header[0]) + 12 * int(header[19])
        pixels = np.frombuffer(data, np.uint8, int(header[12]) * int(header[5]), start)
        seen = pixels.reshape(int(header[5]), -1, 4)[:, : int(header[4]), :3].max(axis=-1)
        return seen.astype(np.float32)

    def find(self, text: str, font: QFont | None = None) -> tuple[float, tuple[float, float]]:
        """How like the words the likeliest place is (1: the same), and its middle."""
        seen, wanted = self.picture(), _drawn(text, font or text_font())
        wanted = wanted - wanted.mean()
        count, (rows, columns) = wanted.size, wanted.shape
        mean = _sums(seen, wanted.shape) / count
        spread = _sums(seen**2, wanted.shape) / count - mean**2
        # in single precision, and without a margin for what would wrap around: it is cut off
        size = [next_fast_len(length, real=True) for length in seen.shape]
        product = rfft2(seen, size) * np.conj(rfft2(wanted.astype(np.float32), size))
        match = irfft2(product, size)[: seen.shape[0] - rows + 1, : seen.shape[1] - columns + 1]
        norm = np.sqrt(np.maximum(spread, 4.0) * count * (wanted**2).sum())
        like = np.abs(match) / norm  # dark words on a bright button count too
        row, column = np.unravel_index(int(np.argmax(like)), like.shape)
        middle = (column + wanted.shape[1] / 2, row + wanted.shape[0] / 2)
        return float(like[row, column]), middle

    def sees(self, text: str, font: QFont | None = None) -> bool:
        return self.find(text, font)[0] >= _LIKE

    def wait_for(
        self, text: str, font: QFont | None = None, limit_s: float = _LIMIT_S
    ) -> tuple[float, float]:
        """Where the words are; raises NotSeen."""
        self.until(lambda: self.sees(text, font), f"{text!r} on the screen", limit_s)
        return self.find(text, font)[1]

    @staticmethod
    def until(holds: Callable[[], bool], what: str, limit_s: float = _LIMIT_S) -> None:
        """Look again until something holds; other processes are at work, there is nothing to wait on."""
        end = time.monotonic() + limit_s
        while not holds():
            if time.monotonic() > end:
                raise NotSeen(f"{what} did not come within {limit_s:.0f} s")
            time.sleep(0.2)


def _sums(values: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    """Sums over every box of a shape, by running sums."""
    rows, columns = shape
    run = np.pad(values, ((1, 0), (1, 0))).cumsum(axis=0, dtype=float).cumsum(axis=1)
    return run[rows:, columns:] - run[:-rows, columns:] - run[rows:, :-columns] + run[:-rows, :-columns]


def _drawn(text: str, font: QFont) -> np.ndarray:
    """The lightness of bright words on dark, cut to their ink."""
    image = QImage(round(text_width(text, font)) + 8, font.pixelSize() + 10, QImage.Format.Format_RGB32)
    image.fill(QColor(0, 0, 0))
    painter = QPainter(image)
    painter.setFont(font)
    painter.setPen(QColor(255, 255, 255))
    painter.drawText(QPointF(3, font.pixelSize() + 2), text)
    painter.end()
    bits = image.constBits()
    assert bits is not None
    data = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), -1, 4)
    light = data[:, : image.width(), :3].max(axis=-1).astype(float)
    rows, columns = np.flatnonzero(light.max(axis=1) > 40), np.flatnonzero(light.max(axis=0) > 40)
    return light[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
