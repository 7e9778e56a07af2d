"""Editing the plan: in place, with undo; what is wrong is marked; nothing is lost."""

from datetime import time, timedelta
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QGuiApplication

from campaigns.demo import demo_plan, demo_rig, short_plan
from tests.ui.conftest import Stage
from tests.ui.planned import add_target
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Ask, Command
from vigil.documents.pattern import Patterns
from vigil.documents.plan import NightPlan, Span
from vigil.documents.scenario import Scenario
from vigil.documents.shelf import Framed, Framing
from vigil.documents.store import dump, load
from vigil.link.rehearsal import NotRehearsed, rehearse_apart
from vigil.planning.patterns import of_block
from vigil.ui.fields import ValueField
from vigil.ui.night import rehearsing
from vigil.ui.planmodel import PlanModel


def model(path: Path | None = None) -> PlanModel:
    return PlanModel(demo_rig(), demo_plan(), path)


def test_each_change_can_be_undone_and_is_saved(tmp_path: Path) -> None:
    plan = model(tmp_path / "plan.json")
    first = plan.plan
    block = add_target(plan, "NGC 1893", 80.72, 33.41)
    assert block.id == "ngc1893" and [x.id for x in block.lines] == ["ngc1893-ha", "ngc1893-l"]
    plan.edit_line("ngc1893", "ngc1893-ha", count=5, exposure_s=240.0)
    line_id = plan.add_line("ngc1893")
    assert plan.block("ngc1893").lines[-1].filter == "R" and line_id == "ngc1893-r"
    plan.remove_line("ngc1893", "ngc1893-l")
    plan.move_block("ngc1893", -1)
    assert [b.id for b in plan.plan.blocks] == ["ngc1893", "ic405"]
    assert load(NightPlan, tmp_path / "plan.json") == plan.plan
    last = plan.plan
    while plan.undoable:
        plan.undo()
    assert plan.plan == first == load(NightPlan, tmp_path / "plan.json")
    while plan.redoable:
        plan.redo()
    assert plan.plan == last


def test_a_plan_may_become_empty_and_be_filled_again(tmp_path: Path) -> None:
    plan = model(tmp_path / "plan.json")
    plan.remove_line("ic405", "ic405-ha")
    plan.remove_line("ic405", "ic405-l")  # the last line takes its block with it
    assert plan.plan.blocks == [] and "no target" in plan.contradictions()[0]
    assert load(NightPlan, tmp_path / "plan.json").blocks == []
    block = add_target(plan, "M 1", 83.63, 22.02)
    assert block.lines[0].filter == "L" and plan.contradictions() == []
    second = add_target(plan, "M 1", 83.63, 22.02)
    assert second.id == "m1-2" and len({x.id for b in plan.plan.blocks for x in b.lines}) == 2


def test_bad_values_are_refused_with_what_would_be_right() -> None:
    plan = model()
    with pytest.raises(ValueError, match="count: must be at least 1"):
        plan.edit_line("ic405", "ic405-ha", count=0)
    with pytest.raises(ValueError, match="has no filter 'Q': L, R, G"):
        plan.edit_line("ic405", "ic405-ha", filter="Q")
    plan.lock("the night runs by this plan")
    with pytest.raises(ValueError, match="the night runs"):
        plan.add_line("ic405")
    assert plan.plan == demo_plan() and not plan.undoable


