"""What `--autostart` and `--exit-when-done` do in place of a person."""

from types import SimpleNamespace

import pytest

from tests.ui.conftest import Stage
from vigil.documents.messages import Command
from vigil.ui.app import _ByItself
from vigil.ui.linkstate import LinkState


def by_itself(stage: Stage) -> _ByItself:
    desk = SimpleNamespace(session=stage.session, window=stage.window)
    return _ByItself(desk, autostart=True, exit_when_done=True)  # type: ignore[arg-type]


def starts(stage: Stage) -> int:
    return sum(command is Command.START for command, _ in stage.bridge.asked)


def test_the_night_is_started_once_and_the_window_closes_after_it(stage: Stage) -> None:
    made = by_itself(stage)
    for _ in range(3):
        stage.bridge.status_came.emit(
            stage.told.statuses[0].model_copy(update={"run": "ready", "night": None})
        )
    assert starts(stage) == 1
    stage.at(len(stage.told.events))
    stage.qtbot.waitUntil(lambda: not stage.window.isVisible(), timeout=20_000)
    assert made.status == 0


def test_a_night_that_was_over_before_does_not_end_ours(stage: Stage) -> None:
    stage.link(LinkState.STARTING)
    made = by_itself(stage)
    stage.bridge.status_came.emit(stage.told.statuses[-1])  # as the bridge tells it: status first
    assert starts(stage) == 1  # a new one
    stage.bridge.told.emit(stage.told.events)
    assert stage.session.run == "over" and made._exit_when_done


def test_frames_that_lack_are_told_by_the_exit_status(stage: Stage) -> None:
    made = by_itself(stage)
    stage.bridge.status_came.emit(stage.told.statuses[0].model_copy(update={"run": "ready", "night": None}))
    few = [e for e in stage.told.events if e.kind not in ("frame_saved", "frame_measured")]
    stage.bridge.told.emit(few)
    assert stage.session.run == "over" and made.status == 3


@pytest.mark.parametrize("run", ["running", "held", "closing"])
def test_a_night_under_way_is_not_started_again(stage: Stage, run: str) -> None:
    by_itself(stage)
    stage.bridge.status_came.emit(stage.told.statuses[0].model_copy(update={"run": run}))
    assert starts(stage) == 0
