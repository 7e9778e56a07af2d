"""The drawer of the simulated sky: what it shows, what it asks the keeper for."""

from typing import Any

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

from tests.ui.conftest import Stage
from vigil.documents.messages import Answer, Ask, Command
from vigil.documents.rig.change import path_of, with_values
from vigil.documents.scenario import FaultKind, Scenario
from vigil.documents.store import dump
from vigil.ui.linkstate import LinkState
from vigil.ui.scenery.drawer import SceneryDrawer

NOW = {
    "seeing_arcsec": 2.4,
    "cloud_mag": 0.0,
    "cloud_percent": 3.0,
    "wind_m_s": 3.0,
    "temperature_c": 1.5,
    "humidity_percent": 70.0,
    "dew": 0.5,
}


def drawer_of(stage: Stage) -> SceneryDrawer:
    stage.press(Qt.Key.Key_F7)
    drawer = stage.window.scenery
    assert isinstance(drawer, SceneryDrawer) and drawer.isVisible()
    return drawer


def tell(stage: Stage, scenario: Scenario | None = None, **values: Any) -> None:
    told = {"scenario": dump(scenario or Scenario()), "minute": 300.0, "now": NOW, "faults": [], **values}
    ask = Ask(id="id", command=Command.SCENARIO)
    stage.bridge.answered.emit(ask, Answer(id="id", taken=True, values=told))


def asked(stage: Stage) -> list[dict[str, Any]]:
    """What was asked about the scenario beyond looking."""
    return [values for command, values in stage.bridge.asked if command is Command.SCENARIO and values]


def test_it_opens_looks_and_shows_what_is(stage: Stage) -> None:
    drawer = drawer_of(stage)
    assert (Command.SCENARIO, {}) in stage.bridge.asked
    tell(stage, faults=["camera: frame arrives torn, 4 min more"])
    assert dict(drawer.now.facts) == {"cloud": "0.0 mag", "air": "1.5 °C, 70 %", "dew on the optics": "some"}
    assert drawer.dials["air.seeing_arcsec"].shown.text() == "2.4 ″", "what is now, where the seed decides"
    assert drawer.on.text() == "camera: frame arrives torn, 4 min more"
    assert drawer.scenarios.currentText() == "clear night"
    tell(stage, with_values(Scenario(), {path_of("air.seeing_arcsec"): 5.0, path_of("sky.moonlight"): False}))
    assert drawer.dials["air.seeing_arcsec"].shown.text() == "5.0 ″"
    assert drawer.moon.currentText() == "no moon"
    stage.press(Qt.Key.Key_F7)
    assert not drawer.isVisible() and not stage.window.pace.sky.isChecked()


def test_dials_ask_once_they_rest_and_are_not_pulled_back(stage: Stage) -> None:
    drawer = drawer_of(stage)
    tell(stage)
    dial = drawer.dials["air.overcast_mag"]
    dial.slider.setFocus()
    for _ in range(50):
        stage.qtbot.keyClick(dial.slider, Qt.Key.Key_Right)
    tell(stage)
    assert dial.shown.text() == "3.0 mag", "what the keeper says meanwhile doesn't pull it back"
    assert not asked(stage)
    stage.qtbot.waitUntil(lambda: bool(asked(stage)))
    assert asked(stage) == [{"values": {"air.overcast_mag": 3.0}}]


