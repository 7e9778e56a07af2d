"""Frames on the screen: the right pixel under the pointer, no star lost, the stretch that was asked for."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.ui.test_theme import pixels
from vigil.imaging.pyramid import Pyramid, halve
from vigil.imaging.stars import hfr_near
from vigil.imaging.stretch import Stretch, auto_stretch, histogram, table
from vigil.ui.image.histogram import Histogram
from vigil.ui.image.view import FrameView


def sky(rows: int, columns: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).normal(500, 8, (rows, columns)).clip(0).astype(np.uint16)


@given(st.integers(2, 40), st.integers(2, 40), st.integers(0, 9))
@settings(max_examples=40, deadline=None)
def test_halving_is_the_mean_of_four(rows: int, columns: int, seed: int) -> None:
    image = np.random.default_rng(seed).integers(0, 65536, (rows, columns), dtype=np.uint16)
    even = image[: rows // 2 * 2, : columns // 2 * 2].astype(np.uint32)
    expected = (even[0::2, 0::2] + even[1::2, 0::2] + even[0::2, 1::2] + even[1::2, 1::2]) // 4
    assert np.array_equal(halve(image), expected)


def test_a_pyramid_has_a_pixel_for_each_of_the_screens() -> None:
    pyramid = Pyramid(sky(1000, 1600))
    for zoom in (2.0, 1.0, 0.6, 0.5, 0.3, 0.1, 0.01):
        halvings = pyramid.halvings_for(zoom)
        assert 2.0**-halvings >= min(zoom, 1.0)
        assert zoom >= 1 or 2.0 ** -(halvings + 1) < zoom or halvings == 9  # and no more than needed
    assert pyramid.level(2).shape == (250, 400) and pyramid.level(99).shape == (1, 3)
    with pytest.raises(ValueError, match="plane of uint16"):
        Pyramid(np.zeros((4, 4)))  # type: ignore[arg-type]


def test_auto_stretch_puts_the_background_at_a_dark_grey() -> None:
    image = sky(600, 600)
    image[100:104, 200:204] = 40_000
    stretch = auto_stretch(image)
    tones = table(stretch)
    assert 20 <= tones[500] <= 60 and tones[40_000] == 255 and tones[0] == 0
    assert np.all(np.diff(tones.astype(int)) >= 0)
    flat = auto_stretch(np.full((64, 64), 1000, np.uint16))
    assert flat.white > flat.black
    with pytest.raises(ValueError, match="white must be above black"):
        Stretch(10, 10, 1)
    assert histogram(image, 450, 550, 10).sum() > 0


def view_of(image: np.ndarray, qtbot: QtBot, width: int = 600, height: int = 400) -> FrameView:
    view = FrameView()
    qtbot.addWidget(view)
    view.resize(width, height)
    view.show_frame(Pyramid(image), auto_stretch(image))
    view.show()
    QApplication.processEvents()
    return view


def test_the_pixel_under_the_pointer_is_the_files_pixel(qapp: QApplication, qtbot: QtBot) -> None:
    image = sky(300, 500)
    image[40, 60] = 60_000  # row 0 is at the bottom
    view = view_of(image, qtbot)
    for zoom in (None, 1.0, 4.0):
        if zoom is not None:
            view.zoom_to(zoom, view.to_widget(60, 40))
        spot = view.to_widget(60, 40)
        under = view.under(spot)
        assert under is not None and (under.column, under.row, under.adu) == (60, 40, 60_000)
        shown = view.grab().toImage()
        inside = QPoint(int(spot.x()), int(spot.y()))
        there = shown.pixelColor(inside).lightness()
        beside = shown.pixelColor(inside + QPoint(0, -12)).lightness()
        assert there > beside + 40, zoom
    assert view.to_widget(60, 40).y() > view.to_widget(60, 200).y()
    assert view.under(QPointF(-400, 10)) is None or view.fitted is False


def test_no_star_vanishes_from_afar(qapp: QApplication, qtbot: QtBot) -> None:
    """Single stars of a few pixels on a 26-megapixel frame, shown on a thirteenth of its width."""
    image = sky(4176, 6248)
    y, x = np.mgrid[-5:6, -5:6]
    star = 3000 * np.exp(-(x**2 + y**2) / (2 * 1.6**2))
    places = [(211 + 397 * i, 307 + 577 * i) for i in range(10)]
    for row, column in places:
        image[row - 5 : row + 6, column - 5 : column + 6] += star.astype(np.uint16)
    view = view_of(image, qtbot, 480, 320)
    shown = pixels(view.grab().toImage())[..., 0]
    around = float(np.median(shown[100:220, 100:380]))
    for row, column in places:
        spot = view.to_widget(column, row).toPoint()
        patch = shown[spot.y() - 1 : spot.y() + 2, spot.x() - 1 : spot.x() + 2]
        assert patch.max() > around + 40, (row, column)


def test_zoom_keeps_the_place_under_the_pointer(qapp: QApplication, qtbot: QtBot) -> None:
    view = view_of(sky(1000, 1500), qtbot)
    pointer = QPointF(150, 90)
    before = view.to_image(pointer)
    view.zoom_to(1.7, pointer)
    after = view.to_image(pointer)
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()))
    view.pan(QPointF(30, -20))
    moved = view.to_image(pointer)
    assert (moved.x() - after.x()) * 1.7 == pytest.approx(-30) and not view.fitted
    view.zoom_to(1000)
    assert view.zoom == 16
    qtbot.keyClick(view, Qt.Key.Key_0)
    assert view.fitted
    qtbot.keyClick(view, Qt.Key.Key_1)
    assert view.zoom == 1.0


def test_another_frame_keeps_zoom_and_place(qapp: QApplication, qtbot: QtBot) -> None:
    view = view_of(sky(1000, 1500), qtbot)
    view.zoom_to(2.0, QPointF(10, 10))
    centre = view.to_image(QPointF(300, 200))
    image = sky(1000, 1500, seed=2)
    view.show_frame(Pyramid(image), auto_stretch(image))
    assert view.zoom == 2.0 and view.to_image(QPointF(300, 200)) == centre
    other = sky(500, 700)
    view.show_frame(Pyramid(other), auto_stretch(other))
    assert view.fitted


def test_black_and_white_point_are_dragged_and_typed(qapp: QApplication, qtbot: QtBot) -> None:
    image = sky(400, 400)
    made = Histogram()
    qtbot.addWidget(made)
    made.resize(400, 52)
    made.show_image(image, auto_stretch(image))
    first = made.stretch
    assert first is not None
    with qtbot.waitSignal(made.stretched):
        qtbot.keyClick(made, Qt.Key.Key_Right)
    assert made.stretch.black > first.black and made.stretch.white == first.white
    qtbot.keyClick(made, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert made.stretch.white < first.white
    handle = QPointF(made._x(made.stretch.white), 20).toPoint()
    qtbot.mousePress(made, Qt.MouseButton.LeftButton, pos=handle)
    qtbot.mouseMove(made, QPointF(100, 20).toPoint())
    qtbot.mouseRelease(made, Qt.MouseButton.LeftButton)
    assert made.stretch.white > made.stretch.black


def test_star_size_under_the_pointer_is_that_of_the_pixels() -> None:
    image = sky(200, 200).astype(float)
    y, x = np.mgrid[0:200, 0:200]
    image += 8000 * np.exp(-((x - 100.3) ** 2 + (y - 90.6) ** 2) / (2 * 2.0**2))
    found = hfr_near(image.astype(np.uint16), 102, 92)
    assert found == pytest.approx(2.0 * 1.1774, rel=0.03)  # half of a Gaussian's light
    assert hfr_near(image.astype(np.uint16), 30, 30) is None
