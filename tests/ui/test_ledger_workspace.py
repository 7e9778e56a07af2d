"""Ledger in the real window: projects, tonight's best use, verdicts, across nights, nights, hand over."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from campaigns.handovers import frames_on_disk
from tests.ui.conftest import Stage
from tests.ui.fitting import misfits
from tests.ui.keys import press
from vigil.cli.demohistory import lay_in_history
from vigil.documents.messages import Command
from vigil.ledger.backup import checked
from vigil.ledger.reading import Sought, frames
from vigil.runtime.folders import ledger_file, projects_folder
from vigil.ui.ledger.desk import ACROSS, HANDOVER, LENGTH, NIGHTS, PROJECTS, TONIGHT, VERDICTS
from vigil.ui.ledger.trends import CHOICES, LOST, OF_DARKS
from vigil.ui.ledger.workspace import LedgerWorkspace
from vigil.ui.theme import Light, theme


@pytest.fixture
def ledger(stage: Stage) -> Iterator[LedgerWorkspace]:
    """The demo's three weeks."""
    lay_in_history(ledger_file())
    made = stage.workspace("Ledger")
    assert isinstance(made, LedgerWorkspace)
    yield made


def show(stage: Stage, ledger: LedgerWorkspace, view: str) -> None:
    ledger.show_view(view)
    stage.settle()


def test_nothing_there_yet(stage: Stage) -> None:
    ledger = stage.workspace("Ledger")
    assert "New project makes one" in ledger.projects.picture.accessibleDescription()
    for view in (TONIGHT, LENGTH, VERDICTS, ACROSS, NIGHTS, HANDOVER):
        show(stage, ledger, view)
    assert "No nights yet" in ledger.nights.picture.accessibleDescription()
    assert ledger.verdicts.rows.accessibleDescription() == "No doubtful lights."


def test_the_projects_of_the_demo(stage: Stage, ledger: LedgerWorkspace) -> None:
    assert ledger.projects.picture.count() == 2
    said = ledger.projects.picture.accessibleDescription()
    assert said.startswith("Flaming Star in three lines: Ha ") and "are missing" in said
    facts = dict(ledger.projects.tools.facts.facts)
    assert float(facts["kept"].split()[0]) > 5 and int(facts["nights needed"]) > 0
    ledger.projects.picture.setFocus()
    stage.press(Qt.Key.Key_Down)
    stage.settle()
    assert ledger.projects.chosen is not None and ledger.projects.chosen.name == "NGC 2403 in colour"
    assert "\t" in ledger.projects.picture.copy_text()


def test_goals_are_typed_and_taken_back(stage: Stage, ledger: LedgerWorkspace) -> None:
    field = ledger.projects.tools.fields["goal"]
    field.setText("Ha twelve hours")
    field.commit()
    assert field.state == "wrong" and "is no goal" in ledger.said.text()
    field.setText("Ha 20 h")
    field.commit()
    stage.settle()
    assert (
        ledger.projects.picture.progress is not None
        and ledger.projects.picture.progress.goals[0].wanted_h == 20
    )
    ledger.edits.undo()
    stage.settle()
    assert len(ledger.projects.picture.progress.goals) == 3
    ledger.projects.tools.remove.click()
    stage.settle()
    assert ledger.projects.picture.count() == 1 and len(list(projects_folder().glob("*.json"))) == 1
    ledger.edits.undo()
    stage.settle()
    assert ledger.projects.picture.count() == 2 and len(list(projects_folder().glob("*.json"))) == 2


def test_a_project_from_a_target(stage: Stage, ledger: LedgerWorkspace) -> None:
    """As it is framed in Targets."""
    targets = stage.workspace("Targets")
    targets.frame.show_place("the hidden corner", 70.0, 40.0)
    targets.frame.frame and next(a for a in targets.actions_here() if a.name == "Make it a project").run()
    stage.settle()
    assert stage.window.current is ledger
    form = ledger.projects.tools.form
    assert form.target.text() == "the hidden corner" and form.goal.hasFocus()
    stage.qtbot.keyClicks(form.goal, "Ha 5 h")
    stage.press(Qt.Key.Key_Return)
    stage.settle()
    made = ledger.edits.named("the hidden corner")
    assert made is not None and (made.target.ra_deg, made.target.dec_deg) == (70.0, 40.0)
    assert made.target.position_angle_deg is not None and made.rigs == [stage.session.rig.id]


