"""Flats & darks in the window, by keyboard alone, with what the keeper's errands really tell."""

import re
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.files.test_masterfiles import frame
from tests.ui.conftest import Stage
from tests.ui.keys import press
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, ErrandReport
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.files.fits import read_header
from vigil.files.trying import choices
from vigil.levels.matching import Made, Wanted, cover
from vigil.runtime.folders import calibration_folder
from vigil.ui.fields import ValueField
from vigil.ui.flats.workspace import COVERAGE, FITS, SEARCH, TRY, WHEN, FlatsWorkspace
from vigil.ui.pieces import Choice
from vigil.ui.theme import Light, theme

LIGHT = Made("light", "M 1", "L", 120.0, 100, 50, 1, -10.0, camera="C", train="T, C")


@pytest.fixture
def flats(stage: Stage) -> FlatsWorkspace:
    made = stage.workspace("Flats & darks")
    assert isinstance(made, FlatsWorkspace)
    return made


@pytest.fixture(scope="module")
def run_of(told: Any) -> list[Event]:
    """A job of which two filters can't be done in so short exposures."""
    rig = with_values(told.rig, {("camera", "columns"): 200, ("camera", "rows"): 160})

    async def use(bench: Bench) -> list[Event]:
        values = {"filters": ["L", "R", "Ha"], "count": 2, "ready": True, "most_exposure_s": 2}
        await bench.carry_out("flats", values)
        return bench.events

    assert rig.simulated is not None
    return on_the_bench(Alone(rig, Scenario(), 3, rig.simulated.starts_at + timedelta(hours=5)), use)


def hear(stage: Stage, events: list[Event], over: bool) -> None:
    stage.bridge.told.emit([e.model_copy(update={"id": 5000 + e.id}) for e in events])
    status = stage.session.status
    assert status is not None
    first = events[0]
    report = ErrandReport(
        id=first.errand, kind="flats", words="flats", because="", began=first.at, claims=[], questions=[]
    )
    stage.bridge.status_came.emit(status.model_copy(update={"errands": [] if over else [report]}))
    stage.settle()


def choose(choice: Choice, words: str) -> None:
    choice.setCurrentText(words)
    choice.activated.emit(choice.currentIndex())


def enter(field: ValueField, text: str) -> None:
    field.setText(text)
    field.setModified(True)
    field.commit()


def asked(stage: Stage) -> tuple[Command, dict[str, Any]]:
    return stage.bridge.asked[-1]


def test_gaps_become_the_job_by_one_act(stage: Stage, flats: FlatsWorkspace) -> None:
    flat = replace(LIGHT, kind="flat", exposure_s=1.0, rotator_deg=0.0)
    lights = [replace(LIGHT, rotator_deg=50.0), replace(LIGHT, filter="R"), replace(LIGHT, filter="R")]
    flats._show_covered(cover([*lights, *[flat] * 30], Wanted()))
    stage.settle()
    assert flats.coverage.accessibleDescription() == "2 kinds of lights, 8 gaps"
    assert "stale 30/30" in flats.coverage.copy_text()
    press(stage, flats, "From the gaps")
    wish = flats.tools.wish
    assert wish["filters"] == ["L", "R"] and wish["count"] == 30
    assert "Flats through L, R and 2 sets" in flats.said.text()
    press(stage, flats, "Take darks")
    command, values = asked(stage)
    assert command is Command.BEGIN and values["kind"] == "darks"
    assert [(s["exposure_s"], s["count"]) for s in values["sets"]] == [(120.0, 20), (0.0, 50)]
    press(stage, flats, "Take flats")
    assert asked(stage)[1]["kind"] == "flats" and asked(stage)[1]["filters"] == ["L", "R"]
    assert flats.view == SEARCH