def test_a_plan_that_cannot_be_saved_says_so(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    plan = model(tmp_path / "file" / "plan.json")
    add_target(plan, "M 1", 83.63, 22.02)
    assert "can't be saved" in plan.save_problem and len(plan.plan.blocks) == 2


def test_a_line_is_edited_where_it_stands(stage: Stage) -> None:
    night = stage.workspace("Night")
    row = night.text.blocks[0].lines[0]
    row.count.setFocus()
    row.count.selectAll()
    stage.qtbot.keyClicks(row.count, "12")
    assert row.count.state == "pending" and stage.plan.plan.blocks[0].lines[0].count == 3
    stage.qtbot.keyClick(row.count, Qt.Key.Key_Return)
    assert row.count.state == "" and stage.plan.plan.blocks[0].lines[0].count == 12
    assert night.picture.session.plan_ahead().frames == 15
    stage.press(Qt.Key.Key_Z, control=True)
    assert stage.plan.plan.blocks[0].lines[0].count == 3


def test_a_wrong_value_is_marked_and_the_last_good_one_stays(stage: Stage) -> None:
    night = stage.workspace("Night")
    row = night.text.blocks[0].lines[1]
    row.exposure.setFocus()
    row.exposure.selectAll()
    stage.qtbot.keyClicks(row.exposure, "9999")
    stage.qtbot.keyClick(row.exposure, Qt.Key.Key_Return)
    assert row.exposure.state == "wrong" and "up to 3600" in night.text.said.text()
    assert stage.plan.plan.blocks[0].lines[1].exposure_s == 60
    stage.qtbot.keyClick(row.exposure, Qt.Key.Key_Escape)
    assert row.exposure.text() == "60" and row.exposure.state == "" and not night.text.said.text()
    row.exposure.selectAll()
    stage.qtbot.keyClicks(row.exposure, "90,5")  # leaving the field puts it in force
    row.count.setFocus()
    assert stage.plan.plan.blocks[0].lines[1].exposure_s == 90.5


def test_the_night_says_what_it_will_come_to(stage: Stage) -> None:
    night = stage.workspace("Night")
    assert night.summary.text.startswith("6 frames, 6:00 of exposure · first frame 18:16 · ends 18:")
    stage.plan.edit_line("ic405", "ic405-l", count=999)
    finding = next(line for line in night.muster.lines if "lost" in line.finding.words)
    assert "of 999 L 60 s frames of IC 405 lost: the span of IC 405 has closed" in finding.finding.words
    assert not night.muster_area.isHidden()
    stage.qtbot.mouseClick(finding, Qt.MouseButton.LeftButton)
    assert night.picture.chosen_block == "ic405"
    stage.plan.edit_block("ic405", "x", span={"hour_angle_from_h": 11})
    never = next(line for line in night.muster.lines if "never opens" in line.finding.words)
    stage.qtbot.mouseClick(never, Qt.MouseButton.LeftButton)
    assert not night.text.blocks[0].details.isHidden()
    stage.plan.remove_block("ic405")
    assert night.pictures.currentWidget() is night.empty and not night.start.isEnabled()
    stage.qtbot.mouseClick(night.find_target, Qt.MouseButton.LeftButton)
    assert stage.window.current.name == "Targets"


def answer(stage: Stage, command: Command, reason: str, taken: bool = True) -> dict[str, Any]:
    """The keeper's answer to the last thing asked, which must have been this."""
    asked, values = stage.bridge.asked[-1]
    assert asked is command
    stage.bridge.answered.emit(
        Ask(id="id", command=command, values=values), Answer(id="id", taken=taken, reason=reason)
    )
    return values


def test_while_the_night_runs_edits_are_sent_and_say_from_when_they_are_in_force(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    night = stage.workspace("Night")
    row = night.text.blocks[0].lines[0]
    assert "in force from its next decision on" in night.locked.text()
    assert row.done.text() == "2 done" and not night.start.isVisible()
    assert row.count.isEnabled() and not row.exposure.isEnabled(), "frames are taken with that already"
    stage.plan.edit_line("ic405", "ic405-ha", count=5)
    sent = answer(stage, Command.PLAN, "count 3 → 5: after the frame under way, at 18:20")
    assert sent["plan"]["blocks"][0]["lines"][0]["count"] == 5
    assert "at 18:20" in night.locked.text() and stage.plan.plan.blocks[0].lines[0].count == 5
    stage.plan.edit_line("ic405", "ic405-ha", count=7)
    answer(stage, Command.PLAN, "the keeper would rather not", taken=False)
    assert stage.plan.plan.blocks[0].lines[0].count == 5 and "rather not" in night.locked.text()
    assert len([c for c, _ in stage.bridge.asked if c is Command.PLAN]) == 2
    stage.at(len(stage.told.events))
    assert "6 of 6" in night.summary.text and not night.locked.text()


def test_a_plan_that_is_done_says_so_while_the_night_closes(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.CLOSING_STARTED))
    night = stage.workspace("Night")
    assert night.summary.text == "All frames are taken"


def test_a_plan_changed_elsewhere_appears_on_the_desk(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    plan = stage.told.plan
    lines = [line.model_copy(update={"count": 9}) for line in plan.blocks[0].lines]
    other = plan.model_copy(update={"blocks": [plan.blocks[0].model_copy(update={"lines": lines})]})
    last = stage.told.events[stage.told.upto(Kind.FRAME_MEASURED, 2) - 1]
    values = {"plan": dump(other), "wanted": other.wanted}
    changed = last.model_copy(update={"id": last.id + 1, "kind": Kind.PLAN_CHANGED, "values": values})
    asked = len(stage.bridge.asked)
    stage.bridge.told.emit([changed])
    assert stage.plan.plan.blocks[0].lines[0].count == 9 and stage.session.record.tally == (2, 18)
    assert len(stage.bridge.asked) == asked, "what the keeper told is not asked of it again"


def test_a_block_is_done_next_or_left_while_the_night_runs(stage: Stage) -> None:
    block = stage.workspace("Night").text.blocks[0]
    assert block.next.isHidden() and block.skip.isHidden() and not block.go.isHidden()
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    stage.workspace("Night")
    for tool, command in ((block.next, Command.NEXT), (block.skip, Command.SKIP)):
        assert not tool.isHidden()
        stage.qtbot.mouseClick(tool, Qt.MouseButton.LeftButton)
        assert answer(stage, command, "it is, after the frame") == {"block": "ic405"}
        assert stage.workspace("Night").locked.text() == "it is, after the frame"


def test_the_span_is_edited_in_place(stage: Stage) -> None:
    block = stage.workspace("Night").text.blocks[0]
    details = block.details
    assert details.isHidden()
    block.more.setChecked(True)
    assert not details.isHidden()

    def span() -> Span:
        return stage.plan.plan.blocks[0].span

    def put(field: ValueField, text: str) -> None:
        field.setText(text)
        field.commit()

    put(details.altitude, "31")
    put(details.dusk_min, "−20")
    put(details.from_clock, "9:05")
    put(details.until_clock, "23:30")
    put(details.apart, "40°")
    put(details.lit, "60")
    put(details.hour_until, "2.5")
    details.moon.setCurrentIndex(2)
    details.moon.activated.emit(2)
    details.dawn.activated.emit(1)
    details.order.activated.emit(1)
    stage.qtbot.mouseClick(details.overrun, Qt.MouseButton.LeftButton)
    assert (span().minimum_altitude_deg, span().opens.minutes, span().closes.moment) == (31, -20, "nautical")
    assert (span().from_clock, span().until_clock) == (time(9, 5), time(23, 30))
    assert (span().moon, span().moon_apart_deg, span().moon_percent_at_most) == ("down", 40, 60)
    assert span().hour_angle_until_h == 2.5 and span().may_overrun
    assert stage.plan.plan.blocks[0].order == "in turn"
    put(details.from_clock, "late")
    assert details.from_clock.state == "wrong" and span().from_clock == time(9, 5)
    put(details.hour_from, "3")
    assert details.hour_from.state == "wrong", "it would end before it begins"
    put(details.from_clock, "")
    assert span().from_clock is None


def test_edges_and_bars_are_dragged(stage: Stage) -> None:
    night = stage.workspace("Night")
    add_target(stage.plan, "NGC 1499", 60.2, 36.37)
    stage.settle()
    picture = night.picture
    top = picture._bars_top(picture.curve_rect()) + 26

    def drag(begin: tuple[float, float], end: tuple[float, float]) -> None:
        one, other = (QPointF(*p).toPoint() for p in (begin, end))
        stage.qtbot.mouseMove(picture, pos=one)
        stage.qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=one)
        stage.qtbot.mouseMove(picture, pos=other)
        stage.qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=other)

    block = stage.plan.plan.blocks[0]
    edges = picture._edges(block)
    assert edges is not None
    wanted = picture.moment_at(edges[0]) + timedelta(hours=3)
    drag((edges[0], top), (picture.x(wanted), top))
    begins = stage.plan.plan.blocks[0].span.from_clock
    assert begins is not None and begins.minute % 5 == 0 and begins.hour == 21
    assert "from 21:" in stage.plan.undoable
    drag((edges[0] + 40, top), (edges[0] + 42, top))
    assert [b.id for b in stage.plan.plan.blocks] == ["ic405", "ngc1499"], "a trembling click is no drag"
    drag((edges[0] + 40, top), (edges[0] + 40, top + 46))
    assert [b.id for b in stage.plan.plan.blocks] == ["ngc1499", "ic405"]