def test_what_is_wrong_in_the_form_is_said_there(stage: Stage, ledger: LedgerWorkspace) -> None:
    ledger.projects.begin()
    form = ledger.projects.tools.form
    for target, goal, word in (
        ("", "Ha 5 h", "needs a target"),
        ("IC 405", "", "needs a goal"),
        ("no such thing at all", "Ha 5 h", "no such thing"),
    ):
        form.target.setText(target)
        form.goal.setText(goal)
        form.make.click()
        assert word in form.problem.text()
    form.cancel.click()
    assert not form.isVisible() and ledger.projects.picture.count() == 2


def test_the_best_use_goes_into_the_plan(stage: Stage, ledger: LedgerWorkspace) -> None:
    show(stage, ledger, TONIGHT)
    facts = dict(ledger.tonight.tools.facts.facts)
    assert float(facts["this way"].split()[0]) >= float(facts["each moment's best"].split()[0])
    assert float(facts["this way"].split()[0]) > float(facts["the plan as it is"].split()[0])
    ledger.tonight.picture.setFocus()
    first = ledger.tonight.picture.stint
    stage.press(Qt.Key.Key_Down)
    assert (
        ledger.tonight.picture.stint is not first
        and "missing" in ledger.tonight.picture.accessibleDescription()
    )
    before = stage.plan.plan
    ledger.tonight.tools.into_plan.click()
    stage.settle()
    assert [b.target.name for b in stage.plan.plan.blocks][-1] in {"IC 405", "NGC 2403"}
    assert "It is in the plan" in ledger.said.text()
    stage.plan.undo()
    assert stage.plan.plan == before
    # by its name too, from wherever one is and before it is worked out
    ledger.tonight._found_of = None
    ledger.show_view(PROJECTS)
    next(a for a in ledger.actions_here() if a.name.startswith("Put the night")).run()
    assert stage.plan.plan == before
    stage.settle()
    assert stage.plan.plan != before
    assert ledger.tonight.picture.copy_text().count("\n") >= 1


def test_verdicts_by_the_keyboard(stage: Stage, ledger: LedgerWorkspace) -> None:
    ledger.verdicts.begin()
    stage.settle()
    assert ledger.verdicts.rows.hasFocus() and ledger.verdicts.rows.count() > 3
    frame = ledger.verdicts.rows.frame
    assert frame is not None and "isn't there any more" in ledger.verdicts.light.accessibleDescription()
    many = ledger.verdicts.rows.count()
    stage.press(Qt.Key.Key_K)
    stage.settle()
    (kept,) = frames(ledger_file(), Sought(ids=(frame["frame_id"],)))
    assert kept["standing"] == "kept" and ledger.verdicts.rows.count() == many - 1
    other = ledger.verdicts.rows.frame
    assert other is not None
    stage.press(Qt.Key.Key_X)
    stage.settle()
    (rejected,) = frames(ledger_file(), Sought(ids=(other["frame_id"],)))
    assert rejected["standing"] == "rejected" and rejected["verdict"] == "rejected"
    stage.press(Qt.Key.Key_Space)
    stage.settle()
    blinked = ledger.verdicts.light.accessibleDescription()
    assert blinked.startswith("Blinked against") or "no kept light" in ledger.said.text()


