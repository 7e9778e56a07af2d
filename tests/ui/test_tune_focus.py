"""The focus bench in the window, by keyboard alone, with what the bench's errands really tell."""

from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication

from tests.ui.conftest import Stage
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, DeviceReport, ErrandReport, Reports, Sample, Samples
from vigil.documents.scenario import Scenario
from vigil.runtime.folders import ledger_file
from vigil.ui.theme import Light, theme
from vigil.ui.tune.focus import FocusBench
from vigil.ui.tune.workspace import Tune


@dataclass
class Focusing:
    """The bench on the stage; `tell` plays an errand that was carried out to the window."""

    stage: Stage
    bench: FocusBench
    told: int = 1000
    seen: list[Event] = field(default_factory=list)

    def ready(self, position: int = 5990) -> None:
        state = {"position": position, "moving": False, "temperature_c": -1.0}
        reports = [
            DeviceReport(name="camera", lamp="ready", state={}),
            DeviceReport(name="focuser", lamp="ready", state=state),
        ]
        self.stage.bridge.told.emit([Reports(at=self.stage.session.now, devices=reports)])

    def carried_out(
        self, kind: str, scenario: Scenario | None = None, hours: float = 5.0, **values: Any
    ) -> list[Event]:
        rig = self.stage.session.rig
        assert rig.simulated is not None

        async def use(bench: Bench) -> list[Event]:
            await bench.carry_out(kind, values)
            return bench.events

        at = rig.simulated.starts_at + timedelta(hours=hours)
        ledger = ledger_file()
        ledger.parent.mkdir(parents=True, exist_ok=True)
        return on_the_bench(Alone(rig, scenario or Scenario(), 2, at, quick=True, ledger=ledger), use)

    def tell(self, events: list[Event], over: bool = True) -> None:
        told = []
        for event in events if over else events[:-1]:
            self.told += 1
            told.append(event.model_copy(update={"id": self.told}))
        self.stage.bridge.told.emit(told)
        first = events[0]
        under_way = ErrandReport(
            id=first.errand,
            kind=first.values["kind"],
            words=first.values["words"],
            because="",
            began=first.at,
            claims=[],
            questions=[],
        )
        status = self.stage.session.status
        assert status is not None
        errands = [] if over else [under_way]
        self.stage.bridge.status_came.emit(status.model_copy(update={"errands": errands}))
        self.ready()
        self.stage.settle()

    @property
    def asked(self) -> tuple[Command, dict[str, Any]]:
        return self.stage.bridge.asked[-1]


@pytest.fixture
def focusing(stage: Stage) -> Focusing:
    tune = stage.workspace("Tune")
    assert isinstance(tune, Tune)
    made = Focusing(stage, tune.focus)
    made.ready()
    stage.settle()
    return made


def to(stage: Stage, name: str) -> None:
    """The keyboard goes on until a button of the bench with this name has the focus."""
    bench = stage.window.workspaces["Tune"].focus  # type: ignore[attr-defined]
    for _ in range(120):
        widget = QApplication.focusWidget()
        if widget is not None and bench.isAncestorOf(widget) and getattr(widget, "text", str)() == name:
            return
        stage.qtbot.keyClick(widget or stage.window, Qt.Key.Key_Tab)
    raise AssertionError(f"no {name!r} in reach of the keyboard")


def press(stage: Stage, name: str) -> None:
    to(stage, name)
    stage.press(Qt.Key.Key_Space)
    stage.settle()


def look_at(focusing: Focusing, view: str) -> None:
    """Another picture of the bench, by the arrow keys."""
    stage, bench = focusing.stage, focusing.bench
    to(stage, bench.view)
    for _ in range(5):
        if bench.view == view:
            break
        stage.press(Qt.Key.Key_Right)
    stage.settle()
    assert bench.view == view


def test_by_keyboard_find_focus_and_refused_under_a_cloud(focusing: Focusing) -> None:
    stage, bench = focusing.stage, focusing.bench
    press(stage, "Find focus")
    assert focusing.asked == (Command.BEGIN, {"kind": "find focus"})
    found = focusing.carried_out("find focus")
    focusing.tell(found, over=False)
    assert "Finding focus through L" in bench.said.text() and not bench.run_tools.run.isEnabled()
    assert bench.curve._run is not None and len(bench.curve._run.samples) >= 9
    press(stage, "Stop")
    assert focusing.asked == (Command.STOP_ERRAND, {"errand": found[0].errand})
    focusing.tell(found)
    assert bench.said.text().startswith("Accepted: best")
    name, value = bench.run_tools.result.facts[0]
    assert name == "position, 95 %" and value.startswith(f"{found[-1].values['run']['position']}, ")

    press(stage, "Again, finer")
    assert focusing.asked == (Command.BEGIN, {"kind": "focus", "finer": True})
    to(stage, "Focus")
    stage.press(Qt.Key.Key_Space)
    assert focusing.asked == (Command.BEGIN, {"kind": "focus"})
    clouded = Scenario.model_validate({"name": "o", "air": {"overcast_mag": 9.0}})
    focusing.tell(focusing.carried_out("focus", clouded))
    assert bench.said.text().startswith("Refused: nothing to see")
    assert [row.accepted for row in bench.log.rows] == [False, True]
    # the log opens the earlier one again
    bench.log.setFocus()
    stage.press(Qt.Key.Key_Down)
    stage.press(Qt.Key.Key_Down)
    stage.settle()
    assert bench.said.text().startswith("Accepted: best") and "reason" in bench.log.copy_text()


