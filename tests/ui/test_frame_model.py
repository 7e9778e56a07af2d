"""The framing being made, without a window."""

import numpy as np
import pytest

from campaigns.demo import demo_rig
from vigil.documents.rig import Rig
from vigil.documents.rig.guider import GuiderPart
from vigil.documents.rig.mount import RotatorPart
from vigil.files.deepsky import find_object
from vigil.optics.footprint import Footprint
from vigil.planning.guidefield import guide_field
from vigil.planning.matching import earlier_frame, footprint_of
from vigil.planning.shelfcsv import parse_lines
from vigil.sky.angles import separation_deg
from vigil.solving.wcs import similarity
from vigil.ui.targets.framemodel import FrameModel


class Bench:
    """A rig and a camera angle that can be changed beneath the model."""

    def __init__(self, rotator: bool = True) -> None:
        part = RotatorPart(name="Turnstile") if rotator else None
        self.rig: Rig = demo_rig().model_copy(update={"rotator": part})
        self.angle: float | None = None
        self.model = FrameModel(lambda: self.rig, lambda: self.angle)
        self.heard = 0
        self.model.changed.connect(self._hear)

    def _hear(self) -> None:
        self.heard += 1


def test_nothing_can_be_framed_before_there_is_a_target() -> None:
    model = Bench().model
    assert model.mosaic is None and model.sensor is None and model.guide_field is None
    for edit in (model.quarter_turn, model.snap_to_centre, model.cover, lambda: model.rotate_to(3)):
        with pytest.raises(ValueError, match="choose a target first"):
            edit()
    model.undo()
    assert model.undoable == "" and model.frame is None


def test_edits_are_steps_and_a_gesture_is_one() -> None:
    bench = Bench()
    model = bench.model
    model.show_object(find_object("M 31"))
    first = model.frame
    for ra in (10.7, 10.8, 10.9):
        model.move_to(ra, 41.0, gesture="move")
    model.end_gesture()
    model.move_to(11.0, 41.0, gesture="move")
    assert model.undoable == "moving the frame"
    model.undo()
    assert model.frame.framing.ra_deg == 10.9
    model.undo()
    assert model.frame == first and model.redoable == "moving the frame"
    model.redo()
    model.quarter_turn()
    assert model.redoable == "", "another edit forgets what was undone"
    heard = bench.heard
    model.move_to(model.frame.framing.ra_deg, model.frame.framing.dec_deg)
    assert bench.heard == heard, "no change, no step"


def test_the_long_side_along_the_long_axis() -> None:
    bench = Bench()
    camera = bench.rig.camera.model_copy(update={"columns": 4000, "rows": 2000})
    bench.rig = bench.rig.model_copy(update={"camera": camera})
    bench.model.show_object(find_object("M 31"))
    bench.model.snap_to_axis()
    wanted = find_object("M 31").position_angle_deg
    # columns are the longer side: they run along the object, rows across it
    assert (bench.model.frame.framing.position_angle_deg + 90) % 180 == pytest.approx(wanted % 180)
    bench.model.show_place("here", 10.0, 20.0)
    for edit in (bench.model.snap_to_axis, bench.model.snap_to_centre, bench.model.cover):
        with pytest.raises(ValueError):
            edit()


def test_a_camera_that_nothing_turns_keeps_its_angle() -> None:
    bench = Bench(rotator=False)
    model = bench.model
    model.show_object(find_object("M 31"))
    model.rotate_to(10.0)
    assert model.frame.framing.position_angle_deg == 10, "not solved yet: nothing is known to keep to"
    with pytest.raises(ValueError, match="isn't known yet"):
        model.snap_to_camera()
    bench.angle = 77.0
    model.follow_camera()
    assert model.frame.framing.position_angle_deg == 77 and "nothing turns" in model.angle_locked
    with pytest.raises(ValueError, match="unlock"):
        model.rotate_to(10)
    model.unlock(True)
    model.rotate_to(10)
    bench.angle = 80.0
    model.follow_camera()
    assert model.frame.framing.position_angle_deg == 10, "unlocked, it stays"
    model.unlock(False)
    assert model.frame.framing.position_angle_deg == 80


def test_a_grid_that_can_not_be_changes_nothing() -> None:
    bench = Bench()
    model = bench.model
    model.show_object(find_object("M 31"))
    model.wish(1, name="core")
    before = model.frame
    for edit in (
        lambda: model.set_grid(11, 1),
        lambda: model.set_overlap(91),
        lambda: model.try_optics(2),
        lambda: model.wish(5, left_out=True) or model.framed(),
    ):
        with pytest.raises(ValueError):
            edit()
        while model.frame != before:
            model.undo()
    model.try_optics(30)
    with pytest.raises(ValueError, match="can be framed"):
        model.set_grid(10, 10)


