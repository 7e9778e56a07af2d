"""The Rig workspace: parts to choose, numbers with their formulas, the sky over the site."""

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QApplication, QToolTip

from tests.ui.conftest import Stage
from vigil.documents.events import Kind
from vigil.planning.rignumbers import RigNumber
from vigil.ui.linkstate import LinkState
from vigil.ui.rig.numbers import value_of


def test_each_part_is_chosen_by_mouse_and_keys(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    for key, place in rig.train.places().items():
        stage.qtbot.mouseClick(rig.train, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
        assert (
            rig.train.current == key
            and rig.part_name.text() == next(p for p in rig.parts if p.key == key).name
        )
    rig.train.setFocus()
    stage.qtbot.keyClick(rig.train, Qt.Key.Key_Right)
    assert rig.train.current == "telescope"  # round and round
    assert dict(rig.facts.facts)["focal length"] == "480 mm"
    stage.qtbot.mouseClick(rig.beside["site"], Qt.MouseButton.LeftButton)
    assert dict(rig.facts.facts)["nothing under"] == "20°" and rig.beside["site"].isChecked()


def test_lamps_are_told_in_words(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("camera")
    assert rig.lamp.text() == "not connected"
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    assert rig.lamp.text() == "busy" and "ready" in rig.beside["mount"].text()
    stage.link(LinkState.GONE)
    assert rig.lamp.text() == "unknown: no keeper"


def test_what_contradicts_tonights_plan_is_listed(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    assert rig.quiet.isVisible()
    stage.plan.add_target("low", 10.0, -40.0)
    assert "low rises to 3° at most" in rig.wrong[0].text and not rig.quiet.isVisible()


def test_numbers_have_their_formula_on_hover(stage: Stage) -> None:
    numbers = stage.workspace("Rig").numbers
    assert "image scale 4.85″/px" in numbers.accessibleName()  # the quick rig's large pixels
    where = numbers.cell(0).center().toPoint()
    QApplication.sendEvent(numbers, QHelpEvent(QEvent.Type.ToolTip, where, numbers.mapToGlobal(QPoint(0, 0))))
    assert QToolTip.text().startswith("206264.8 · pixel / focal length")
    QToolTip.hideText()
    assert value_of(RigNumber("x", 4572.3, "frames", "", "")) == "4\u2009572 frames"
    assert value_of(RigNumber("x", 96.62, "µm", "", "")) == "96.6 µm"


def test_directions_on_the_polar_plot(stage: Stage) -> None:
    horizon = stage.workspace("Rig").horizon
    zenith, north, east = horizon.place(90, 0), horizon.place(0, 0), horizon.place(0, 90)
    assert north.y() < zenith.y() and abs(north.x() - zenith.x()) < 1e-6
    assert east.x() < zenith.x() and abs(east.y() - zenith.y()) < 1e-6  # as one sees it from below
    halfway = horizon.place(45, 0)
    assert abs((zenith.y() - halfway.y()) * 2 - (zenith.y() - north.y())) < 1e-6
