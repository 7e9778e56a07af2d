"""Calling a person: what calls, what was switched off, and that it stays so."""

from datetime import timedelta
from pathlib import Path

from PyQt6.QtCore import QSettings

from tests.ui.conftest import Stage
from vigil.documents.events import Event, Kind
from vigil.ui.calls import CAUSES, Calls


def calls(stage: Stage, settings: QSettings | None) -> tuple[Calls, list[str]]:
    heard: list[str] = []
    made = Calls(
        stage.session, settings, heard.append, lambda title, text: heard.append(f"{title}: {text}"),
        lambda: heard.append("beep"),
    )  # fmt: skip
    return made, heard


def test_hold_and_end_call_by_sound_and_notice(stage: Stage) -> None:
    made, heard = calls(stage, None)
    stage.at(len(stage.told.events))
    assert heard == [
        "beep",
        "Vigil: the night holds: held by hand",
        "beep",
        "Vigil: the night is over: all frames are taken",
    ]
    assert all(made.is_on(cause) for cause in CAUSES)


def test_each_kind_is_switched_off_for_good(stage: Stage, tmp_path: Path) -> None:
    settings = QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)
    made, heard = calls(stage, settings)
    made.actions()[0].run()
    assert heard == ["Alert when the night holds: off"]
    again, heard = calls(stage, settings)
    assert not again.is_on(CAUSES[0]) and again.is_on(CAUSES[1])
    stage.at(len(stage.told.events))
    assert [said for said in heard if "beep" not in said] == [
        "Vigil: the night is over: all frames are taken"
    ]
    again.switch(CAUSES[0])
    assert again.is_on(CAUSES[0])


def test_a_question_and_a_loss_call(stage: Stage) -> None:
    made, heard = calls(stage, None)
    first = stage.told.events[0]
    asked = {"question": 1, "words": "are the caps off?", "answers": ["yes"]}
    made.take(first.model_copy(update={"kind": Kind.QUESTION_ASKED, "values": asked}))
    lost: Event = first.model_copy(update={"kind": Kind.DEVICE_LOST, "reason": "mount lost"})
    made.take(lost)
    made.take(first)
    late = stage.told.statuses[0].model_copy(update={"at": first.at + timedelta(hours=1)})
    stage.bridge.status_came.emit(late)
    made.take(lost)  # told again to a window that attaches later
    assert heard == [
        "beep",
        "Vigil asks: are the caps off?",
        "beep",
        "Vigil: something fails: mount lost",
    ]
