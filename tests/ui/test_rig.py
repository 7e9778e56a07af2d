"""The Rig workspace: parts to choose, numbers with their formulas, the sky over the site."""

from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QHelpEvent, QMouseEvent
from PyQt6.QtWidgets import QApplication, QToolTip

from tests.ui.conftest import Stage
from tests.ui.planned import add_target
from vigil.cli.files import demo_file
from vigil.documents.deeds import Deed
from vigil.documents.deeds import Stage as Stage_
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.events import Kind
from vigil.documents.hand import find_action
from vigil.documents.messages import Answer, Ask, Command, DeviceReport, Reports
from vigil.documents.rig import Rig
from vigil.documents.rig.change import path_of, value_at
from vigil.documents.rig.rigs import Rigs
from vigil.documents.store import load
from vigil.engine.hand.limits import check_limits
from vigil.planning.muster import Finding
from vigil.planning.rignumbers import RigNumber
from vigil.ui.caret import TextLine
from vigil.ui.fields import ValueField
from vigil.ui.linkstate import LinkState
from vigil.ui.rig.goto import GoTo
from vigil.ui.rig.numbers import value_of
from vigil.ui.rig.parts import parts_of


def mouse_at(where: QPoint) -> QMouseEvent:
    """A move with the left button held, as a drag sends it."""
    kind, left, none = QEvent.Type.MouseMove, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    return QMouseEvent(kind, QPointF(where), left, left, none)


def report(name: str, lamp: str = "ready", **values: Any) -> DeviceReport:
    states = {
        "camera": {"temperature_c": 1.0, "set_point_c": None, "cooler_power": 0.0, "activity": "idle"},
        "filter wheel": {"slot": 1},
        "focuser": {"position": 6000, "moving": False, "temperature_c": 1.0},
        "mount": {"ra_deg": 1, "dec_deg": 2, "tracking": False, "parked": True, "slewing": False},
        "rotator": {"angle_deg": 0.0, "moving": False},
        "guide camera": {"temperature_c": 1.0, "activity": "idle"},
        "flat panel": {"level": 0},
        "cover": {"shutter": "closed"},
        "roof": {"shutter": "closed"},
        "weather station": {"temperature_c": 1.0, "wind_m_s": 2.0},
        "safety sensor": {"safe": True},
        "heaters": {"levels_percent": {"telescope": 0.0}},
        "power": {"on": {"mount": True}},
    }
    return DeviceReport(name=name, lamp=lamp, **{"state": states[name], **values})


def connected(stage: Stage, *changed: DeviceReport) -> None:
    """The keeper says that every device is connected, but for some."""
    by_name = {r.name: r for r in [*map(report, stage.session.rig.device_names), *changed]}
    stage.bridge.told.emit([Reports(at=stage.session.now, devices=list(by_name.values()))])


def asked(stage: Stage) -> dict[str, Any]:
    """The last thing asked of a device."""
    command, values = stage.bridge.asked[-1]
    assert command is Command.DEVICE
    return values


