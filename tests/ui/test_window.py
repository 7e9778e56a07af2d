"""The window: keys, status line, questions, a keeper that dies."""

from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QByteArray, QPoint, QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractScrollArea, QMainWindow, QWidget
from pytestqt.qtbot import QtBot

from tests.ui.conftest import Stage, ToldNight
from vigil.documents.events import Kind
from vigil.documents.messages import Alarm, Answer, Ask, Command
from vigil.ui.actions import Action
from vigil.ui.app import kept_plan
from vigil.ui.linkstate import LinkState
from vigil.ui.screenroom import fit
from vigil.ui.theme import Light, theme
from vigil.ui.window import Window, settings_at
from vigil.ui.workspacerow import WORKSPACES


def test_workspaces_by_number_word_and_arrow(stage: Stage) -> None:
    for i, name in enumerate(WORKSPACES):
        stage.press(Qt.Key(Qt.Key.Key_1 + i), control=True)
        assert stage.window.current.name == stage.window.row.current == name
    row = stage.window.row
    stage.qtbot.mouseClick(row, Qt.MouseButton.LeftButton, pos=row.place_of("Targets").center().toPoint())
    assert stage.window.current.name == "Targets"
    row.setFocus()
    stage.qtbot.keyClick(row, Qt.Key.Key_Right)
    assert stage.window.current.name == "Night"


def test_a_name_may_be_typed_before_targets_is_built(stage: Stage) -> None:
    """Without a turn of the event loop between the keys: on a busy machine they all wait for it."""
    assert "Targets" not in stage.window.workspaces
    stage.press(Qt.Key.Key_F, control=True)
    for key in (Qt.Key.Key_M, Qt.Key.Key_Space, Qt.Key.Key_3, Qt.Key.Key_3):
        stage.press(key)
    assert stage.window.workspaces["Targets"].left.search.text().casefold() == "m 33"
    stage.settle()
    assert stage.window.workspaces["Targets"].left.search.text().casefold() == "m 33"


def test_the_window_is_made_to_fit_the_screen(stage: Stage) -> None:
    window = stage.window
    window.resize(1400, 900)
    room = QRect(0, 24, 1280, 690)
    fit(window, room)
    assert window.frameGeometry() == room, "smaller than its usual least height"
    fit(window, QRect(0, 0, 3000, 2000))
    assert window.frameGeometry() == room, "and no larger than it was"


