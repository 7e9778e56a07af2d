"""Watch: the filmstrip, verdicts by hand, blinking, and what is asked of a night that runs."""

from PyQt6.QtCore import QPointF, Qt

from tests.ui.conftest import Stage
from vigil.documents.events import Kind
from vigil.documents.messages import Command
from vigil.planning.verdict import Mark
from vigil.ui.record import Light
from vigil.ui.watch.blinking import upside_down
from vigil.ui.watch.workspace import Watch


def watch(stage: Stage, frames: int) -> Watch:
    found = stage.workspace("Watch")
    assert isinstance(found, Watch)
    for number in range(1, frames + 1):
        stage.at(stage.told.upto(Kind.FRAME_MEASURED, number))
        stage.settle()
    return found


def test_an_earlier_frame_is_looked_at_and_the_last_one_again(stage: Stage) -> None:
    here = watch(stage, 3)
    strip = here.strip
    assert [light.values["number"] for light in strip.lights] == [1, 2, 3] and len(strip._thumbs) == 3
    strip.setFocus()
    stage.qtbot.keyClick(strip, Qt.Key.Key_Left)
    stage.settle()
    assert strip.chosen_id == strip.lights[1].frame_id and "2 of 3" in here.title.text
    assert here._shown == strip.lights[1].path
    stage.qtbot.keyClick(strip, Qt.Key.Key_Escape)
    stage.settle()
    assert strip.chosen_id is None and "3 of 3" in here.title.text
    cell = strip._cells()[0][1]
    stage.qtbot.mouseClick(strip, Qt.MouseButton.LeftButton, pos=cell.center().toPoint())
    stage.settle()
    assert "1 of 3" in here.title.text and strip._at(QPointF(-5, 5)) is None
    assert "kept" in strip.said_of(strip.lights[0]) and strip.verdict_of(strip.lights[2]).mark is Mark.GOOD
    # a frame that comes while an earlier one is looked at doesn't take its place
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 4))
    stage.settle()
    assert "1 of 3" in here.title.text


def test_a_frame_is_rejected_and_kept_after_all(stage: Stage) -> None:
    here = watch(stage, 2)
    frame = here.strip.lights[1].frame_id
    assert not here.reject.isHidden() and here.reject.text() == "Reject"
    stage.qtbot.mouseClick(here.reject, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (Command.JUDGE, {"frame": frame, "verdict": "rejected"})
    last = stage.told.events[stage.told.upto(Kind.FRAME_MEASURED, 2) - 1]
    values = {"frame_id": frame, "verdict": "rejected"}
    judged = last.model_copy(update={"id": last.id + 1, "kind": Kind.FRAME_JUDGED, "values": values})
    stage.bridge.told.emit([judged])
    assert here.reject.text() == "Keep" and stage.session.record.tally[0] == 1
    assert here.strip.verdict_of(here.strip.lights[1]).mark is Mark.REJECTED
    stage.qtbot.mouseClick(here.reject, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (Command.JUDGE, {"frame": frame, "verdict": "kept"})


def test_blinking_shows_the_frame_before_and_stops_where_it_began(stage: Stage) -> None:
    here = watch(stage, 2)
    own = here.frame.pyramid
    here.blink.setChecked(True)
    stage.settle()
    assert own is not None and here.frame.pyramid is not own, "the frame before is shown first"
    here._blinking.turn()
    assert here.frame.pyramid is own
    here._blinking.turn()
    here.blink.setChecked(False)
    assert here.frame.pyramid is own
    here.strip.choose(here.strip.lights[0].frame_id)
    stage.settle()
    here.blink.setChecked(True)
    assert not here.blink.isChecked() and "no frame before" in here.under.text


def test_frames_on_both_sides_of_a_flip_are_upside_down_to_each_other() -> None:
    def light(angle: float | None) -> Light:
        return Light("f", None, None, {"position_angle_deg": angle})  # type: ignore[arg-type]

    assert upside_down(light(10), light(190.5)) and not upside_down(light(359), light(2))
    assert not upside_down(light(10), light(None))


def test_what_a_running_night_may_be_asked(stage: Stage) -> None:
    here = stage.workspace("Watch")
    assert isinstance(here, Watch) and here.refocus.isHidden() and here.reject.isHidden()
    watch(stage, 1)
    for tool, asked in (
        (here.refocus, (Command.REFOCUS, {})),
        (here.pause_focus, (Command.PAUSE_FOCUS, {})),
        (here.after_frame, (Command.END, {"after_frame": True, "reason": "ended by hand"})),
    ):
        stage.qtbot.mouseClick(tool, Qt.MouseButton.LeftButton)
        assert stage.bridge.asked[-1] == asked
    last = stage.told.events[stage.told.upto(Kind.FRAME_MEASURED, 1) - 1]
    values = {"what": "pause focus"}
    paused = last.model_copy(update={"id": last.id + 1, "kind": Kind.ASKED, "values": values})
    stage.bridge.told.emit([paused])
    assert here.pause_focus.text() == "Resume refocusing"
    stage.qtbot.mouseClick(here.pause_focus, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (Command.RESUME_FOCUS, {})