def test_a_blocks_target_is_swapped_and_its_lines_kept(stage: Stage) -> None:
    block = stage.workspace("Night").text.blocks[0]
    lines = stage.plan.plan.blocks[0].lines
    block.details.target.setText("NGC 1893")
    block.details.target.commit()
    swapped = stage.plan.plan.blocks[0]
    assert swapped.target.name == "NGC 1893" and swapped.target.ra_deg == pytest.approx(80.7, abs=0.2)
    assert swapped.lines == lines and block.name.text == "NGC 1893"
    block.details.target.setText("NGC 99999")
    block.details.target.commit()
    assert block.details.target.state == "wrong" and stage.plan.plan.blocks[0].target.name == "NGC 1893"


def test_patterns_are_kept_and_put_in(stage: Stage, own_folders: Path) -> None:
    night = stage.workspace("Night")
    patterns = night.patterns
    patterns._patterns = Patterns(own_folders / "patterns")

    def take(begins: str) -> None:
        patterns.refresh()
        index = next(i for i in range(patterns.count()) if patterns.itemText(i).startswith(begins))
        patterns.activated.emit(index)

    take("Keep the block IC 405")
    assert "“IC 405” is kept in" in night.locked.text()
    take("Keep the lines of IC 405")
    take("Insert “IC 405”")
    assert [b.id for b in stage.plan.plan.blocks] == ["ic405", "ic405-2"]
    assert stage.plan.undoable == "putting in IC 405"
    stage.plan.undo()
    take("Insert “IC 405, lines” into IC 405")
    assert len(stage.plan.plan.blocks[0].lines) == 4