def test_folding_and_the_whole_screen(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.press(Qt.Key.Key_F9)
    assert not watch.inspector.isVisible()
    stage.press(Qt.Key.Key_F9)
    assert watch.inspector.isVisible()
    stage.press(Qt.Key.Key_F11)
    assert not stage.window.ribbon.isVisible()
    assert stage.window.status.hold.minimumHeight() >= 40
    assert not watch.fit.isVisible(), "the picture has the room; keys do the same"
    stage.press(Qt.Key.Key_F11)
    assert stage.window.ribbon.isVisible() and watch.inspector.isVisible()


def test_commands_are_found_and_done_by_typing(stage: Stage) -> None:
    stage.press(Qt.Key.Key_K, control=True)
    bar = stage.window.command_bar
    assert bar.isVisible() and bar.line.hasFocus()
    stage.qtbot.keyClicks(bar.line, "red li")
    assert bar.rows.actions_found[0].name == "Red light"
    stage.qtbot.keyClick(bar.line, Qt.Key.Key_Return)
    assert theme.light is Light.RED and not bar.isVisible()
    stage.press(Qt.Key.Key_K, control=True)
    stage.qtbot.keyClicks(bar.line, "resume")
    assert bar.rows.actions_found[0].hindrance() == "nothing is held"
    stage.qtbot.keyClick(bar.line, Qt.Key.Key_Return)
    assert bar.isVisible() and stage.bridge.asked == []  # what can't be done isn't
    stage.qtbot.keyClick(bar.line, Qt.Key.Key_Escape)
    assert not bar.isVisible()


@pytest.mark.parametrize("can", [True, False])
def test_who_types_a_whole_name_means_it(stage: Stage, can: bool) -> None:
    """Whatever else begins with it and could be done: with Enter that would be done."""
    done: list[str] = []
    why_not = "" if can else "not now"
    longer = Action("Guide camera: stop", lambda: done.append("longer"))
    meant = Action("Guide", lambda: done.append("meant"), hindrance=lambda: why_not)
    stage.window._actions[:0] = [longer, meant]
    stage.press(Qt.Key.Key_K, control=True)
    stage.qtbot.keyClicks(stage.window.command_bar.line, "guide")
    stage.qtbot.keyClick(stage.window.command_bar.line, Qt.Key.Key_Return)
    assert done == (["meant"] if can else [])


def test_what_a_workspace_offers_is_done_where_it_is_seen(stage: Stage) -> None:
    stage.workspace("Night")
    stage.press(Qt.Key.Key_K, control=True)
    stage.qtbot.keyClicks(stage.window.command_bar.line, "bench guid")
    stage.qtbot.keyClick(stage.window.command_bar.line, Qt.Key.Key_Return)
    assert stage.window.current.name == "Tune"
    assert stage.window.current.choices["Guiding"].isChecked()


def test_every_action_has_a_name_of_its_own_and_keys_of_its_own(stage: Stage) -> None:
    actions = stage.window.find_actions("")
    names, keys = [a.name for a in actions], [a.keys for a in actions if a.keys]
    assert len(set(names)) == len(names) and len(set(keys)) == len(keys) and len(names) > 25


def test_one_key_starts_the_night_and_watch_comes_up(stage: Stage) -> None:
    stage.workspace("Night")
    stage.press(Qt.Key.Key_Return, control=True)
    command, values = stage.bridge.asked[-1]
    assert command is Command.START and values["plan"]["blocks"][0]["id"] == "ic405"
    stage.at(2)
    assert stage.window.current.name == "Watch"


def test_the_status_line_tells_the_night(stage: Stage) -> None:
    line = stage.window.status
    assert line.activity.text == "No night under way" and not line.hold.isEnabled()
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    assert line.activity.text == "Exposing IC 405 · Ha 60 s · 2 of 3"
    assert line.next_words.text == "IC 405 · Ha 3 of 3" and line.countdown.text().startswith("in 1:0")
    assert line.far.text().endswith("of 1:02") and line.progress.share == 0.0
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    assert line.lamps["camera"].state == "busy" and line.lamps["mount"].state == "ready"
    stage.qtbot.mouseClick(line.hold, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1][0] is Command.HOLD
    stage.at(stage.told.upto(Kind.HELD))
    assert line.hold.text() == "Resume" and line.activity.text == "Holding: held by hand"
    stage.qtbot.mouseClick(line.hold, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1][0] is Command.RESUME


def test_ending_asks_and_names_what_is_lost(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    stage.press(Qt.Key.Key_E, control=True)
    question = stage.window.question
    assert "IC 405 · Ha 60 s · 2 of 3) is lost" in question.text.text()
    stage.press(Qt.Key.Key_Escape)
    assert not question.isVisible() and not stage.bridge.asked
    stage.press(Qt.Key.Key_E, control=True)
    stage.qtbot.mouseClick(question.answers[1], Qt.MouseButton.LeftButton)
    assert stage.bridge.asked == [(Command.END, {"reason": "ended by hand"})]


def test_one_key_stops_everything_and_the_window_says_how_long_it_stands(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    found = stage.window.find_actions("stop everything")
    stop = next(a for a in found if a.name == "Stop everything at once")
    assert stop.hindrance() == "" and stop.keys
    stage.qtbot.mouseClick(stage.window.status.stop, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked == [(Command.STOP, {})]
    status = stage.session.status
    assert status is not None
    until = stage.session.now + timedelta(minutes=9)
    stage.bridge.status_came.emit(status.model_copy(update={"stopped_until": until}))
    banner = stage.window.banner
    assert banner.isVisible() and banner.words.text().startswith("Everything stands still until you resume")
    assert stage.window.status.activity.text == "Everything stands still"
    stage.qtbot.mouseClick(banner.action, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (Command.RESUME, {})
    stage.bridge.status_came.emit(status)
    assert not banner.isVisible()


def test_what_a_guard_does_without_a_night_is_said_in_full_and_once(stage: Stage) -> None:
    status, banner = stage.session.status, stage.window.banner
    assert status is not None
    said = "shutting and parking: the sun is at +3°: by day nothing stays open that nobody wants open"
    alarm = Alarm(at=stage.session.now, words=said)
    guarded = status.model_copy(update={"alarm": alarm})
    stage.bridge.status_came.emit(guarded)
    assert banner.isVisible() and banner.words.text().endswith(said)
    stage.qtbot.mouseClick(banner.dismiss, Qt.MouseButton.LeftButton)
    stage.bridge.status_came.emit(guarded)
    assert not banner.isVisible(), "what was read and closed does not come back"


def test_a_plan_with_programs_is_asked_about_before_its_first_night(
    stage: Stage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "desk"))
    step = {"kind": "program", "id": "p", "arguments": ["ring-a-bell", "twice"]}
    plan = {**stage.plan.plan.model_dump(mode="json"), "closing": [step]}
    stage.plan.open(type(stage.plan.plan).model_validate(plan))
    question = stage.window.question
    stage.window.session.start_night()
    assert "ring-a-bell twice" in question.text.text() and stage.bridge.asked == []
    stage.press(Qt.Key.Key_Escape)
    assert stage.bridge.asked == []
    stage.window.session.start_night()
    stage.qtbot.mouseClick(question.answers[0], Qt.MouseButton.LeftButton)
    assert [command for command, _ in stage.bridge.asked] == [Command.START]
    stage.window.session.start_night()  # it is not asked twice
    assert [command for command, _ in stage.bridge.asked] == [Command.START, Command.START]


def test_watch_says_that_all_is_being_shut_and_why(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    watch, record = stage.workspace("Watch"), stage.session.record
    began = stage.told.events[-1].model_copy(
        update={
            "id": record.state.last_id + 1,
            "kind": Kind.ACTIVITY_STARTED,
            "values": {"activity": 9999, "kind": "shelter", "words": "shutting and parking", "ends": None},
            "reason": "safe: the rain sensor reads wet",
        }
    )
    stage.bridge.told.emit([began])
    stage.settle()
    assert watch.mood.text() == "Shutting and parking" and "wet" in watch.mood_words.text()


def test_closing_asks_whether_the_night_goes_on(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    stage.window.close()
    question = stage.window.question
    assert stage.window.isVisible() and question.isVisible()
    assert [b.text() for b in question.answers] == [
        "Close the window, the night goes on", "End the night and close", "Stay",
    ]  # fmt: skip
    stage.press(Qt.Key.Key_Escape)
    assert stage.window.isVisible()
    stage.window.close()
    stage.press(Qt.Key.Key_Return)
    assert not stage.window.isVisible() and stage.bridge.asked == []


def test_closing_without_a_night_lets_the_keeper_leave(stage: Stage) -> None:
    stage.window.close()
    assert not stage.window.isVisible() and stage.bridge.asked == [(Command.RETIRE, {"if_free": True})]


def test_a_keeper_that_dies_is_said_and_can_be_started_again(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    stage.link(LinkState.GONE, "no keeper answers")
    window = stage.window
    assert "The keeper has died" in window.banner.words.text() and window.banner.isVisible()
    assert window.status.activity.text == "No keeper: nothing looks after the rig"
    assert stage.workspace("Watch").mood.text() == "No keeper"
    assert not window.status.hold.isEnabled()
    stage.qtbot.mouseClick(window.banner.action, Qt.MouseButton.LeftButton)
    assert stage.bridge.keepers_started == 1
    stage.link(LinkState.OPEN)
    assert not window.banner.isVisible()


def test_what_is_refused_is_said(stage: Stage) -> None:
    stage.bridge.refuse("a night is under way already")
    assert stage.window.banner.words.text() == "Not done: a night is under way already"
    stage.qtbot.mouseClick(stage.window.banner.dismiss, Qt.MouseButton.LeftButton)
    assert not stage.window.banner.isVisible()


def test_pace_is_marked_as_simulated_and_follows_the_keeper(stage: Stage) -> None:
    pace = stage.window.pace
    assert pace.buttons[60.0].isChecked() and not pace.jump.isEnabled()
    stage.qtbot.mouseClick(pace.buttons[300.0], Qt.MouseButton.LeftButton)
    assert stage.bridge.asked == [(Command.SPEED, {"speed": 300.0})]
    assert pace.buttons[60.0].isChecked()  # until the keeper says otherwise
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED))
    stage.press(Qt.Key.Key_J, control=True)
    assert stage.bridge.asked[-1][0] is Command.JUMP_AHEAD


def test_one_moment_for_all_pictures(stage: Stage) -> None:
    stage.workspace("Night")
    ribbon, session = stage.window.ribbon, stage.session
    where = QPoint(700, 50)
    stage.qtbot.mouseMove(ribbon, where)
    assert session.moments.hovered == ribbon.moment_at(700)
    stage.qtbot.mouseClick(ribbon, Qt.MouseButton.LeftButton, pos=where)
    assert session.moments.as_at == ribbon.moment_at(700)
    assert stage.window.clock.text().startswith("as at ")
    ribbon.setFocus()
    stage.qtbot.keyClick(ribbon, Qt.Key.Key_Right)
    assert session.moments.as_at == ribbon.moment_at(700) + timedelta(minutes=5)
    stage.press(Qt.Key.Key_Escape)
    assert session.moments.as_at is None and session.moments.shown == session.moments.now


def test_the_ribbon_says_the_numbers_under_the_pointer(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED))
    exposed = stage.session.record.exposures[0]
    said = stage.window.ribbon.hover_text(exposed.begins)
    assert "CET" in said and "UTC" in said and "sun −" in said and "IC 405" in said
    assert "IC 405" in stage.window.ribbon.accessibleDescription()


def test_state_of_the_window_is_kept(stage: Stage, tmp_path: Path, qtbot: QtBot) -> None:
    settings = settings_at(tmp_path / "window.ini")
    first = Window(stage.session, stage.jobs, settings)
    first.resize(1300, 820)
    first.go_to("Targets")
    first.toggle_fold()
    first._may_close = True
    first.show()
    first.close()
    second = Window(stage.session, stage.jobs, settings_at(tmp_path / "window.ini"))
    qtbot.addWidget(second, before_close_func=lambda w: setattr(w, "_may_close", True))
    assert second.current.name == "Targets" and isinstance(settings.value("geometry"), QByteArray)
    assert second.current.list is not None and not second.current.list.isVisibleTo(second.current)


def test_opened_again_it_shows_all_that_happened(stage: Stage) -> None:
    stage.at(len(stage.told.events))
    watch = stage.workspace("Watch")
    assert watch.mood.text() == "Good night" and "6 of 6 frames" in watch.mood_words.text()
    assert len(watch.reasons.sentences) == len(stage.session.record.sentences) > 10
    assert watch.frame.pyramid is not None


def test_a_past_night_comes_from_the_ledger(stage: Stage) -> None:
    stage.session.show_past_night(stage.told.events)
    assert stage.session.run == "ready" and stage.session.tonight.exposures == []
    assert stage.window.current.name == "Night"  # it does not push itself forward
    watch = stage.workspace("Watch")
    assert (
        watch.mood.text() == "Ready" and "last night 6 of 6: all frames are taken" in watch.mood_words.text()
    )
    assert watch.title.text.startswith("Last night · IC 405") and watch.reasons.sentences
    assert stage.window.ribbon.accessibleDescription().startswith("IC 405 18:16")
    stage.bridge.told.emit(stage.told.events[:2])  # a night begins: nothing of the last one is left
    assert watch.mood.text() == "All quiet" and len(watch.reasons.sentences) == 2


def test_a_plan_that_cannot_be_read_is_said_and_left_alone(tmp_path: Path, told: ToldNight) -> None:
    path = tmp_path / "plan.json"
    path.write_text("{broken")
    plan, wrong = kept_plan(path, told.plan)
    assert plan is told.plan and "line 1" in wrong and path.read_text() == "{broken"


def test_all_controls_have_names_and_can_be_reached(stage: Stage) -> None:
    for name in WORKSPACES:
        stage.workspace(name)
        for widget in stage.window.findChildren(QWidget):
            if widget.focusPolicy() is Qt.FocusPolicy.NoFocus or not widget.isVisible():
                continue
            if isinstance(widget, QMainWindow | QAbstractScrollArea):
                continue
            said = widget.accessibleName() or (widget.text() if isinstance(widget, QAbstractButton) else "")
            assert said, f"{name}: {type(widget).__name__} has no name"
            assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus, f"{name}: {said} is out of Tab's reach"


def test_a_stretch_set_by_hand_is_kept_for_its_filter(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    stage.qtbot.keyClick(watch.histogram, Qt.Key.Key_Right)
    by_hand = watch.histogram.stretch
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    assert watch.title.text.endswith("2 of 3") and watch.histogram.stretch == by_hand
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 4))  # the next filter
    assert watch.histogram.stretch != by_hand
    stage.qtbot.mouseClick(watch.auto, Qt.MouseButton.LeftButton)
    assert watch._by_hand is None


def test_what_lies_under_the_pointer_is_told(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    pyramid = watch.frame.pyramid
    row, column = np.unravel_index(int(pyramid.image[100:600, 100:600].argmax()), (500, 500))
    spot = watch.frame.to_widget(column + 100, row + 100)
    watch.frame.pointed.emit(watch.frame.under(spot))
    assert "ADU" in watch.under.text
    watch._tell_under()
    assert "star HFR" in watch.under.text
    watch.frame.pointed.emit(None)
    assert watch.under.text == ""


def test_a_hold_asked_for_is_told_before_it_begins_and_can_be_taken_back(stage: Stage) -> None:
    line = stage.window.status
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED, 2))
    hold = Ask(id="h", command=Command.HOLD)
    stage.bridge.answered.emit(hold, Answer(id="h", taken=True, reason="holding after what is under way"))
    assert line.activity.text == "Holding after what is under way" and line.hold.text() == "Resume"
    stage.qtbot.mouseClick(line.hold, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1][0] is Command.RESUME
    resumed = Ask(id="r", command=Command.RESUME)
    stage.bridge.answered.emit(resumed, Answer(id="r", taken=True, reason="resumed"))
    assert line.activity.text.startswith("Exposing") and line.hold.text() == "Hold"
    stage.bridge.answered.emit(hold, Answer(id="h", taken=True, reason="holding after what is under way"))
    stage.at(stage.told.upto(Kind.HELD))
    assert line.activity.text == "Holding: held by hand"


def test_a_frame_that_cannot_be_read_stays_told(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    count = stage.told.upto(Kind.FRAME_SAVED)
    gone = [
        e.model_copy(update={"values": {**e.values, "path": "/nowhere/frame.fits"}})
        if e.kind is Kind.FRAME_SAVED
        else e
        for e in stage.told.events[:count]
    ]
    stage.bridge.told.emit(gone)
    stage.settle()
    for _ in range(2):
        assert watch.pictures.currentWidget() is watch.note
        assert "/nowhere/frame.fits: there is no such file" in watch.note.why.text()
        stage.bridge.status_came.emit(stage.told.statuses[count - 1])
        watch.refresh()


def test_one_key_goes_from_part_to_part(stage: Stage) -> None:
    night = stage.workspace("Night")
    stage.press(Qt.Key.Key_F6)
    assert stage.window.row.hasFocus()
    stage.press(Qt.Key.Key_F6)
    assert night.start.hasFocus()
    stage.press(Qt.Key.Key_F6)
    assert night.title.hasFocus()  # where one types
    stage.press(Qt.Key.Key_F6)
    assert stage.window.status.stop.hasFocus()  # nothing can be held now, but all can be stopped
    stage.press(Qt.Key.Key_F6)
    assert stage.window.row.hasFocus()


@pytest.mark.parametrize("bench", ["Polar", "Focus", "Guiding", "Mount"])
def test_the_same_key_comes_round_at_every_bench(stage: Stage, bench: str) -> None:
    """Its first button may be out of reach, and its inspector stands inside the main part."""
    tune = stage.workspace("Tune")
    tune.show_bench(bench)
    stage.settle()
    came = []
    for _ in range(8):
        stage.press(Qt.Key.Key_F6)
        came.append(stage.window.focusWidget())
    assert came[:4] == came[4:] and len(set(came)) == 4
    assert stage.window.row in came and stage.window.status.stop in came
    assert sum(tune.inspector.isAncestorOf(widget) for widget in came[:4]) == 1


def test_a_speed_is_found_by_its_number(stage: Stage) -> None:
    assert stage.window.find_actions("300")[0].name == "Simulated time ×300"
    assert stage.window.find_actions("time ×10")[0].name == "Simulated time ×10"


def test_what_is_ahead_begins_after_the_frame_under_way(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    exposing, ahead = stage.session.record.exposing, stage.session.plan_ahead()
    assert exposing is not None and exposing.words.endswith("2 of 3")
    assert ahead.frames == 4 and ahead.begins == exposing.expected_end
    assert dict((x.line, x.fitting) for x in ahead.lines) == {"ic405-ha": 3, "ic405-l": 3}


def test_what_is_hidden_is_shown_anew_only_when_it_comes_to_the_front(
    stage: Stage, monkeypatch: pytest.MonkeyPatch
) -> None:
    from vigil.ui.night.workspace import NightWorkspace

    night, shown = stage.workspace("Night"), []
    show = NightWorkspace.show_anew
    monkeypatch.setattr(NightWorkspace, "show_anew", lambda self: (shown.append(self), show(self)))
    stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 2))
    stage.plan.edit_line("ic405", "ic405-ha", count=7)
    assert not shown and "7" not in night.text.blocks[0].lines[0].count.text()
    stage.workspace("Night")
    assert shown and "7" in night.text.blocks[0].lines[0].count.text()