def test_by_keyboard_offsets_and_backlash_are_measured_and_taken_over(focusing: Focusing) -> None:
    stage, bench, session = focusing.stage, focusing.bench, focusing.stage.session
    look_at(focusing, "Offsets")
    press(stage, "Measure all")
    assert focusing.asked == (Command.BEGIN, {"kind": "filter offsets", "rounds": 3})
    told = focusing.carried_out("filter offsets", filters=["Ha", "R"], rounds=2)
    focusing.tell(told)
    found = told[-1].values["offsets"]["Ha"]["steps"]
    press(stage, "Take over")
    assert session.rig.wheel is not None
    assert session.rig.wheel.filter("Ha").focus_offset_steps == found
    assert "In the rig now: the measured filter offsets" in bench.said.text()
    assert session.edits.undoable
    bench.show_view("Run")
    press(stage, "Measure backlash")
    assert focusing.asked == (Command.BEGIN, {"kind": "backlash"})
    focusing.tell(focusing.carried_out("backlash"))
    press(stage, "Take over")
    assert session.rig.focuser is not None and 70 <= session.rig.focuser.overshoot_steps <= 95


def test_the_temperature_model_is_learnt_from_the_log(focusing: Focusing) -> None:
    bench, session = focusing.bench, focusing.stage.session
    bench.show_view("Temperature")
    assert "No accepted run with a temperature" in bench.model_tools.said.text()
    for k in range(7):
        last = focusing.carried_out("focus", hours=1.0 + 1.2 * k)
    focusing.tell(last)
    assert bench.model_tools.take_over.isEnabled() and "steps" in bench.model_tools.facts.facts[0][1]
    press(focusing.stage, "Take over")
    assert session.rig.focuser is not None and session.rig.focuser.steps_per_c is not None
    assert -9 < session.rig.focuser.steps_per_c < -5 and "position" in bench.model.copy_text()


def test_getting_near_by_arrow_keys_within_the_travel(focusing: Focusing) -> None:
    stage, bench = focusing.stage, focusing.bench
    look_at(focusing, "Getting near")
    press(stage, "Look at a star")
    command, values = focusing.asked
    assert command is Command.BEGIN and values["kind"] == "getting near" and not values["guides"]
    cutout = {"side": 3, "scale": 2.0, "pixels": "AAAAAP8AAAAA"}
    row = {
        "number": 1, "position": 5990, "size_px": 8.5, "size_arcsec": 13.9, "peak_share": 0.2,
        "clipped": False, "disc": True, "x_px": 400.0, "y_px": 300.0, "cutout": cutout, "profile": [1.0, 0.0],
    }  # fmt: skip
    at = stage.session.now
    stage.bridge.told.emit([Samples(errand="x", stream="near", rows=[Sample(at=at, values=row)])])
    stage.settle()
    assert "8.50 px at 5990" in bench.near.accessibleDescription()
    bench.near.setFocus()
    for key, shift, steps in ((Qt.Key.Key_Left, False, -10), (Qt.Key.Key_Right, True, 100)):
        held = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
        stage.qtbot.keyClick(bench.near, key, held)
        assert focusing.asked == (Command.DEVICE, {"device": "focuser", "action": "by", "steps": steps})
    focusing.ready(position=11_950)
    asked = len(stage.bridge.asked)
    stage.qtbot.keyClick(bench.near, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert len(stage.bridge.asked) == asked and "outside the focuser's travel" in bench.said.text()
    theme.set_light(Light.RED, 1.0)
    image = bench.near.grab().toImage()
    square = bench.near._square()
    colour = image.pixelColor(square.center().toPoint())
    assert colour.red() > 2 * colour.blue(), "no white star in red light"


def test_another_star_is_picked_with_a_click(focusing: Focusing) -> None:
    stage, bench = focusing.stage, focusing.bench
    bench.show_view("Getting near")
    row = {
        "number": 1, "position": 5990, "size_px": 3.0, "x_px": 400.0, "y_px": 300.0,
        "cutout": {"side": 3, "scale": 20.0, "pixels": "AAAAAP8AAAAA"},
    }  # fmt: skip
    started = Event(
        errand="e1",
        at=stage.session.now,
        kind=Kind.ERRAND_STARTED,
        values={
            "kind": "getting near",
            "rig_id": stage.session.rig.id,
            "evening": "2027-01-12",
            "words": "looking",
        },
        reason="looking",
    )
    ended = Event(
        errand="e1",
        at=stage.session.now,
        kind=Kind.ERRAND_ENDED,
        values={"outcome": "stopped"},
        reason="stopped",
    )
    focusing.tell([started, ended], over=False)
    stage.bridge.told.emit(
        [Samples(errand="e1", stream="near", rows=[Sample(at=stage.session.now, values=row)])]
    )
    square = bench.near._square()
    right_and_up = square.center() + QPointF(square.width() / 4, -square.height() / 4)
    stage.qtbot.mouseClick(bench.near, Qt.MouseButton.LeftButton, pos=right_and_up.toPoint())
    assert focusing.asked == (Command.STOP_ERRAND, {"errand": "e1"})
    focusing.tell([started, ended])
    command, values = focusing.asked
    assert command is Command.BEGIN and values["kind"] == "getting near"
    assert values["x"] == pytest.approx(415, abs=0.5) and values["y"] == pytest.approx(315, abs=0.5)


def test_what_stands_in_the_way_is_said(focusing: Focusing) -> None:
    stage, bench = focusing.stage, focusing.bench
    off = [DeviceReport(name="camera", lamp="not connected", state={})]
    stage.bridge.told.emit([Reports(at=stage.session.now, devices=off)])
    stage.settle()
    assert bench.said.text() == "Connect the camera first (Rig)." and not bench.run_tools.run.isEnabled()
    bench.show_view("Field")
    assert bench.field.copy_text() == ""