def test_the_search_converges_and_impossible_filters_are_mended(
    stage: Stage, flats: FlatsWorkspace, run_of: list[Event]
) -> None:
    advice_at = next(k for k, e in enumerate(run_of) if "advice" in e.values)
    flats.show_view(SEARCH)
    hear(stage, run_of[:advice_at], over=False)
    assert "trials" in flats.search.accessibleDescription() and not flats.tools.take.isEnabled()
    hear(stage, run_of, over=True)
    assert flats.search.accessibleDescription() == "2 of 3 filters can be done"
    assert flats.seen.have["flat", "L"] == 2 and flats.seen.have["dark flat", "R"] == 2
    assert "too dark" in flats.said.text()
    flats.show_view(FITS)
    stage.settle()
    most = flats.tools.fields["most_exposure_s"]
    most.setText("2")
    most.commit()
    stage.settle()
    assert flats.fits.accessibleDescription() == "inside: L, R"
    change = flats.seen.advice["Ha"]["change"]
    most.setText(change.split("up to ")[1].split(" s")[0])
    most.commit()
    flats.show_anew()
    assert flats.fits.accessibleDescription() == "inside: L, R, Ha", "the change that was named makes it fit"
    press(stage, flats, "Try each")
    assert asked(stage)[1]["trial"] is True


def test_a_wrong_number_is_said_and_changes_nothing(stage: Stage, flats: FlatsWorkspace) -> None:
    count = flats.tools.fields["count"]
    stage.window.activateWindow()
    count.setFocus()
    count.setText("many")
    count.commit()
    assert count.state == "wrong" and "Flats of each filter" in flats.said.text()
    assert flats.tools.wish["count"] == 30


def test_a_group_has_a_window_of_its_own_and_the_aim_stays_inside(
    stage: Stage, flats: FlatsWorkspace
) -> None:
    tools = flats.tools
    choose(tools.scope, "narrowband")
    enter(tools.fields["high_percent"], "60")
    enter(tools.fields["low_percent"], "50")
    windows = tools.wish["windows"]
    assert set(windows) == {"Ha", "O3", "S2"}
    assert windows["Ha"] == {"aim_percent": 55.0, "low_percent": 50.0, "high_percent": 60.0}
    assert tools.wish["low_percent"] == 30.0, "the others keep theirs"
    choose(tools.scope, "L")
    assert tools.fields["low_percent"].text() == "30"
    stage.window.activateWindow()
    tools.fields["low_percent"].setFocus()
    enter(tools.fields["low_percent"], "90")
    assert tools.fields["low_percent"].state == "wrong" and "must go up" in flats.said.text()
    choose(tools.scope, "all filters")
    enter(tools.fields["aim_percent"], "50")
    assert "windows" not in tools.wish and tools.wish["low_percent"] == pytest.approx(50 * 6 / 7)


def test_each_light_says_when_and_is_what_is_asked_for(stage: Stage, flats: FlatsWorkspace) -> None:
    flats.show_view(WHEN)
    choose(flats.tools.source, "twilight sky")
    choose(flats.tools.when, "at dusk")
    stage.settle()
    told = flats.when.copy_text().splitlines()
    assert len(told) == 7 and told[0].startswith("S2: ") and told[-1].startswith("L: ")
    assert not flats.tools.trial.isEnabled(), "the twilight waits for nobody"
    press(stage, flats, "Take flats")
    assert asked(stage)[1]["source"] == "twilight" and asked(stage)[1]["when"] == "dusk"
    assert flats.view == WHEN
    choose(flats.tools.source, "cloth by day")
    stage.settle()
    assert re.fullmatch(r"\d\d:\d\d to \d\d:\d\d", flats.when.copy_text().splitlines()[0])
    assert "when" not in flats.tools.wish and "move" not in flats.tools.wish
    flats.tools.stays.setChecked(True)
    assert flats.tools.wish["move"] is False