def test_moon_scenario_and_faults(stage: Stage) -> None:
    drawer = drawer_of(stage)
    tell(stage)
    drawer.moon.setCurrentText("full moon, 40° away")
    drawer.moon.activated.emit(drawer.moon.currentIndex())
    assert asked(stage)[-1]["values"]["sky.moon"]["apart_deg"] == 40.0
    drawer.scenarios.setCurrentText("windy")
    drawer.scenarios.activated.emit(drawer.scenarios.currentIndex())
    assert asked(stage)[-1]["scenario"]["air"]["wind_m_s"] == 7.5
    drawer.kind.setCurrentText(FaultKind.TIMES_OUT.value)
    drawer.device.setCurrentText("focuser")
    drawer.minutes.setText("3")
    stage.qtbot.mouseClick(drawer.go, Qt.MouseButton.LeftButton)
    assert asked(stage)[-1] == {"fault": {"kind": "times out", "minutes": 3.0, "device": "focuser"}}
    drawer.kind.setCurrentText(FaultKind.DISK_FULL.value)
    assert not drawer.device.isVisible()
    stage.qtbot.mouseClick(drawer.go, Qt.MouseButton.LeftButton)
    assert asked(stage)[-1] == {"fault": {"kind": "disk full", "minutes": 3.0}}
    assert drawer.kind.findText(FaultKind.STALE.value) < 0, "this rig has no weather station"


def test_minutes_that_are_wrong_ask_for_nothing(stage: Stage) -> None:
    drawer = drawer_of(stage)
    tell(stage)
    drawer.minutes.setText("soon")
    stage.qtbot.mouseClick(drawer.go, Qt.MouseButton.LeftButton)
    assert not asked(stage) and "no number" in drawer.said.text()


def test_the_keyboard_begins_at_the_dials_and_escape_closes(stage: Stage) -> None:
    drawer = drawer_of(stage)
    tell(stage)
    assert drawer.dials["air.seeing_arcsec"].slider.hasFocus()
    stage.press(Qt.Key.Key_Right)
    stage.qtbot.waitUntil(lambda: bool(asked(stage)))
    assert asked(stage)[0]["values"]["air.seeing_arcsec"] > 2.4
    stage.press(Qt.Key.Key_Escape)
    assert not drawer.isVisible()


def test_the_wheel_over_a_control_without_focus_changes_nothing(stage: Stage) -> None:
    drawer = drawer_of(stage)
    tell(stage)
    for control in (drawer.scenarios, drawer.moon, drawer.dials["air.wind_m_s"].slider):
        middle = QPointF(control.rect().center())
        turn = QWheelEvent(
            middle, control.mapToGlobal(middle), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(control, turn)
    assert not asked(stage) and not drawer.dials["air.wind_m_s"].moving


def test_a_refusal_is_said_and_without_a_keeper_nothing_can_be_turned(stage: Stage) -> None:
    drawer = drawer_of(stage)
    ask = Ask(id="id", command=Command.SCENARIO, values={"values": {}})
    stage.bridge.answered.emit(ask, Answer(id="id", taken=False, reason="the rig is real"))
    assert drawer.said.text() == "Not done: the rig is real"
    stage.link(LinkState.GONE)
    assert not drawer.body.isEnabled() and "No keeper answers" in drawer.said.text()
    before = len(stage.bridge.asked)
    drawer.look()
    assert len(stage.bridge.asked) == before
    stage.link(LinkState.OPEN)
    assert drawer.body.isEnabled() and not drawer.said.text()


def test_the_drawer_is_a_part_of_the_window(stage: Stage) -> None:
    """F6 comes to it, the command bar knows it, the whole screen folds it away."""
    drawer = drawer_of(stage)
    for _ in range(8):
        stage.press(Qt.Key.Key_F6)
        focused = stage.window.focusWidget()
        if focused is not None and drawer.isAncestorOf(focused):
            break
    else:
        raise AssertionError("F6 never came to the drawer")
    assert any(a.name == "Play with the simulated sky" for a in stage.window.find_actions("simulated sky"))
    stage.press(Qt.Key.Key_F11)
    assert not drawer.isVisible()
    stage.press(Qt.Key.Key_F11)


def test_what_is_asked_is_what_a_keeper_takes(stage: Stage) -> None:
    """The values that the drawer sends are fields of the document."""
    drawer = drawer_of(stage)
    fields = {path_of(field): dial.value for field, dial in drawer.dials.items()}
    assert with_values(Scenario(), fields)
    for i in range(drawer.moon.count()):
        moon = {path_of(k): v for k, v in drawer.moon.itemData(i).items()}
        assert with_values(Scenario(), moon)