def test_a_pattern_goes_onto_a_target_of_the_shelf(stage: Stage, own_folders: Path) -> None:
    night, plan = stage.workspace("Night"), stage.session.plan
    night.patterns._patterns = Patterns(own_folders / "patterns")
    night.patterns._patterns.keep(of_block(plan.plan.blocks[0], "My lines", lines_only=True))
    framing = Framing(ra_deg=150.0, dec_deg=69.0, position_angle_deg=33.0)
    framed = Framed(id="m81", name="M 81", framing=framing)
    wide = framed.model_copy(update={"id": "two", "framing": framing.model_copy(update={"columns": 2})})
    night.patterns._shelf = lambda: [wide, framed]
    night.patterns.refresh()
    texts = [night.patterns.itemText(n) for n in range(night.patterns.count())]
    assert [t for t in texts if t.startswith("New block")] == ["New block: “My lines” on M 81"]
    night.patterns.activated.emit(texts.index("New block: “My lines” on M 81"))
    added = plan.plan.blocks[-1]
    assert (added.target.name, added.target.position_angle_deg) == ("M 81", 33.0)
    assert [x.words for x in added.lines] == [x.words for x in plan.plan.blocks[0].lines]


def test_steps_are_added_edited_ordered_and_removed(stage: Stage) -> None:
    text = stage.workspace("Night").text

    def rows() -> list[ValueField]:
        return text.opening.fields

    text.opening.add.activated.emit(1)
    text.opening.add.activated.emit(2)
    assert [s.kind for s in stage.plan.plan.opening] == ["ask", "wait"]
    rows()[1].setText("sun at −12°")
    rows()[1].commit()
    assert stage.plan.plan.opening[1].sun_altitude_deg == -12  # type: ignore[union-attr]
    rows()[0].setText("ready? · 5 days")
    rows()[0].commit()
    assert rows()[0].state == "wrong" and "neither a time in min" in text.said.text()
    text.opening._earlier(stage.plan.plan.opening[1])  # type: ignore[arg-type]
    assert [s.kind for s in stage.plan.plan.opening] == ["wait", "ask"]
    stage.plan.put_opening_steps([])
    assert stage.plan.plan.opening == [] and stage.plan.undoable == "the opening's steps"
    text.blocks[0].steps.add.activated.emit(4)
    assert stage.plan.plan.blocks[0].steps[0].words == "test exposure L 10 s"
    text.closing.add.activated.emit(2)
    assert stage.plan.plan.closing[0].words == "run /usr/bin/true"


