"""What the keeper has in hand beside a night: in the status line, on the ribbon, stopped there; what it
asks."""

from datetime import timedelta
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QMenu

from tests.ui.conftest import Stage
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, ErrandReport, Sample, Samples
from vigil.ui.linkstate import LinkState


class Errand:
    """Work by hand as the keeper tells it, after what the stage has been told."""

    def __init__(
        self, stage: Stage, name: str = "hand-7", kind: str = "by hand", words: str = "camera loop 5"
    ) -> None:
        self.stage, self.name, self.kind, self.words = stage, name, kind, words

    def tell(self, what: Kind, reason: str = "", minutes: float = 0.0, /, **values: Any) -> None:
        at = self.stage.session.now + timedelta(minutes=minutes)
        number = self.stage.session._last_id + 1
        event = Event(id=number, errand=self.name, at=at, kind=what, values=values, reason=reason)
        self.stage.bridge.told.emit([event])
        self.status()

    def status(self) -> None:
        """The keeper lists it while it isn't over."""
        session = self.stage.session
        running = [
            ErrandReport(id=state.errand, kind=state.kind, words=state.words)
            for state in session.errands.values()
            if not state.over
        ]
        assert session.status is not None
        self.stage.bridge.status_came.emit(session.status.model_copy(update={"errands": running}))

    def begin(self) -> None:
        given = {"device": "camera", "action": "loop"}
        self.tell(
            Kind.ERRAND_STARTED, kind=self.kind, words=self.words, rig_id="heron-480", evening="2027-01-12",
            given=given, asked="a1",
        )  # fmt: skip


def test_beside_a_held_night_it_stands_in_the_status_line_and_is_stopped_there(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    status = stage.window.status
    assert status.errand.isHidden() and status.stop_errand.isHidden()
    held = Event(
        id=stage.session._last_id + 1, errand=stage.session.record.state.night, at=stage.session.now,
        kind=Kind.HELD, reason="held by hand",
    )  # fmt: skip
    stage.bridge.told.emit([held])
    errand = Errand(stage)
    errand.begin()
    assert status.activity.text == "Holding: held by hand" and status.errand.text == "camera loop 5"
    assert stage.session.record.state.last_id == held.id, "it is none of the night's"
    second = Errand(stage, "hand-8", words="focuser to 6000")
    second.begin()
    assert status.errand.text == "focuser to 6000, and 1 more"
    stage.qtbot.mouseClick(status.stop_errand, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (Command.STOP_ERRAND, {"errand": "hand-8"})
    second.tell(Kind.ERRAND_ENDED, "stopped by hand", outcome="stopped")
    assert status.errand.text == "camera loop 5"
    stop = next(a for a in stage.window._actions if a.name == "Stop what is done by hand")
    assert not stop.hindrance()
    stop.run()
    assert stage.bridge.asked[-1] == (Command.STOP_ERRAND, {"errand": "hand-7"})
    errand.tell(Kind.ERRAND_ENDED, "stopped by hand", outcome="stopped")
    assert status.errand.isHidden() and stop.hindrance() == "nothing is under way beside the night"


def test_a_guard_s_work_is_shown_and_not_a_person_s_to_stop(stage: Stage) -> None:
    Errand(stage, "guard-1", "guard", "shutting and parking").begin()
    assert stage.window.status.errand.text == "guard: shutting and parking"
    assert stage.window.status.stop_errand.isHidden()


def test_the_ribbon_has_it_and_stops_it(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    ribbon, errand = stage.window.ribbon, Errand(stage)
    before = ribbon.grab().toImage()
    began = stage.session.now
    errand.begin()
    assert ribbon.grab().toImage() != before
    here = ribbon.x(began)
    assert ribbon.errand_at(here) is not None and ribbon.errand_at(here + 200) is None
    assert ribbon.hover_text(began).endswith("by hand: camera loop 5 (under way)")
    where = QPoint(int(here), 40)
    menu_asked = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, where, ribbon.mapToGlobal(where))
    QApplication.sendEvent(ribbon, menu_asked)
    (menu,) = ribbon.findChildren(QMenu)
    (stop,) = menu.actions()
    assert stop.text() == "Stop: camera loop 5"
    stop.trigger()
    menu.close()
    assert stage.bridge.asked[-1] == (Command.STOP_ERRAND, {"errand": "hand-7"})
    errand.tell(Kind.ERRAND_ENDED, "lost its cable", 10, outcome="failed")
    assert ribbon.hover_text(began).endswith("by hand: camera loop 5 (lost its cable)")


def test_controls_hear_what_is_new_and_not_what_was_before_the_window(stage: Stage) -> None:
    heard: list[Any] = []
    stage.session.deed_told.connect(heard.append)
    stage.link(LinkState.GONE)
    status = stage.told.statuses[0].model_copy(update={"last_event": 10_000})
    stage.bridge.status_came.emit(status)
    stage.link(LinkState.OPEN)
    old = Errand(stage, "hand-1")
    old.begin()
    assert [deed.stage for deed in heard] == ["begun"], "it is under way still"
    old.tell(Kind.ERRAND_ENDED, "done", outcome="done")
    assert len(heard) == 1
    frame = Samples(
        errand="hand-1", stream="loop", rows=[Sample(at=stage.session.now, values={"summary": "5 s"})]
    )
    stage.bridge.told.emit([frame])
    assert heard[-1].reason == "5 s" and heard[-1].action == "loop"


def test_an_errand_s_question_is_asked_over_every_workspace_and_answered_by_keyboard(stage: Stage) -> None:
    calls: list[str] = []
    stage.window.calls.call = lambda title, text: calls.append(f"{title}: {text}")  # type: ignore[method-assign]
    stage.window.go_to("Rig")
    errand = Errand(stage, "flats-1", "flats", "flats through L")
    errand.begin()
    asking = stage.window.asking
    assert asking.isHidden()
    errand.tell(
        Kind.QUESTION_ASKED, question=2, words="is the panel laid on?", answers=["it is", "leave it out"]
    )
    stage.settle()
    assert asking.words.text() == "Vigil asks: is the panel laid on?" and asking.isVisible()
    assert asking.otherwise.text() == "" and calls == ["Vigil asks: is the panel laid on?"]
    answer = next(a for a in stage.window._actions if a.name == "Answer what Vigil asks")
    assert not answer.hindrance()
    answer.run()
    assert QApplication.focusWidget() is asking.answers[0]
    stage.press(Qt.Key.Key_Return)
    assert stage.bridge.asked[-1][1]["answer"] == "it is"
    stage.press(Qt.Key.Key_Tab)
    stage.press(Qt.Key.Key_Space)
    assert stage.bridge.asked[-1] == (
        Command.ANSWER,
        {"errand": "flats-1", "question": 2, "answer": "leave it out"},
    )
    errand.tell(Kind.QUESTION_ANSWERED, question=2, answer="leave it out")
    assert asking.isHidden() and answer.hindrance() == "nothing is asked"
