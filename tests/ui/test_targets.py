"""Targets: found as one types, the sensor at true scale, into the plan."""

from datetime import timedelta
from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.ui.conftest import Stage
from vigil.documents.events import Kind
from vigil.files.deepsky import all_objects, find_object, search
from vigil.sky.angles import separation_deg
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes
from vigil.sky.tangent import deproject
from vigil.ui.targets.workspace import Targets


def test_names_aliases_and_common_names_are_found() -> None:
    assert search("ic405")[0].name == "IC 405" == search("IC 0405")[0].name
    assert search("california")[0].name == "NGC 1499"
    assert search("m 1")[0].name == "M 1" and search("m1")[0].common_name == "Crab Nebula"
    assert search("zzzz") == [] == search("  ")
    assert len(search("ngc", 60)) == 60 and len(all_objects()) > 18_000
    assert find_object("IC 405") == next(e for e in all_objects() if e.name == "IC 405")


def type_and_choose(stage: Stage, text: str) -> None:
    stage.workspace("Night")
    stage.press(Qt.Key.Key_F, control=True)  # from wherever one is
    targets = stage.window.current
    assert isinstance(targets, Targets) and targets.search.hasFocus()
    stage.qtbot.keyClicks(targets.search, text)
    stage.qtbot.keyClick(targets.search, Qt.Key.Key_Down)
    stage.settle()


def test_a_target_is_found_by_typing_and_put_in_the_plan_by_a_key(stage: Stage) -> None:
    type_and_choose(stage, "ngc 1893")
    targets = stage.window.workspace("Targets")
    assert targets.target.name == "NGC 1893" == targets.title.text()
    facts = dict(targets.tonight_facts.facts)
    assert facts["dark and high enough"].startswith("18:16–")
    assert facts["usable"] == "9 h 36" and facts["moon"].startswith("22 %")
    assert dict(targets.frame_facts.facts)["field"] == "1.35° × 1.35°"
    stage.qtbot.keyClick(
        targets.search, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert [b.target.name for b in stage.plan.plan.blocks] == ["IC 405", "NGC 1893"]
    assert stage.window.current.name == "Night"


def test_nothing_found_is_said(stage: Stage) -> None:
    type_and_choose(stage, "xyzzy")
    targets = stage.window.workspace("Targets")
    assert targets.found.entries == [] and targets.found.empty_words == "nothing of this name"


def test_the_sensor_is_drawn_at_true_scale_and_rotation(stage: Stage) -> None:
    type_and_choose(stage, "ic 405")
    chart = stage.window.workspace("Targets").chart
    chart.angle_deg = 24.0
    corners = chart.outline()
    sky = []
    for i in range(4):
        point = corners.at(i)
        xi = -(point.x() - chart.width() / 2) / chart.px_per_deg
        eta = -(point.y() - chart.height() / 2) / chart.px_per_deg
        sky.append(deproject(xi, eta, chart._target.ra_deg, chart._target.dec_deg))
    wide_deg = stage.session.rig.scale_arcsec_px() * stage.session.rig.camera.columns / 3600
    for (ra1, dec1), (ra2, dec2) in pairwise(sky):
        assert float(separation_deg(ra1, dec1, ra2, dec2)) == pytest.approx(wide_deg, rel=1e-3)
    # up on the sensor points 24° from north towards east, which is left
    up = (corners.at(0) + corners.at(1)) / 2 - (corners.at(0) + corners.at(2)) / 2
    assert np.degrees(np.arctan2(-up.x(), -up.y())) == pytest.approx(24.0, abs=0.01)


def test_stars_are_drawn_where_they_are(stage: Stage) -> None:
    type_and_choose(stage, "ic 405")
    chart = stage.window.workspace("Targets").chart
    field = chart.field
    assert field is not None and len(field.stars) > 200
    near = np.argsort(field.stars.mag)[:40]
    seen = 0
    image = chart.grab().toImage()
    for i in near:
        point = chart.place(float(field.stars.ra_deg[i]), float(field.stars.dec_deg[i]))
        if point is not None and chart.rect().adjusted(4, 40, -4, -20).contains(point.toPoint()):
            seen += image.pixelColor(point.toPoint()).lightness() > 120
    assert seen >= 5


def test_the_chart_zooms_and_comes_back(stage: Stage) -> None:
    type_and_choose(stage, "ic 405")
    chart = stage.window.workspace("Targets").chart
    before = chart.height_deg
    chart.setFocus()
    stage.qtbot.keyClick(chart, Qt.Key.Key_Plus)
    assert chart.height_deg < before
    chart.pan(QPointF(80, 0))
    assert chart.place(chart._target.ra_deg, chart._target.dec_deg).x() > chart.width() / 2 + 60
    stage.qtbot.keyClick(chart, Qt.Key.Key_0)
    assert chart.height_deg == before
    assert chart.place(chart._target.ra_deg, chart._target.dec_deg).x() == pytest.approx(chart.width() / 2)


def test_the_angle_of_the_last_solved_frame_is_used(stage: Stage) -> None:
    type_and_choose(stage, "ic 405")
    stage.at(stage.told.upto(Kind.FRAME_MEASURED, 1))
    solved = stage.session.record.measured()[0].values["position_angle_deg"]
    assert stage.window.workspace("Targets").chart.angle_deg == pytest.approx(solved) and solved != 0
    assert not stage.window.workspace("Targets").put.isEnabled()  # the plan is fixed while the night runs


def test_altitudes_are_those_of_the_moment_looked_at(stage: Stage) -> None:
    type_and_choose(stage, "ic 405")
    targets = stage.window.workspace("Targets")
    assert isinstance(targets, Targets) and targets.target is not None
    later = stage.session.now + timedelta(hours=4)
    stage.session.moments.look_at(later)
    where = targets.target.ra_deg, targets.target.dec_deg
    site = stage.session.rig.site.place()
    expected = float(observe(*where, from_datetimes(later), site).altitude_deg)
    assert dict(targets.tonight_facts.facts)["altitude at 21:40"] == f"{expected:.0f}°"
    stage.press(Qt.Key.Key_Escape)
    assert "altitude at 17:40" in dict(targets.tonight_facts.facts)