def test_the_plan_as_text(stage: Stage) -> None:
    night = stage.workspace("Night")
    stage.qtbot.mouseClick(night.copy, Qt.MouseButton.LeftButton)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert "10 min before astronomical dusk to astronomical dawn, above 25°" in clipboard.text()
    assert "Ha 3 × 60 s" in clipboard.text()


def test_choosing_in_the_picture_and_in_the_text_is_one(stage: Stage) -> None:
    night = stage.workspace("Night")
    add_target(stage.plan, "NGC 1499", 60.2, 36.37)
    stage.settle()
    night.text.blocks[1].lines[0].count.setFocus()
    assert night.picture.chosen_block == "ngc1499"
    picture = night.picture
    y = int(picture.curve_rect().bottom()) + 50
    stage.qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=picture.rect().topLeft().__class__(200, y))
    assert picture.chosen_block == "ic405"


def test_a_block_has_its_own_cold_and_can_be_gone_to(stage: Stage) -> None:
    night = stage.workspace("Night")
    (text,) = night.text.blocks
    assert text.set_point.text() == "" and text.set_point.placeholderText() == "−10"
    text.set_point.setText("−15")
    stage.qtbot.keyClick(text.set_point, Qt.Key.Key_Return)
    assert stage.session.plan.plan.blocks[0].set_point_c == -15.0
    text.set_point.setText("-80")
    stage.qtbot.keyClick(text.set_point, Qt.Key.Key_Return)
    assert stage.session.plan.plan.blocks[0].set_point_c == -15.0 and "camera at" in night.text.said.text()
    text.set_point.setText("")
    stage.qtbot.keyClick(text.set_point, Qt.Key.Key_Return)
    assert stage.session.plan.plan.blocks[0].set_point_c is None
    text.go.click()
    command, values = stage.bridge.asked[-1]
    assert command is Command.DEVICE and values["action"] == "centre"
    assert float(values["ra"]) == pytest.approx(stage.session.plan.plan.blocks[0].target.ra_deg, abs=1e-5)


def test_the_night_is_rehearsed_over_the_plan(stage: Stage, monkeypatch: pytest.MonkeyPatch) -> None:
    night = stage.workspace("Night")
    plan, rig = stage.session.plan.plan, stage.session.rig
    events = list(rehearsed(plan, rig, Scenario(), 1, Path("unused")).events)
    asked: list[tuple[NightPlan, str | None]] = []

    def apart(plan: NightPlan, rig: object, scenario: str | None, **more: object) -> list[Event]:
        asked.append((plan, scenario))
        if scenario == "windy":
            raise NotRehearsed("it ended early")
        return events

    monkeypatch.setattr(rehearsing, "rehearse_apart", apart)
    night.rehearse.click()
    stage.qtbot.waitUntil(lambda: not night.rehearsing.busy, timeout=20_000)
    assert asked == [(plan, "clear")] and night.picture.rehearsal is not None
    assert night.rehearsed.text.startswith(f"Rehearsed, clear: {plan.wanted} of {plan.wanted} frames")
    night.scenario.setCurrentText("windy")
    night.rehearse.click()
    stage.qtbot.waitUntil(lambda: bool(night.rehearsing.problem), timeout=20_000)
    assert "ended early" in night.rehearsed.text
    line = plan.blocks[0].lines[0]
    stage.session.plan.edit_line(plan.blocks[0].id, line.id, count=line.count + 1)
    assert night.rehearsing.stale and night.picture.rehearsal is None, "another plan wants another rehearsal"
    stage.session.plan.undo()
    assert night.picture.rehearsal is not None
    night.forget.click()
    assert night.picture.rehearsal is None and night.rehearsed.text == ""


