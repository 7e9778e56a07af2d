"""The plan's conditions, limits of blocks, several plans and the odds, in the Night workspace."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox

from tests.ui.conftest import Stage
from vigil.documents.messages import DeviceReport, Reports
from vigil.link.rehearsal import Odds
from vigil.planning.muster import Finding
from vigil.runtime.folders import plans_folder
from vigil.ui.fields import ValueField
from vigil.ui.night.conditionlist import ConditionRow
from vigil.ui.night.orderfields import OrderField
from vigil.ui.night.rehearsing import SEEDS


def row_of(stage: Stage, name: str) -> ConditionRow:
    night = stage.workspace("Night")
    night.text.all_conditions.setChecked(True)
    return next(made for made in night.text.conditions.rows if made.known.name == name)


def field_of(fields: list[OrderField], name: str) -> OrderField:
    return next(field for field in fields if field.name == name)


def type_in(stage: Stage, field: OrderField, text: str) -> None:
    assert isinstance(field.input, ValueField)
    field.input.setText(text)
    stage.qtbot.keyClick(field.input, Qt.Key.Key_Return)


def test_limits_are_edited_in_their_conditions(stage: Stage) -> None:
    plan = stage.session.plan
    dithered = row_of(stage, "dithered")
    every = field_of(dithered.fields, "dither_every_frames")
    for text, value in (("4", 4), ("", None), ("3 frames", 3), ("off", None)):
        type_in(stage, every, text)
        assert plan.plan.orders.dither_every_frames == value, text
    type_in(stage, every, "often")
    assert "dither_every_frames" in stage.workspace("Night").text.said.text()
    assert every.input.state == "wrong" and plan.plan.orders.dither_every_frames is None
    focus = row_of(stage, "focus fresh")
    anew = field_of(focus.fields, "focus_at_new_target")
    assert isinstance(anew.input, QCheckBox)
    anew.input.click()
    assert plan.plan.orders.focus_at_new_target and anew.back.isEnabled()
    anew.back.click()
    assert not plan.plan.orders.focus_at_new_target and not anew.back.isEnabled()


def test_conditions_are_switched_off_and_moved_but_not_against_reason(stage: Stage) -> None:
    plan, text = stage.session.plan, stage.workspace("Night").text
    heaters = row_of(stage, "heaters")
    heaters.on.click()
    assert [(c.name, c.off) for c in plan.plan.conditions] == [("heaters", True)]
    heaters.on.click()
    assert plan.plan.opening == []
    assert not row_of(stage, "tracking").on.isEnabled(), "a night relies on it"
    names = [made.known.name for made in text.conditions.rows]
    heaters.earlier.click()
    moved = [made.known.name for made in text.conditions.rows]
    assert moved.index("heaters") == names.index("heaters") - 1
    target = row_of(stage, "on target")
    for _ in range(3):
        target.earlier.click()
    assert "stands before" in text.said.text()
    plan.undo()
    assert [made.known.name for made in text.conditions.rows] == names or plan.undoable


def test_a_condition_says_which_of_its_devices_is_not_there(stage: Stage) -> None:
    focus = row_of(stage, "focus fresh")
    here = [DeviceReport(name=name, lamp="ready") for name in ("focuser", "camera", "filter wheel")]
    stage.session.take_news([Reports(at=stage.session.now, devices=here)])
    assert focus.missing.isHidden()
    gone = DeviceReport(name="focuser", lamp="not connected")
    stage.session.take_news([Reports(at=stage.session.now, devices=[gone, *here[1:]])])
    assert focus.missing.text() == "focuser not connected" and not focus.missing.isHidden()
    assert "focuser not connected" in focus.headline.toolTip()


def test_a_block_has_limits_of_its_own(stage: Stage) -> None:
    plan, text = stage.session.plan, stage.workspace("Night").text
    (block,) = text.blocks
    block.more.setChecked(True)
    block.limits.more.setChecked(True)
    every = field_of(block.limits.fields, "focus_every_min")
    assert not every.back.isEnabled()
    type_in(stage, every, "45")
    assert plan.plan.blocks[0].limits == {"focus_every_min": 45.0} and every.back.isEnabled()
    assert block.own.text() == "this block's own limits: focus fresh every 45 min"
    plan.edit_orders("else", focus_every_min=30.0)
    assert plan.plan.blocks[0].orders_in(plan.plan.orders).focus_every_min == 45.0
    every.back.click()
    assert plan.plan.blocks[0].limits == {} and block.own.isHidden()


def test_blocks_and_lines_once_more(stage: Stage) -> None:
    plan, text = stage.session.plan, stage.workspace("Night").text
    text.blocks[0].double.click()
    first, second = plan.plan.blocks
    assert second.target == first.target and second.id != first.id
    assert not {x.id for x in first.lines} & {x.id for x in second.lines}
    line = text.blocks[0].lines[0]
    line.double.click()
    lines = plan.plan.blocks[0].lines
    assert len(lines) == 3 and lines[1].words == lines[0].words and lines[1].id != lines[0].id
    text.blocks[0].lines[0].later.click()
    assert [x.id for x in plan.plan.blocks[0].lines][:2] == [lines[1].id, lines[0].id]


def test_several_plans_each_with_its_own_undo(stage: Stage, tmp_path: Path) -> None:
    night, plan = stage.workspace("Night"), stage.session.plan
    night.plans._plans.folder = tmp_path / "plans"
    first = plan.plan.name
    plan.edit_orders("dithering", dither_every_frames=5)

    def choose(words: str) -> None:
        night.plans.refresh()
        at = next(n for n in range(night.plans.count()) if words in night.plans.itemText(n))
        night.plans.activated.emit(at)

    choose("New plan")
    assert plan.plan.name == "New plan" and plan.plan.blocks == [] and not plan.undoable
    assert night.pictures.currentWidget() is night.empty
    night.title.setText("For the spring")
    stage.qtbot.keyClick(night.title, Qt.Key.Key_Return)
    assert plan.plan.name == "For the spring" and plan.undoable
    choose(f"Open “{first}”")
    assert plan.plan.name == first and plan.plan.orders.dither_every_frames == 5
    assert plan.undoable == "dithering"
    choose("Duplicate")
    assert plan.plan.name == f"{first} 2"
    choose("Delete “For the spring”")
    assert (tmp_path / "plans" / "deleted").exists()
    assert plans_folder("x").name == "plans"


def test_odds_stand_in_the_bars_until_the_plan_changes(stage: Stage) -> None:
    night = stage.workspace("Night")
    for line in ("ic405-ha", "ic405-l"):
        stage.session.plan.edit_line("ic405", line, count=60)
    odds = Odds(SEEDS, {"ic405-ha": 0.85, "ic405-l": 1.0})
    night.rehearsing.asked_last = "odds"
    night.rehearsing._weighed(stage.session.plan.plan, "clouds at two", odds)
    assert "complete in 85 %" in night.rehearsed.text and night.picture.odds["ic405-ha"] == 0.85
    with_odds = night.picture.grab().toImage()
    night.rehearsing.forget()
    assert night.picture.odds == {} and night.picture.grab().toImage() != with_odds
    night.rehearsing._weighed(stage.session.plan.plan, "clear", odds)
    stage.session.plan.edit_orders("dithering", dither_every_frames=5)
    assert night.picture.odds == {} and night.rehearsed.text.startswith("as the plan was")


def test_the_scenario_belongs_to_the_plan(stage: Stage) -> None:
    night, plan = stage.workspace("Night"), stage.session.plan
    other = night.scenario.itemText(1)
    night.scenario.activated.emit(1)
    assert plan.plan.rehearse_under == other and night.scenario.currentText() == other
    plan.undo()
    assert plan.plan.rehearse_under == "" and night.scenario.currentText() == "clear"


def test_a_finding_leads_to_the_limit_that_it_is_about(stage: Stage) -> None:
    night = stage.workspace("Night")
    night._go_to_finding(Finding(("orders", "target_reach_px"), "x", doubt=True))
    reach = field_of(row_of(stage, "on target").fields, "target_reach_px")
    assert reach.input.hasFocus()
