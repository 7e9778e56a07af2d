"""Colours and fonts: in one place, readable, and red throughout in red light."""

import re
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint
from PyQt6.QtGui import QHelpEvent, QImage
from PyQt6.QtWidgets import QApplication, QToolTip, QWidget

from tests.ui.conftest import Stage
from vigil.documents.events import Kind
from vigil.ui.pieces import Choice
from vigil.ui.theme import DARK, GROUND_ROLES, RED, TEXT_ROLES, Light, Size, Tokens, contrast, theme
from vigil.ui.workspacerow import WORKSPACES

UI = Path(__file__).parents[2] / "src" / "vigil" / "ui"
LITERAL = re.compile(
    r"#[0-9a-fA-F]{6}\b|#[0-9a-fA-F]{3}\b(?!\w)|QColor\((?!\s*\))|QFont\(|GlobalColor|fromRgb|setPixelSize|rgba?\("
)


@pytest.mark.parametrize("light", [Light.DARK, Light.RED])
@pytest.mark.parametrize("role", ["warn", "dec"])
def test_figures_are_legible_on_a_surface_however_bright(light: Light, role: str) -> None:
    theme.set_light(light)
    try:
        grounds = [theme.laid_over("well", role, alpha / 20) for alpha in range(1, 20)]
        found = [contrast(theme.colour(theme.read_on(g)).name(), g.name()) for g in grounds]
        assert min(found) > (3.9 if light is Light.DARK else 2.5)
        assert grounds[-1].lightnessF() > grounds[0].lightnessF()
    finally:
        theme.set_light(Light.DARK)


def test_contrast_is_that_of_the_standard() -> None:
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize(("tokens", "least"), [(DARK, 4.5), (RED, 3.0)])
def test_text_can_be_read_on_every_ground(tokens: Tokens, least: float) -> None:
    pairs = [(role, ground) for role in TEXT_ROLES for ground in GROUND_ROLES]
    pairs += [("on_accent", "accent"), ("on_moment", "moment"), ("text", "accent_fill"), ("text", "day")]
    for role, ground in pairs:
        found = contrast(getattr(tokens, role), getattr(tokens, ground))
        assert found >= least, f"{role} on {ground}: {found:.2f}"


def test_at_most_four_text_sizes() -> None:
    assert len(set(Size.TEXTS)) == 4
    assert set(re.findall(r"font-size: ([^;]+)px", (UI / "theme.qss").read_text())) == {
        "${small}", "${body}", "${head}", "${large}",
    }  # fmt: skip
    read_from_three_metres = {UI / "turning.py"} | {
        UI / "tune" / f"{name}picture.py" for name in ("turning", "drift")
    }
    for path in set(UI.rglob("*.py")) - read_from_three_metres:
        sizes = re.findall(r"(?:text|number)_font\(\s*([^),]*)", path.read_text())
        allowed = {
            "",
            "strong=True",
            "size",
            "Size.SMALL",
            "Size.BODY",
            "Size.HEAD",
            "Size.LARGE",
            "Size.FIGURE",
        }
        assert {s for s in sizes if not s.startswith("size: int")} <= allowed, path.name


def test_no_colour_or_font_outside_the_theme() -> None:
    for path in UI.rglob("*.py"):
        if path.name == "theme.py":
            continue
        for number, line in enumerate(path.read_text().splitlines(), 1):
            assert not LITERAL.search(line), f"{path.name}:{number}: {line.strip()}"
    assert LITERAL.search('QColor("#123456")') and LITERAL.search("QFont('x')")


def pixels(image: QImage) -> np.ndarray:
    """Red, green, blue of each pixel."""
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    bits = image.constBits()
    assert bits is not None
    data = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8)
    return data.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), 2::-1].astype(int)


def all_red(widget: QWidget) -> bool:
    """No pixel that shines in anything but red: green and blue under half of red, or nearly nothing."""
    seen = pixels(widget.grab().toImage())
    others = seen[..., 1:].max(axis=-1)
    return bool(np.all((others <= 0.55 * seen[..., 0]) | (others < 14)))


def test_red_light_covers_everything(stage: Stage) -> None:
    assert not all_red(stage.window)  # the test can fail
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 3))
    theme.set_light(Light.RED)
    for name in WORKSPACES:
        stage.workspace(name)
        assert all_red(stage.window), name
    stage.window.command_bar.open()
    assert all_red(stage.window)
    stage.window.command_bar.close_bar()
    stage.window.ask_to_end()
    assert all_red(stage.window)
    stage.window.question.answers[-1].click()
    theme.set_light(Light.RED, 0.5)
    assert all_red(stage.window) and theme.brightness == 0.5


def test_red_light_covers_focus_runs_menus_and_tooltips(stage: Stage) -> None:
    theme.set_light(Light.RED)
    watch = stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.ACTIVITY_STEP, 8, kind="focus"))
    assert watch.pictures.currentWidget() is watch.curve and all_red(stage.window)
    stage.at(stage.told.upto(Kind.ACTIVITY_STEP, 2, kind="centre"))
    assert watch.pictures.currentWidget() is watch.centring and all_red(stage.window)
    night = stage.workspace("Night")
    choice = night.findChild(Choice)
    choice.showPopup()
    popup = choice.view().window()
    assert all_red(popup)
    choice.hidePopup()
    ribbon = stage.window.ribbon
    where = QPoint(400, 40)
    QApplication.sendEvent(ribbon, QHelpEvent(QEvent.Type.ToolTip, where, ribbon.mapToGlobal(where)))
    assert "sun" in QToolTip.text()
    tips = [w for w in QApplication.topLevelWidgets() if w.metaObject().className() == "QTipLabel"]
    assert tips and all(all_red(tip) for tip in tips)
    QToolTip.hideText()


def test_red_light_is_kept_and_set_before_anything_shows(tmp_path: Path) -> None:
    from vigil.ui.window import light_kept, settings_at

    settings = settings_at(tmp_path / "window.ini")
    settings.setValue("light", "red")
    settings.setValue("brightness", 0.6)
    settings.sync()
    assert light_kept(settings_at(tmp_path / "window.ini")) == (Light.RED, 0.6)
    assert light_kept(settings_at(tmp_path / "other.ini")) == (Light.DARK, 1.0)
    settings.setValue("brightness", "much")
    assert light_kept(settings) == (Light.RED, 1.0)
