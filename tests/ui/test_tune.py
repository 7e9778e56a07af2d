"""The mount's bench."""

from datetime import timedelta

import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.ui.conftest import Stage
from vigil.documents.deeds import Deed
from vigil.documents.deeds import Stage as DeedStage
from vigil.documents.events import Kind
from vigil.documents.messages import Command, DeviceReport, Reports
from vigil.planning.flip import hour_angle_min, rule_for
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes
from vigil.ui.tune.mount import MountBench


def bench(stage: Stage) -> MountBench:
    stage.window.go_to("Tune")
    found = stage.workspace("Tune")
    found.show_bench("Mount")
    found = found.mount
    assert isinstance(found, MountBench)
    return found


def put(stage: Stage, minutes: float, side: str) -> None:
    """The mount says that it looks there."""
    session = stage.session
    place = session.rig.site.place().airless()
    ra, dec = unobserve(minutes / 4, 34.0, from_datetimes(session.now), place)
    state = {"ra_deg": float(ra) % 360, "dec_deg": float(dec), "pier_side": side, "tracking": True}
    report = DeviceReport(name="mount", lamp="ready", state=state)
    stage.bridge.told.emit([Reports(at=session.now, devices=[report])])


def test_without_a_mount_that_answers_it_says_so(stage: Stage) -> None:
    here = bench(stage)
    assert "Not connected" in here.side_words.text() and not here.put.isEnabled()
    assert "Connect the mount first" in here.warning.text()


def test_before_and_after_the_flip(stage: Stage) -> None:
    here = bench(stage)
    put(stage, -20, "west")
    assert here.side_words.text() == "Tube west of the pier, looking east of the meridian."
    assert ("hour angle", "20 min before the meridian") in here.facts.facts
    assert [name for name, _ in here.coming.facts] == ["meridian", "the flip may begin", "limit"]
    assert [said for _, said, _ in here._limits()] == ["flip", "", "limit"]
    put(stage, 15, "east")
    assert here.side_words.text() == "Tube east of the pier, looking west of the meridian."
    assert here.coming.facts == [] and "No flip and no limit" in here.why.text()


def test_where_it_will_be_is_drawn_thin(stage: Stage) -> None:
    here = bench(stage)
    put(stage, -20, "west")
    assert here.later() is None
    stage.session.moments.look_at(stage.session.now + timedelta(hours=1))
    later = here.later()
    assert later is not None and "thin: as at" in here.subtitle.text
    block = stage.plan.plan.blocks[0].target
    at = stage.session.moments.as_at
    assert at is not None
    assert later.hour_angle_min == pytest.approx(
        hour_angle_min(block.ra_deg, block.dec_deg, stage.session.rig, at), abs=0.1
    )


def test_the_flip_is_tried_by_hand(stage: Stage) -> None:
    here = bench(stage)
    put(stage, -100, "west")
    rig, now = stage.session.rig, stage.session.now
    rule = rule_for(rig)
    assert rule is not None
    here.before.setText("12")
    here.before.commit()
    stage.qtbot.mouseClick(here.put, Qt.MouseButton.LeftButton)
    command, values = stage.bridge.asked[-1]
    assert command is Command.DEVICE and (values["device"], values["action"]) == ("mount", "slew")
    ra, dec = float(values["ra"]), float(values["dec"])
    assert hour_angle_min(ra, dec, rig, now) == pytest.approx(rule.wanted_min - 12, abs=0.3)
    stage.qtbot.mouseClick(here.try_flip, Qt.MouseButton.LeftButton)
    _, values = stage.bridge.asked[-1]
    assert hour_angle_min(float(values["ra"]), float(values["dec"]), rig, now) > rule.wanted_min
    failed = Deed(
        id="1", at=now, device="mount", action="slew", words="slew", stage=DeedStage.FAILED,
        reason="the slew would pass 8° from the sun",
    )  # fmt: skip
    stage.session.deed_told.emit(failed)
    assert "from the sun" in here.said.text()
    here.before.setText("soon")
    here.before.commit()
    assert here.before.state == "wrong"


def test_a_running_night_keeps_the_mount(stage: Stage) -> None:
    stage.at(stage.told.upto(Kind.EXPOSURE_STARTED))
    here = bench(stage)
    put(stage, -20, "west")
    assert not here.put.isEnabled() and "hold it" in here.warning.text()


def test_a_view_is_turned_and_put_back(stage: Stage) -> None:
    view = bench(stage).east
    usual = view.camera
    stage.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPointF(50, 50).toPoint())
    stage.qtbot.mouseMove(view, pos=QPointF(90, 60).toPoint())
    stage.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton)
    assert view.camera != usual
    stage.qtbot.mouseDClick(view, Qt.MouseButton.LeftButton)
    assert view.camera == usual
