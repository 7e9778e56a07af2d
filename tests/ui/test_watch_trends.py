"""Watch: what is followed through the night, the loupe, time lost, and questions."""

from datetime import timedelta

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QGuiApplication

from tests.ui.conftest import Stage
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.planning.account import SpellLog
from vigil.ui.image.view import Under
from vigil.ui.watch.mood import lost_words
from vigil.ui.watch.quantities import QUANTITIES, quantity
from vigil.ui.watch.workspace import Watch


@pytest.fixture()
def watch(stage: Stage) -> Watch:
    made = stage.workspace("Watch")
    assert isinstance(made, Watch)
    for number in range(1, 4):
        stage.at(stage.told.upto(Kind.FRAME_MEASURED, number))
    stage.settle()
    return made


def test_each_row_shows_what_is_chosen_for_it(stage: Stage, watch: Watch) -> None:
    trends = watch.trends
    one = trends.height()
    assert [each.title for each in trends.shown()] == ["star size, px"], "the picture needs the room"
    watch.fold_trends.setChecked(True)
    assert trends.height() == 3 * one
    assert [each.title for each in trends.shown()] == ["star size, px", "guide rms, ″", "stars"]
    before = trends.grab().toImage()
    trends.rows[1].setCurrentText("temperature, °C")
    assert trends.grab().toImage() != before
    temperatures = [value for _, value in trends.points(quantity("temperature, °C"))]
    saved = [light.values["tube_c"] for light in trends.lights()]
    assert temperatures == saved and all(isinstance(value, float) for value in saved)
    scale = stage.session.rig.scale_arcsec_px()
    for light, arcsec in trends.points(quantity("star size, ″")):
        assert arcsec == pytest.approx(light.values["hfr_px"] * scale)
    rooms = trends.points(quantity("free on disk, GB"))
    assert rooms and all(room > 0 for _, room in rooms)


def test_two_quantities_against_each_other(watch: Watch) -> None:
    trends = watch.trends
    trends.against.setCurrentText("against temperature, °C")
    other = trends.other()
    assert other is not None and trends.rows[1].isHidden() and trends.rows[2].isHidden()
    pairs = list(trends.pairs(trends.shown()[0], other))
    assert len(pairs) == len(trends.lights()) == 3
    for light, across, up in pairs:
        assert (across, up) == (light.values["tube_c"], light.values["hfr_px"])
    trends.against.setCurrentText("over time")
    assert not trends.rows[1].isHidden()


def test_all_quantities_are_copied(watch: Watch) -> None:
    head, *rows = watch.trends.copy_text().splitlines()
    assert head.split("\t")[2:] == [each.title for each in QUANTITIES] and len(rows) == 3
    assert QGuiApplication.clipboard() is not None


def test_a_scale_shows_a_change_that_matters() -> None:
    low, high = quantity("star size, px").scale([2.0, 2.02])
    assert 1.4 < low < 1.6 and 2.4 < high < 2.6, "a quarter more or less is a third of the height"
    assert quantity("star size, px").scale([2.0, 3.5])[1] > 3.5
    assert quantity("star size, px").scale([2.0], limit=2.9)[1] > 2.9, "its limit lies in it"
    assert quantity("off target, px").scale([1.0])[0] == 0.0
    floating = quantity("temperature, °C").scale([1.0, 2.0])
    assert floating[0] < 1.0 and floating[1] > 2.0 and floating[1] - floating[0] >= 2.4


def test_a_trend_has_the_limit_that_the_night_acts_on(stage: Stage, watch: Watch) -> None:
    trends = watch.trends
    size = quantity("star size, px")
    points = trends.points(size)
    limit = trends.limit(size, points)
    assert limit is not None
    grown = stage.session.plan.plan.orders.focus_grown_by_percent
    assert limit / (1 + grown / 100) in [pytest.approx(value) for _, value in points]
    assert trends.limit(quantity("temperature, °C"), points) is None
    off = trends.limit(quantity("off target, px"), points)
    assert off == pytest.approx(60 * 2.0 / stage.session.rig.scale_arcsec_px())


def test_the_picture_has_most_of_the_room(stage: Stage, watch: Watch) -> None:
    stage.window.resize(1280, 800)
    stage.qtbot.wait(1)
    assert watch.pictures.height() >= watch.height() / 2
    watch.enlarge(True)
    stage.qtbot.wait(1)
    assert (
        watch.strip.isHidden() and watch.trends.isHidden() and watch.pictures.height() > 0.7 * watch.height()
    )
    watch.enlarge(False)
    assert not watch.strip.isHidden() and not watch.trends.isHidden()