def test_several_binnings_are_one_job(stage: Stage, flats: FlatsWorkspace) -> None:
    other = replace(LIGHT, binning=2)
    flats._show_covered(cover([LIGHT, other], Wanted()))
    press(stage, flats, "From the gaps")
    assert flats.tools.wish["binnings"] == [1, 2] and flats.tools.fields["binning"].text() == "1, 2"
    enter(flats.tools.fields["binning"], "2")
    assert flats.tools.wish["binning"] == 2 and "binnings" not in flats.tools.wish


def test_what_is_changed_while_flats_are_taken_is_told_to_them(
    stage: Stage, flats: FlatsWorkspace, run_of: list[Event]
) -> None:
    hear(stage, run_of[:4], over=False)
    enter(flats.tools.fields["most_exposure_s"], "45")
    command, values = asked(stage)
    assert command is Command.TELL_ERRAND
    assert values["most_exposure_s"] == 45 and values["errand"] == run_of[0].errand


def test_a_job_that_goes_on_after_a_crash_shows_what_is_there_already(
    stage: Stage, flats: FlatsWorkspace, run_of: list[Event]
) -> None:
    hear(stage, run_of, over=True)
    trials = flats.seen.trials
    given = {"have": {"L": 7}, "have_dark": {"L": 1}, "found": {"L": [20, 1.0]}}
    again = run_of[0].model_copy(update={"errand": "flats-again", "id": 9000})
    again = again.model_copy(update={"values": {**again.values, "given": given}})
    stage.bridge.told.emit([again])
    stage.settle()
    assert flats.seen.trials == trials and flats.seen.have == {("flat", "L"): 7, ("dark flat", "L"): 1}


def test_folders_of_frames_from_before_are_kept_in_the_rig(
    stage: Stage, flats: FlatsWorkspace, tmp_path: Path
) -> None:
    enter(flats.tools.libraries, f"{tmp_path}/old; {tmp_path}/older")
    stage.settle()
    assert stage.session.rig.frames.libraries == [f"{tmp_path}/old", f"{tmp_path}/older"]
    assert flats.tools.libraries.text() == f"{tmp_path}/old; {tmp_path}/older"


def test_flats_are_tried_on_the_newest_light(stage: Stage, flats: FlatsWorkspace, tmp_path: Path) -> None:
    for kind, level, count in (("FLAT", 20_000, 3), ("LIGHT", 900, 1)):
        for number in range(count):
            frame(tmp_path / f"{kind}{number}.fits", kind, level, number)
    flats._show_read(([], choices([tmp_path])))
    flats.show_view(TRY)
    stage.settle()
    said = flats.trying.accessibleDescription()
    assert "with the flat at" in said and said.startswith("corners at 8")
    assert flats.trying.copy_text().startswith("distance\tbefore\tafter")
    press(stage, flats, "Make masters")
    stage.settle()
    assert "master_flat_L_2027-01-12.fits" in flats.said.text()
    (master,) = calibration_folder(stage.session.rig.id).rglob("master_flat*.fits")
    assert read_header(master)["NCOMBINE"] == 3


def test_said_words_shrink_again(stage: Stage, flats: FlatsWorkspace) -> None:
    flats._say("a long sentence " * 30)
    stage.settle()
    tall = flats.said.height()
    flats._say("short")
    stage.settle()
    assert flats.said.height() < tall / 3


def test_every_view_in_red_light(stage: Stage, flats: FlatsWorkspace, run_of: list[Event]) -> None:
    hear(stage, run_of, over=True)
    theme.set_light(Light.RED)
    try:
        for view in (COVERAGE, FITS, SEARCH, WHEN, TRY):
            flats.show_view(view)
            stage.settle()
            picture = flats.grab().toImage()
            for x in range(0, picture.width(), 37):
                for y in range(0, picture.height(), 29):
                    colour = picture.pixelColor(x, y)
                    assert colour.green() <= colour.red() and colour.blue() <= colour.red(), view
    finally:
        theme.set_light(Light.DARK)
    assert any(e.kind is Kind.ERRAND_ENDED for e in run_of)