def test_another_grid_forgets_what_was_wished_of_panels() -> None:
    model = Bench().model
    model.show_object(find_object("M 31"))
    model.set_grid(2, 2)
    model.wish(2, name="edge", lines=[x.model_dump() for x in parse_lines("L 60 s × 2")])
    model.move_panel(4, -1)
    assert model.framed().in_order == [1, 2, 4, 3]
    model.move_panel(4, 1)
    assert model.frame.order == (), "the usual order is no wish"
    model.set_overlap(30)
    assert model.framed().panel(2).name == "edge"
    model.copy_lines([2])
    assert model.framed().panel(2).lines is None
    model.set_grid(3, 2)
    assert model.frame.panels == ()


def test_the_mosaic_and_the_guide_field_follow() -> None:
    bench = Bench()
    model = bench.model
    model.show_object(find_object("M 31"))
    model.set_grid(2, 1)
    assert model.mosaic is model.mosaic, "kept until something changes"
    before = model.guide_field
    model.wish(1, left_out=True)
    assert model.guide_field != before, "it guides on the first panel that is taken"
    framed = model.framed()
    assert framed.id == "m31" and framed.field_width_deg == pytest.approx(1.361, abs=0.001)


def test_where_the_guider_looks() -> None:
    rig = demo_rig()
    main = Footprint(80.0, 30.0, 0.0, 1.36077, 1.36077)
    off_axis = rig.model_copy(update={"guider": GuiderPart(name="Thrush guider", kind="off-axis")})
    beside = guide_field(main, off_axis)
    half_mm = rig.camera.rows * rig.camera.pixel_um / 2000
    away_mm = half_mm + 900 * 4.0 / 2000 + 3.0
    expected = np.degrees(np.arctan(away_mm / rig.focal_length_mm))
    apart = float(separation_deg(beside.ra_deg, beside.dec_deg, 80.0, 30.0))
    assert apart == pytest.approx(expected, rel=1e-4) and beside.dec_deg > 30, "above the rows"
    scope = rig.model_copy(
        update={"guider": GuiderPart(name="Scope", kind="guide scope", focal_length_mm=200.0)}
    )
    around = guide_field(main, scope)
    assert (around.ra_deg, around.dec_deg) == (80.0, 30.0) and around.width_deg > beside.width_deg
    assert guide_field(main, rig.model_copy(update={"guider": None})) is None


def test_an_earlier_frame_is_taken_over_exactly() -> None:
    bench = Bench(rotator=False)
    bench.angle = 5.0
    wcs = similarity(10.6, 41.2, 4.5e-4 * np.exp(0.7j), False, (3008, 3008))
    header = {
        "OBJECT": " M 31 ",
        "EXPTIME": 300,
        "GAIN": 100,
        "XBINNING": 1.0,
        "SET-TEMP": -10.0,
        "OFFSET": True,
    }
    earlier = earlier_frame(header, wcs)
    assert (earlier.name, earlier.exposure_s, earlier.gain, earlier.binning) == ("M 31", 300.0, 100, 1)
    assert earlier.offset is None and earlier.filter == "" and earlier.set_point_c == -10
    foot = footprint_of(wcs)
    bench.model.show_object(find_object("M 31"))
    bench.model.set_lines(parse_lines("L 60 s × 2"))
    bench.model.set_grid(2, 2)
    bench.model.match("old.fits", "M 31", None, foot)
    g = bench.model.frame.framing
    assert (g.ra_deg, g.dec_deg) == (foot.ra_deg, foot.dec_deg) and g.count == 1
    assert g.position_angle_deg == pytest.approx(wcs.position_angle_deg)
    assert bench.model.frame.lines and bench.model.frame.unlocked and bench.model.frame.entry is not None
    bench.model.match("other.fits", "my field", None, foot)
    assert bench.model.frame.lines == () and bench.model.frame.entry is None


def test_panels_keep_one_angle_unless_they_are_to_follow_the_sphere() -> None:
    model = Bench(rotator=False).model
    model.show_object(find_object("M 81"))
    model.set_grid(3, 1)
    assert model.mosaic is not None
    assert len({p.footprint.position_angle_deg for p in model.mosaic.panels}) == 1
    model.follow_sphere(True)
    assert model.mosaic is not None and model.framed().framing.follow_sphere
    assert len({round(p.footprint.position_angle_deg, 2) for p in model.mosaic.panels}) == 3