def test_a_frame_of_the_running_night_is_told_to_its_keeper(stage: Stage, ledger: LedgerWorkspace) -> None:
    stage.at(len(stage.told.events) // 2)
    night = stage.session.status.night if stage.session.status else ""
    ledger.verdicts.rows._frames = [{"frame_id": "n-0001", "errand": night}]
    ledger.verdicts.judge("n-0001", "rejected")
    assert (Command.JUDGE, {"frame": "n-0001", "verdict": "rejected"}) in stage.bridge.asked


def test_limits_of_a_project_change_its_verdicts(stage: Stage, ledger: LedgerWorkspace) -> None:
    show(stage, ledger, VERDICTS)
    tools = ledger.verdicts.tools
    assert not tools.limits["grown"].isEnabled()
    tools.whose.setCurrentText("Flaming Star in three lines")
    ledger.verdicts.read_frames()
    stage.settle()
    before = ledger.verdicts.rows.count()
    tools.limits["guide"].setText("0.3")
    tools.limits["guide"].commit()
    stage.settle()
    assert ledger.verdicts.rows.count() > before


def test_across_nights(stage: Stage, ledger: LedgerWorkspace) -> None:
    show(stage, ledger, ACROSS)
    for what in CHOICES:
        ledger.across.tools.what.setCurrentText(what)
        ledger.refresh()
        ledger.across.picture.grab()
        assert ledger.across.picture.copy_text().count("\n") > 5 or what in (LOST, *OF_DARKS)
    assert "h exposed" in ledger.across.picture.accessibleDescription()
    ledger.across.tools.what.setCurrentText(OF_DARKS[0])
    ledger.across.choose()
    stage.settle()
    assert "Darks and bias frames" in ledger.across.picture.accessibleDescription()


def test_how_long_to_expose(stage: Stage, ledger: LedgerWorkspace) -> None:
    show(stage, ledger, LENGTH)
    said = ledger.length.picture.accessibleDescription()
    assert said.startswith("Ha: ") or "Ha: " in said
    assert "read noise costs" in ledger.length.tools.words.text()
    lines = ledger.length.picture.copy_text().splitlines()
    assert lines[0].startswith("filter\t") and len(lines) > 80
    ledger.length.picture.grab()


def test_a_night_and_its_report(stage: Stage, ledger: LedgerWorkspace, tmp_path: Path) -> None:
    show(stage, ledger, NIGHTS)
    assert ledger.nights.picture.count() == 10
    ledger.nights.picture.setFocus()
    stage.press(Qt.Key.Key_Down)
    night = ledger.nights.picture.night
    assert night is not None
    ledger.nights.tools.folder.setText(str(tmp_path / "none"))
    ledger.nights.tools.page.click()
    assert "no such folder" in ledger.said.text().replace("\u200b", "")
    ledger.nights.tools.folder.setText(str(tmp_path))
    for made, ending in ((ledger.nights.tools.page, "html"), (ledger.nights.tools.pdf, "pdf")):
        made.click()
        stage.settle()
        assert (tmp_path / f"{night.errand}.{ending}").stat().st_size > 2000
    ledger.nights.tools.frames.click()
    stage.settle()
    assert ledger.view == VERDICTS and ledger.verdicts.rows.count() == night.frames


def test_handing_over(stage: Stage, ledger: LedgerWorkspace, tmp_path: Path) -> None:
    frames_on_disk(ledger_file(), tmp_path / "frames", stage.session.rig.id, 3)
    show(stage, ledger, PROJECTS)
    press(stage, ledger, "Hand over")
    assert ledger.view == HANDOVER and ledger.handover.picture.count() >= 1
    tools = ledger.handover.tools
    tools.naming.setText("{nothing}")
    ledger.handover.gather()
    stage.settle()
    assert (
        "no field" in ledger.handover.picture.accessibleDescription() and "no field" in tools.example.text()
    )
    tools.naming.setText("{target}/{kind}_{filter}_{number}")
    ledger.handover.gather()
    stage.settle()
    tools.folder.setText(str(tmp_path / "out"))
    tools.how.setCurrentIndex(1)
    tools.go.click()
    stage.settle()
    assert (tmp_path / "out" / "manifest.csv").exists()
    assert "with a manifest" in ledger.said.text()
    assert len(list((tmp_path / "out").rglob("*.fits"))) >= 3


def test_backup_import_and_looking_for_files(stage: Stage, ledger: LedgerWorkspace, tmp_path: Path) -> None:
    frames_on_disk(tmp_path / "other.sqlite", tmp_path / "elsewhere", "heron-480", 2)
    show(stage, ledger, NIGHTS)
    tools = ledger.nights.tools
    tools.folder.setText(str(tmp_path))
    tools.back_up.click()
    stage.settle()
    (copy,) = tmp_path.glob("vigil-ledger-*.sqlite")
    assert checked(copy) > 100
    tools.take_in.click()
    assert "no such folder" in ledger.said.text()
    tools.source.setText(str(tmp_path / "elsewhere"))
    tools.take_in.click()
    stage.settle()
    assert ledger.said.text().startswith("2 of 4 taken in")
    assert len(frames(ledger_file(), Sought(targets=("IC 405",), evening="2027-01-03"))) >= 2
    tools.look.click()
    stage.settle()
    assert " gone" in ledger.said.text()


def test_nothing_is_clipped(stage: Stage, ledger: LedgerWorkspace) -> None:
    theme.set_light(Light.RED)  # dressed anew, and as large as in the dark
    stage.window.resize(1180, 720)
    for view in (PROJECTS, TONIGHT, LENGTH, VERDICTS, ACROSS, NIGHTS, HANDOVER):
        show(stage, ledger, view)
        # a naming is as long as it is, and may go on in the next line where it has a slash
        assert [said for said in misfits(ledger) if "{target}" not in said and "u200b" not in said] == []


def test_all_by_words(stage: Stage, ledger: LedgerWorkspace) -> None:
    said = {action.name for action in stage.window.find_actions("")}
    assert {"New project", "Judge the doubtful lights", "Ledger: across nights"} <= said
    twin, follow = ledger.second()
    follow()
    assert twin is not ledger.projects.picture
    twin.deleteLater()
    QApplication.processEvents()