def test_the_loupe_shows_the_pixels_under_the_pointer(watch: Watch) -> None:
    watch.loupe_on.setChecked(True)
    pyramid = watch.frame.pyramid
    assert pyramid is not None and watch.loupe.isHidden()
    watch.frame.pointed.emit(Under(50, 60, int(pyramid.image[60, 50])))
    assert not watch.loupe.isHidden()
    patch = watch.loupe.patch()
    assert patch is not None and np.array_equal(patch, pyramid.image[50:71, 40:61])
    watch.frame.pointed.emit(Under(0, 0, 0))
    corner = watch.loupe.patch()
    assert corner is not None and corner[0, 0] == 0 and corner[10, 10] == pyramid.image[0, 0]
    # it keeps out of the pointer's way
    left = watch.loupe.x()
    far = watch.frame.under(QPointF(watch.frame.width() - 4.0, watch.frame.height() / 2))
    inside = far or Under(pyramid.image.shape[1] - 1, 5, 0)
    watch.frame.pointed.emit(inside)
    assert watch.loupe.x() != left or far is None
    watch.loupe_on.setChecked(False)
    assert watch.loupe.isHidden()


def test_time_lost_is_said_with_its_causes(stage: Stage, watch: Watch) -> None:
    assert watch.lost.isHidden()
    at = stage.session.now

    def told(kind: Kind, minutes: float, reason: str, **values: object) -> Event:
        return Event(errand="n", at=at + timedelta(minutes=minutes), kind=kind, values=values, reason=reason)

    log = SpellLog(
        [
            told(Kind.HELD, 0, "cloud 77 %, limit 60", condition="safe"),
            told(Kind.RESUMED, 20, "safe again"),
            told(Kind.HELD, 30, "cloud 92 %, limit 60", condition="safe"),
            told(Kind.RESUMED, 40, "safe again"),
            told(Kind.HELD, 50, "12 stars where 340 are usual", condition="enough stars"),
            told(Kind.RESUMED, 55, "stars seen again"),
        ]
    )
    assert log.lost_s() == {"held: cloud": 1800.0, "held: too few stars": 300.0}
    assert lost_words(log.lost_s()) == "35 min lost: 30 min held: cloud, 5 min held: too few stars"
    assert lost_words({"dither failed": 30.0}) == ""
    waits = told(Kind.WAITING, 60, "not open yet", until=(at + timedelta(minutes=75)).isoformat())
    held, shelters = (
        told(Kind.HELD, 70, "rain"),
        told(Kind.ACTIVITY_STARTED, 71, "", activity="9"),
    )
    early = SpellLog([waits, held, shelters, told(Kind.RESUMED, 74, "safe again")])
    assert early.lost_s() == {}, "it would have been waited anyway"
    late = SpellLog([waits, held, shelters, told(Kind.RESUMED, 78, "safe again")])
    assert late.lost_s() == {"held: rain": 180.0}


def test_a_question_is_asked_where_it_can_be_answered(stage: Stage, watch: Watch) -> None:
    last = stage.session.record.state.last_id
    night, now = stage.session.record.state.night, stage.session.now
    until = (now + timedelta(minutes=10)).isoformat()
    values = {
        "question": 1,
        "words": "are the caps off?",
        "answers": ["yes", "no"],
        "until": until,
        "otherwise": "hold",
    }
    asked = Event(id=last + 1, errand=night, at=now, kind=Kind.QUESTION_ASKED, values=values)
    stage.session.take_news([asked])
    assert watch.mood.text() == "Vigil asks" and watch.mood_words.text() == "are the caps off?"
    asking = stage.window.asking
    assert not asking.isHidden() and asking.otherwise.text().endswith(": hold")
    assert [answer.text() for answer in asking.answers] == ["Yes", "No"]
    asking.answers[1].click()
    assert stage.bridge.asked[-1] == (Command.ANSWER, {"errand": night, "question": 1, "answer": "no"})
    ended = asked.model_copy(
        update={
            "id": last + 2,
            "kind": Kind.QUESTION_ANSWERED,
            "values": {"question": 1, "answer": "no"},
        }
    )
    stage.session.take_news([ended])
    assert asking.isHidden() and watch.mood.text() == "All quiet"


def test_across_the_room_it_says_what_goes_on_and_what_comes(watch: Watch) -> None:
    watch.enlarge(True)
    assert not watch.large.isHidden() and watch.large.text == "All quiet"
    assert "IC 405" in watch.large_now.text and " in " in watch.large_now.text
    watch.enlarge(False)
    assert watch.large.isHidden()
