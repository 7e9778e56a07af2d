"""What a frame shows, over the frame; and the camera turned by hand, as Watch shows it."""

from datetime import timedelta
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage

from tests.ui.conftest import Stage
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.files.deepsky import find_object
from vigil.files.fits import plane_shape, read_header, read_wcs
from vigil.ui.targets.backdrops import load_backdrop
from vigil.ui.turning import TurningDial


def picture(stage: Stage) -> QImage:
    return stage.window.workspace("Watch").frame.grab().toImage()


def test_names_and_residuals_lie_over_the_frame(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    bare = picture(stage)
    watch.overlay.names.click()
    stage.settle()
    named = picture(stage)
    assert named != bare and watch.under.text == "by the solution in its header"
    # the object's middle is written beside where the solution puts it
    light = stage.session.record.last_light
    header = read_header(light.path)
    wcs = read_wcs(header, plane_shape(header))
    entry = find_object("IC 405")
    column, row = (float(v) for v in wcs.to_pixel(entry.ra_deg, entry.dec_deg))
    at = watch.frame.to_widget(column, row)
    near = watch.frame.rect().intersected(_around(at, 60))
    assert any(
        named.pixelColor(x, y) != bare.pixelColor(x, y)
        for x in range(near.left(), near.right(), 2)
        for y in range(near.top(), near.bottom(), 2)
    )
    watch.overlay.names.click()
    watch.overlay.residuals.click()
    stage.settle()
    assert "stars agree" in watch.under.text and picture(stage) not in (bare, named)
    watch.overlay.residuals.click()
    assert picture(stage) == bare


def _around(at: QPointF, half: int):  # type: ignore[no-untyped-def]
    from PyQt6.QtCore import QRect

    return QRect(int(at.x()) - half, int(at.y()) - half, 2 * half, 2 * half)


def test_a_frame_that_can_not_be_solved_says_so(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    watch.overlay.names.setChecked(True)
    watch.overlay.show_path(Path("/nowhere.fits"))
    stage.settle()
    assert "no such file" in watch.under.text


def turning(stage: Stage, **step: object) -> list[Event]:
    """Events of a person turning the camera, after the night has begun."""
    begun = stage.told.events[0]
    last = stage.session.record.state.last_id
    identity = {"activity": 900, "kind": "turn by hand", "condition": "camera angle"}
    started = Event(
        id=last + 1, errand=begun.errand, at=stage.session.now, kind=Kind.ACTIVITY_STARTED,
        values={**identity, "words": "turn the camera by hand to 40.0°", "expected_s": 180.0}, reason="",
    )  # fmt: skip
    if not step:
        return [started]
    told = Event(
        id=last + 1,
        errand=begun.errand,
        at=stage.session.now + timedelta(seconds=20),
        kind=Kind.ACTIVITY_STEP,
        values={**identity, **step},
        reason="frame 1: 12.3° clockwise is left",
    )
    return [told]


def test_watch_shows_which_way_to_turn_and_takes_it_as_it_is(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.at(1)
    stage.session.take_news(turning(stage))
    assert watch.turning.said == "the first frame is being taken and solved"
    stage.session.take_news(turning(stage, turn_deg=-12.3, limit_deg=1.5, way="clockwise", attempt=1))
    assert watch.turning.isVisible() and watch.turning.said == "turn 12.3° clockwise"
    asked = stage.told.events[0].model_copy(
        update={
            "id": stage.session.record.state.last_id + 1,
            "kind": Kind.QUESTION_ASKED,
            "values": {"question": 1, "words": "turn the camera", "answers": ["take it as it is"]},
        }
    )
    stage.session.take_news([asked])
    stage.settle()
    (as_it_is,) = stage.window.asking.answers
    assert as_it_is.text() == "Take it as it is" and as_it_is.isVisible()
    stage.qtbot.mouseClick(as_it_is, Qt.MouseButton.LeftButton)
    assert stage.bridge.asked[-1] == (
        Command.ANSWER,
        {"errand": asked.errand, "question": 1, "answer": "take it as it is"},
    )


@pytest.mark.parametrize(
    ("turn", "said"), [(12.3, "turn 12.3° counter-clockwise"), (1.4, "there: leave it as it is")]
)
def test_the_dial_says_what_to_do(stage: Stage, turn: float, said: str) -> None:
    dial = TurningDial()
    dial.resize(800, 700)
    dial.begin("IC 405 at 40.0°")
    before = dial.grab().toImage()
    dial.show_turn(turn, 1.5, "counter-clockwise", 2)
    assert dial.said == said and dial.grab().toImage() != before


def test_a_picture_lies_on_the_chart_where_it_looks(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    path = stage.session.record.last_light.path
    header = read_header(path)
    wcs = read_wcs(header, plane_shape(header))
    targets = stage.workspace("Targets")
    targets.show_place(wcs.ra_deg, wcs.dec_deg)
    targets.chart.look_at(wcs.ra_deg, wcs.dec_deg, 3.0)
    stage.settle()
    for name in ("objects", "names", "figures", "grid", "stars"):
        targets.chart.set_layer(name, False)
    without = targets.chart.grab().toImage()
    targets.chart.backdrops = [load_backdrop(path, wcs)]
    targets.chart.redraw()
    with_it = targets.chart.grab().toImage()
    changed = [
        (x, y)
        for x in range(2, with_it.width() - 2, 7)
        for y in range(30, with_it.height() - 70, 7)
        if with_it.pixelColor(x, y) != without.pixelColor(x, y)
    ]
    from vigil.planning.matching import footprint_of

    foot, plane = footprint_of(wcs), targets.chart.plane
    inside = [bool(foot.holds(*plane.sky(x, y))) for x, y in changed]
    assert len(changed) > 200 and sum(inside) > 0.97 * len(inside)


def test_shapes_lie_over_the_frame_with_names_or_alone(stage: Stage) -> None:
    watch = stage.workspace("Watch")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    bare = picture(stage)
    watch.overlay.shapes.click()
    stage.settle()
    shaped = picture(stage)
    assert shaped != bare
    watch.overlay.names.click()
    stage.settle()
    assert picture(stage) not in (bare, shaped)
    watch.overlay.names.click()
    watch.overlay.shapes.click()
    stage.settle()
    assert picture(stage) == bare