def test_a_rehearsal_runs_in_a_process_of_its_own() -> None:
    events = rehearse_apart(short_plan(count=1), demo_rig(), "clear", 1)
    assert events[-1].kind is Kind.NIGHT_OVER and events[-1].values["frames"] == 2
    with pytest.raises(NotRehearsed) as stopped:
        rehearse_apart(short_plan(count=1), demo_rig(), stopped=lambda: True)
    assert stopped.value.stopped


def test_lines_blocks_and_orders_are_edited_where_they_stand(stage: Stage) -> None:
    night, plan = stage.workspace("Night"), stage.session.plan
    (text,) = night.text.blocks
    row = text.lines[0]
    assert row.details.isHidden()
    row.more.click()
    assert not row.details.isHidden()
    row.lasts.click()
    assert plan.plan.blocks[0].lines[0].as_long_as_it_lasts and not row.count.isEnabled()
    assert "fit" in row.done.text()
    row.moon.setCurrentIndex(2)
    row.moon.activated.emit(2)
    assert plan.plan.blocks[0].lines[0].moon == "down"
    row.gain.setText("120")
    stage.qtbot.keyClick(row.gain, Qt.Key.Key_Return)
    row.binning.setText("7")
    stage.qtbot.keyClick(row.binning, Qt.Key.Key_Return)
    assert row.offset.placeholderText() == "30", "an empty field says what the rig has"
    row.offset.setText("30")
    stage.qtbot.keyClick(row.offset, Qt.Key.Key_Return)
    row.binning.setText("7")
    stage.qtbot.keyClick(row.binning, Qt.Key.Key_Return)
    line = plan.plan.blocks[0].lines[0]
    assert (line.gain, line.offset, line.binning) == (120, 30, 1) and "binning" in night.text.said.text()
    next(made for made in row.picks if made.text() == "300").click()
    assert plan.plan.blocks[0].lines[0].exposure_s == 300
    row.on.click()
    assert plan.plan.blocks[0].lines[0].off and row.done.text() == "off"
    text.on.click()
    assert plan.plan.blocks[0].off and "switched off" in night.trouble.text
    while plan.undoable:
        plan.undo()
    assert plan.plan.orders == model().plan.orders
    assert not plan.plan.blocks[0].off and not plan.plan.blocks[0].lines[0].off


def test_a_night_that_is_over_is_shown_without_a_forecast_until_the_next_noon(stage: Stage) -> None:
    stage.at(len(stage.told.events))
    night, session = stage.workspace("Night"), stage.session
    block = stage.plan.plan.blocks[0]
    assert session.run == "over" and session.plan_to_come() is None
    taken = [e for e in session.tonight.exposures if e.block == block.id]
    times = night.picture._times(block, session.plan_to_come())
    assert times[0][0] == taken[0].begins and times[-1][1] == taken[-1].ends
    last = stage.told.statuses[-1]
    stage.bridge.status_came.emit(last.model_copy(update={"at": last.at + timedelta(hours=20)}))
    stage.settle()
    ahead = session.plan_to_come()
    assert session.run == "ready" and not session.tonight.exposures
    assert ahead is not None and ahead.frames == stage.plan.plan.wanted and ahead.begins > last.at