def test_each_part_is_chosen_by_mouse_and_keys(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    for key, place in rig.train.places().items():
        stage.qtbot.mouseClick(rig.train, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
        assert rig.train.current == rig.current == key
        assert rig.part_name.text() == getattr(stage.session.rig, key).name
    rig.choose("camera")
    rig.train.setFocus()
    stage.qtbot.keyClick(rig.train, Qt.Key.Key_Right)
    assert rig.current == "telescope"  # round and round
    assert rig.editor.rows[("telescope", "focal_length_mm")].input.text() == "480"
    rig.cards.setFocus()
    for _ in range(2):
        stage.qtbot.keyClick(rig.cards, Qt.Key.Key_Right)
    assert rig.current == "panel"
    rig.choose("site")
    assert rig.pages.currentWidget() is rig.horizon
    stage.qtbot.keyClick(rig, Qt.Key.Key_Escape)
    assert rig.current == "telescope" and rig.pages.currentIndex() == 0


def test_lamps_are_told_in_words(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("camera")
    assert rig.lamp.text() == "not connected"
    connected(stage, report("camera", "busy", doing="expose 5 s"))
    assert (
        rig.lamp.text() == "busy · expose 5 s" and "mount: ready parked" in rig.cards.accessibleDescription()
    )
    stage.link(LinkState.GONE)
    assert rig.lamp.text() == "no keeper"


def test_a_value_is_edited_undone_and_goes_back_to_its_default(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    path = ("telescope", "obstruction_mm")
    row = rig.editor.rows[path]
    row.input.setFocus()
    stage.qtbot.keyClicks(row.input, "25")
    assert row.input.state == "pending" and stage.session.rig.telescope.obstruction_mm == 0
    stage.press(Qt.Key.Key_Return)
    assert stage.session.rig.telescope.obstruction_mm == 25 and row.input.state == ""
    assert stage.bridge.asked[-1][0] is Command.RIG
    assert row.back.isEnabled() and "Back to 0" in row.back.toolTip()
    stage.press(Qt.Key.Key_Z, control=True)
    assert stage.session.rig.telescope.obstruction_mm == 0 and not row.back.isEnabled()
    stage.press(Qt.Key.Key_Z, control=True)
    assert stage.session.edits.undoable == ""
    stage.session.edits.redo()
    row.back.click()
    assert stage.session.rig.telescope.obstruction_mm == 0


def test_a_wrong_value_is_marked_and_the_last_good_one_stays(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    row = rig.editor.rows[("telescope", "aperture_mm")]
    row.input.setFocus()
    row.input.selectAll()
    stage.qtbot.keyClicks(row.input, "-3")
    stage.press(Qt.Key.Key_Return)
    assert row.input.state == "wrong" and "at least 1, not -3" in rig.editor.problem.text()
    assert stage.session.rig.telescope.aperture_mm == 80
    stage.press(Qt.Key.Key_Escape)
    assert row.input.text() == "80"


def test_every_field_of_every_part_is_reached_by_keyboard(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    for part in parts_of(stage.session.rig):
        rig.choose(part.key)
        stage.settle()
        rows = rig.editor.rows
        assert rows or part.key == "frames", part.key
        for path, row in rows.items():
            assert row.input.focusPolicy() & Qt.FocusPolicy.TabFocus, path
            assert row.input.accessibleName(), path
        first = next(iter(rows.values())).input
        first.setFocus()
        seen = set()
        for _ in range(400):
            seen.add(QApplication.focusWidget())
            stage.press(Qt.Key.Key_Tab)
        assert {row.input for row in rows.values() if row.input.isEnabled()} <= seen, part.key


def test_filters_are_added_chosen_set_all_and_removed(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("wheel")
    wheel = lambda: stage.session.rig.wheel  # noqa: E731
    inner = ("wheel", "sets", 0, "filters")
    rig.editor.lists[inner].choice.activated.emit(4)
    assert rig.editor.rows[(*inner, 4, "name")].input.text() == "Ha"
    rig.editor.set_all[(*inner, 4, "focus_exposure_s")].click()
    assert {f.focus_exposure_s for f in wheel().filters} == {20.0}
    rig.editor.lists[inner].add.click()
    assert len(wheel().filters) == 8 and wheel().filters[-1].name == "S2 2"
    rig.editor.lists[inner].remove.click()
    assert len(wheel().filters) == 7
    stage.session.edits.edit((*inner, 4, "name"), "H-alpha")
    assert "H-alpha" in stage.session.plan.rig.filter_names
    assert any("no filter 'Ha'" in line.finding.words for line in rig.muster.lines)


def test_parts_are_added_and_removed_and_are_then_absent(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("guider")
    rig.remove.click()
    assert stage.session.rig.guider is None and "guider" not in rig.train.places()
    assert "guide scale" not in rig.numbers.accessibleName()
    at = [rig.add.itemText(i) for i in range(rig.add.count())].index("rotator")
    rig.add.activated.emit(at)
    assert stage.session.rig.rotator.name == "my rotator" and rig.current == "rotator"
    stage.session.edits.undo()
    stage.session.edits.undo()
    assert stage.session.rig.guider is not None and stage.session.rig.rotator is None


def test_any_part_missing_still_gives_all_that_it_can(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    for part in parts_of(stage.session.rig):
        if part.key not in ("site", "frames"):
            stage.session.edits.without(part.key)
            stage.settle()
            assert part.key not in [p.key for p in parts_of(stage.session.rig)]
    assert "No parts yet" in rig.about.text
    assert len(rig.muster.lines) >= 3
    for name in ("Targets", "Night", "Watch"):
        stage.workspace(name)


def test_devices_are_worked_by_hand(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("focuser")
    assert rig.hand.controls["connect"].isEnabled() and not rig.hand.controls["to"].isEnabled()
    assert rig.hand.controls["to"].toolTip() == "not connected"
    connected(stage)
    rig.hand.controls["+10"].click()
    assert asked(stage) == {"device": "focuser", "action": "by", "steps": 10}
    rig.choose("mount")
    rig.hand.controls["north"].click()
    assert asked(stage) == {
        "device": "mount", "action": "nudge", "direction": "north", "rate": 64.0, "seconds": 1.0,
    }  # fmt: skip
    rig.choose("camera")
    rig.hand.controls["take"].click()
    assert asked(stage) == {"device": "camera", "action": "take", "exposure_s": 2.0, "binning": 1}
    rig.hand.controls["cool"].click()
    assert "set_point_c: '' is not a number" in rig.hand.told.text(), "nothing typed, nothing asked"


def test_every_control_of_every_device_asks_for_what_it_says(stage: Stage) -> None:
    """On a rig with every kind of device; the values typed are those that the keeper takes."""
    full = load(Rig, demo_file("stork-1600.json"))
    stage.session.edits.edit_all(
        {(k,): getattr(full, k) for k in Rig.model_fields if k not in ("id", "name", "site")}, "all of it"
    )
    connected(stage)
    rig = stage.workspace("Rig")
    typed = {
        "exposure_s": "3", "binning": "2", "set_point_c": "-5", "position": "20000", "steps": "-15",
        "ra": "05 16", "dec": "+34", "angle_deg": "45", "degrees": "5", "step": "7", "percent": "30",
        "within_deg": "2", "reach_px": "4",
    }  # fmt: skip
    tried: set[tuple[str, str]] = set()
    for part in parts_of(full):
        if not part.device or not DEVICE_KINDS[part.device].actions:
            continue
        rig.choose(part.key)
        places = [each.place for each in rig.hand.findChildren(GoTo)]
        for line in rig.hand.findChildren(TextLine):
            if line in places or isinstance(line, ValueField):
                line.setText("05 16 +34" if line in places else line.text())
                continue
            name = next(v for v in typed if line.accessibleName().endswith(v.replace("_", " ")))
            line.setText(typed[name])
        for name, made in list(rig.hand.controls.items()):
            ways = 3 if name == "go there" else 1
            for way in range(ways if made.isEnabled() else 0):
                if name == "go there":
                    choices = rig.hand.findChild(GoTo).choices
                    choices.centred.setChecked(way > 0)
                    choices.at_angle.setChecked(way > 1)
                made.click()
                values = dict(asked(stage))
                device, action = values.pop("device"), values.pop("action")
                known = {v.name for v in find_action(device, action).values}
                assert device == part.device and values.keys() == known - (
                    {"within_deg"} if ways > 1 else set()
                )
                check_limits(full, device, action, values)
                tried.add((device, action))
    wanted = {(device, action.name) for device, kind in DEVICE_KINDS.items() for action in kind.actions}
    assert tried >= wanted


@pytest.mark.parametrize(
    ("path", "typed", "value"),
    [
        ("mount.flip.earliest_min", "1.5°", 6.0),
        ("mount.flip.latest_min", "0h18m", 18.0),
        ("mount.flip.latest_min", "12 min", 12.0),
        ("mount.flip.latest_min", "none", None),
        ("site.latitude_deg", "47 30 00", 47.5),
        ("site.longitude_deg", "14.5", 14.5),
        ("mount.hand_rates", "1, 16; 200", [1.0, 16.0, 200.0]),
        ("camera.lights.gain", "", None),
        ("focuser.lowest", "-5", -5),
    ],
)
def test_values_as_people_write_them(stage: Stage, path: str, typed: str, value: Any) -> None:
    rig = stage.workspace("Rig")
    where = path_of(path)
    rig.choose(str(where[0]))
    row = rig.editor.rows[where]
    row.input.setFocus()
    row.input.selectAll()
    stage.qtbot.keyClick(row.input, Qt.Key.Key_Delete)
    stage.qtbot.keyClicks(row.input, typed)
    stage.press(Qt.Key.Key_Return)
    assert value_at(stage.session.rig, where) == value, rig.editor.problem.text()
    if path == "mount.flip.earliest_min":
        assert row.unit.text() == "min · 1.5°", "both are shown"


def test_what_a_device_cannot_do_is_disabled_with_the_reason(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("camera")
    connected(stage, report("camera", cannot={"cool": "it has no cooler", "warm": "it has no cooler"}))
    assert not rig.hand.controls["cool"].isEnabled()
    assert rig.hand.controls["cool"].toolTip() == "it has no cooler"
    assert "can't cool: it has no cooler" in rig.hand.cannot.text()
    fault = report("camera", "fault", fault="camera: connect not done within 30 s", advice="check its cable")
    connected(stage, fault)
    assert "check its cable" in rig.hand.cannot.text() and rig.hand.controls["connect"].isEnabled()


def test_while_a_night_runs_devices_are_free_in_a_hold_only(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("focuser")
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 1))
    connected(stage)
    assert rig.hand.controls["to"].toolTip() == "a night runs: hold it first"
    assert rig.hand.controls["stop"].isEnabled()


def test_how_it_went_is_told_beside_the_control(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.choose("focuser")
    connected(stage)
    values = {
        "id": "x",
        "at": stage.session.now,
        "device": "focuser",
        "action": "to",
        "words": "focuser to 1",
    }
    stage.session.deed_told.emit(Deed(**values, stage=Stage_.BEGUN))
    assert rig.hand.told.text() == "focuser to 1 …"
    stage.session.deed_told.emit(Deed(**values, stage=Stage_.DONE, reason="at 1"))
    assert rig.hand.told.text() == "at 1"
    stage.session.deed_told.emit(Deed(**values, stage=Stage_.FAILED, reason="focuser: stalled"))
    assert rig.hand.told.text() == "focuser: stalled" and rig.hand.told.property("role") == "fault"
    ask = Ask(id="id", command=Command.DEVICE, values={"device": "focuser"})
    rig.hand.controls["by"].click() if "by" in rig.hand.controls else None
    stage.session.device("focuser", "to", position=99999)
    stage.bridge.answered.emit(
        ask, Answer(id="id", taken=False, reason="focuser: position 99999 is not possible")
    )
    assert "not possible" in rig.hand.told.text()


def test_muster_leads_to_the_field_and_offers_a_remedy(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    assert rig.muster.quiet.isVisible() and "Nothing is wrong" in rig.muster.quiet.text()
    connected(stage, report("camera", figures={"camera.pixel_um": 3.8}), report("heaters", "not connected"))
    words = [line.finding.words for line in rig.muster.lines]
    assert (
        words[0].startswith("The camera reports pixel 3.8 µm") and words[1] == "The heaters aren't connected."
    )
    rig.choose("mount")
    rig.muster.lines[0].setFocus()
    stage.press(Qt.Key.Key_Return)
    assert rig.current == "camera" and rig.editor.rows[("camera", "pixel_um")].input.hasFocus()
    rig.muster.remedies[0].click()
    assert stage.session.rig.camera.pixel_um == 3.8
    rig.muster.remedies[0].click()
    assert asked(stage) == {"device": "heaters", "action": "connect"}
    inner = ("wheel", "sets", 1, "filters", 1, "focus_offset_steps")
    rig.go_to_finding(Finding(inner, ""))
    assert rig.editor.rows[inner].input.hasFocus(), "through two lists"


def test_what_contradicts_tonights_plan_is_listed(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    add_target(stage.plan, "low", 10.0, -40.0)
    assert any("low rises to 3° at most" in line.finding.words for line in rig.muster.lines)


def test_a_value_that_waits_for_the_nights_end_looks_different(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    upto = stage.told.upto(Kind.EXPOSURE_STARTED, 1)
    stage.at(upto)
    stage.session.rig_words = "when the night is over: telescope · focal length"
    status = stage.told.statuses[upto - 1].model_copy(update={"deferred": ["telescope.focal_length_mm"]})
    stage.bridge.status_came.emit(status)
    assert stage.window.current is not rig
    stage.workspace("Rig")
    row = rig.editor.rows[("telescope", "focal_length_mm")]
    assert row.input.property("state") == "waiting" and row.unit.text() == "later"
    assert "when the night is over: telescope · focal length" in rig.waits.text


def test_the_horizon_is_drawn_by_mouse_and_keys(stage: Stage, tmp_path: Path) -> None:
    rig = stage.workspace("Rig")
    rig.choose("site")
    drawn, site = rig.horizon.drawn, lambda: stage.session.rig.site.horizon
    at = drawn.place(site()[4].altitude_deg, site()[4].azimuth_deg).toPoint()
    to = drawn.place(35.0, site()[4].azimuth_deg).toPoint()
    stage.qtbot.mousePress(drawn, Qt.MouseButton.LeftButton, pos=at)
    stage.qtbot.mouseMove(drawn, to)
    drawn.mouseMoveEvent(mouse_at(to))
    stage.qtbot.mouseRelease(drawn, Qt.MouseButton.LeftButton, pos=to)
    assert site()[4].altitude_deg == pytest.approx(35, abs=0.6)
    stage.press(Qt.Key.Key_Z, control=True)
    assert site()[4].altitude_deg == 21
    drawn.setFocus()
    stage.qtbot.keyClick(drawn, Qt.Key.Key_Up)
    assert site()[4].altitude_deg == 22
    count = len(site())
    stage.qtbot.keyClick(drawn, Qt.Key.Key_Delete)
    assert len(site()) == count - 1
    (tmp_path / "trees.csv").write_text("azimuth,altitude\n0,10\n90;25\n180 30\n")
    rig.horizon.import_file(tmp_path / "trees.csv")
    assert [(p.azimuth_deg, p.altitude_deg) for p in site()] == [(0, 10), (90, 25), (180, 30)]
    (tmp_path / "bad.csv").write_text("0,10\n90,oak\n")
    rig.horizon.import_file(tmp_path / "bad.csv")
    assert "line 2: '90,oak' is not an azimuth and an altitude" in rig.horizon.told.text and len(site()) == 3


def test_two_rigs_compared(stage: Stage, tmp_path: Path) -> None:
    rig = stage.workspace("Rig")
    stage.session.rigs = Rigs(tmp_path / "rigs", [demo_file("stork-1600.json")])
    rig.rigs.refresh()
    rig.rigs.compare_with.click()
    rows = rig.compare.table.rows
    assert ("focal length", "480 mm", "1600 mm", True) in rows
    assert (
        next(differ for name, _, _, differ in rows if name == "image scale")
        and "values differ" in rig.compare.count.text
    )
    assert "focal length\t480 mm\t1600 mm" in rig.compare.table.copy_text()
    rig.compare.done.click()
    assert rig.pages.currentIndex() == 0


def test_rigs_are_made_renamed_exchanged_and_deleted(stage: Stage, tmp_path: Path) -> None:
    rig = stage.workspace("Rig")
    stage.session.rigs = rigs = Rigs(tmp_path / "rigs")
    opened: list[str] = []
    stage.session.another_rig.connect(opened.append)
    rig.rigs.refresh()
    rig.rigs.new.click()
    assert rig.rigs.name.text() == "Heron 480 copy"
    stage.press(Qt.Key.Key_Return)
    assert opened == ["heron-480-copy"] and rigs.load("heron-480-copy").name == "Heron 480 copy"
    rig.rigs.new.click()
    rig.rigs.come_from.setCurrentText("what is connected now")
    connected(
        stage, report("guide camera", "not connected"), report("camera", figures={"camera.pixel_um": 3.8})
    )
    rig.rigs.name.setText("As it stands")
    rig.rigs.make.click()
    made = rigs.load("as-it-stands")
    assert made.guider is None and made.camera is not None and made.camera.pixel_um == 3.8
    rig.rigs.rename.click()
    rig.rigs.name.setText("Heron at the hut")
    rig.rigs.make.click()
    assert stage.session.rig.name == "Heron at the hut" and "hut" in stage.window.place.text()
    rig.rigs.export_to(tmp_path / "out.json")
    (tmp_path / "bad.json").write_text(
        (tmp_path / "out.json").read_text().replace('"columns": 704', '"columns": "x"')
    )
    rig.rigs.import_file(tmp_path / "bad.json")
    assert "line" in rig.rigs.told.text and "camera.columns" in rig.rigs.told.text
    rig.rigs.remove.click()
    assert "an example" in rig.rigs.told.text
    rigs.save(stage.session.rig)
    rig.rigs.remove.click()
    assert stage.window.question.isVisible()
    stage.window.question.answers[1].click()
    assert not rigs.own_path("heron-480").exists() and rigs.deleted() == ["heron-480"]


def test_numbers_have_their_formula_on_hover(stage: Stage) -> None:
    numbers = stage.workspace("Rig").numbers
    assert "image scale 4.90″/px" in numbers.accessibleName()  # the quick rig's large pixels
    where = numbers.cell(0).center().toPoint()
    QApplication.sendEvent(numbers, QHelpEvent(QEvent.Type.ToolTip, where, numbers.mapToGlobal(QPoint(0, 0))))
    assert QToolTip.text().startswith("206264.8 · pixel / focal length")
    QToolTip.hideText()
    assert value_of(RigNumber("x", 4572.3, "frames", "", "")) == "4\u2009572 frames"
    assert value_of(RigNumber("x", 96.62, "µm", "", "")) == "96.6 µm"


def test_directions_on_the_polar_plot(stage: Stage) -> None:
    horizon = stage.workspace("Rig").horizon.drawn
    zenith, north, east = horizon.place(90, 0), horizon.place(0, 0), horizon.place(0, 90)
    assert north.y() < zenith.y() and abs(north.x() - zenith.x()) < 1e-6
    assert east.x() < zenith.x() and abs(east.y() - zenith.y()) < 1e-6  # as one sees it from below
    halfway = horizon.place(45, 0)
    assert abs((zenith.y() - halfway.y()) * 2 - (zenith.y() - north.y())) < 1e-6


def test_going_somewhere_by_hand_is_one_line_and_two_choices(stage: Stage) -> None:
    rig = stage.workspace("Rig")
    rig.hand.show_device("mount")
    go = rig.hand.findChild(GoTo)
    assert go is not None
    go.go.setEnabled(True)

    def asked(text: str) -> dict[str, object]:
        go.place.setText(text)
        go.go.click()
        return dict(stage.bridge.asked[-1][1])

    there = asked("M 31")
    assert (there["action"], there["reach_px"]) == ("centre", 4.0)
    assert float(str(there["ra"])) == pytest.approx(10.6848, abs=1e-3)
    go.choices.centred.click()
    assert asked("05 16 12 +34 27") == {
        "device": "mount", "action": "slew", "ra": "79.050000", "dec": "34.450000"
    }  # fmt: skip
    go.choices.angle.setText("33")
    stage.qtbot.keyClick(go.choices.angle, Qt.Key.Key_Return)
    go.choices.at_angle.setChecked(True)
    assert go.choices.centred.isChecked(), "an angle is brought about on solved frames"
    turned = asked("IC 405")
    assert (turned["action"], turned["angle_deg"]) == ("frame", 33.0)
    before = len(stage.bridge.asked)
    go.place.setText("NGC 22999")
    go.go.click()
    assert "no object is called" in rig.hand.told.text() and len(stage.bridge.asked) == before


def test_a_device_is_asked_by_name_from_the_command_bar(stage: Stage) -> None:
    stage.workspace("Watch")
    connected(stage)
    bar = stage.window.command_bar

    def type_and_enter(words: str) -> None:
        stage.press(Qt.Key.Key_K, control=True)
        stage.qtbot.keyClicks(bar.line, words)
        stage.qtbot.keyClick(bar.line, Qt.Key.Key_Return)

    type_and_enter("unpark")
    assert asked(stage) == {"device": "mount", "action": "unpark"}
    rig = stage.window.current
    assert (rig.name, rig.current, rig.hand.told.text()) == ("Rig", "mount", "unpark …")
    before = len(stage.bridge.asked)
    connected(stage, report("mount", cannot={"park": "it has no park"}))
    type_and_enter("mount: park")
    assert bar.rows.actions_found[0].hindrance() == "it has no park"
    assert bar.isVisible() and len(stage.bridge.asked) == before
