"""Nights on other rigs than the demo's, and with devices that now and then never answer."""

from pathlib import Path

import numpy as np
import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.night import play
from campaigns.rigs import MOVED_DEVICES, complete, example, played_night, small, with_time_outs
from vigil.documents.events import Kind
from vigil.documents.reasonlog import ReasonLog
from vigil.documents.rig.change import with_values
from vigil.engine.conditions import conditions_for
from vigil.files.fits import read_frame
from vigil.planning.fitting import fit
from vigil.ui.image.loading import load_for_view


def test_the_long_reflector_opens_and_closes_roof_and_cover(tmp_path: Path) -> None:
    rig = small(example("stork-1600"), 4)
    played = play(rig, short_plan(count=1), tmp_path, seed=3, quick=True)
    state = played.truth.gear.state
    assert len(played.frames) == 2
    assert set(state.shutters.values()) == {"closed"} and state.parked and state.set_point_c is None
    kinds = [e.values["kind"] for e in played.of(Kind.ACTIVITY_STARTED)]
    assert kinds.index("open") < kinds.index("slew") and kinds.count("open") == 2
    parts = [e.values["part"] for e in played.of(Kind.CLOSING_PART)]
    assert parts.index("park") < parts.index("close the roof") < parts.index("disconnect")
    assert "safe" in [condition.name for condition in conditions_for(rig)]


def test_the_uncooled_colour_camera_on_a_tracker(tmp_path: Path) -> None:
    rig = small(example("tern-135"), 2)
    plan, said = fit(short_plan(count=2), rig)
    assert said == ["IC 405: without filter, in place of Ha, L"]
    played = play(rig, plan, tmp_path, seed=3)
    assert len(played.frames) == 2
    kinds = {e.values["kind"] for e in played.of(Kind.ACTIVITY_STARTED)}
    assert kinds == {"connect", "wake mount", "slew", "centre"}, "nothing to cool, to focus, to turn"
    frame = read_frame(Path(played.frames[0]["path"]))
    assert frame.header["BAYERPAT"] == "RGGB" and "FILTER" not in frame.header
    assert "SET-TEMP" not in frame.header and frame.header["FOCALLEN"] == 135
    # the green pixels see more of the sky than the red ones
    red, green = frame.image[::2, ::2].mean(), frame.image[::2, 1::2].mean()
    assert green > red
    shown = load_for_view(Path(played.frames[0]["path"])).pyramid.image
    dark = np.percentile(shown[::2, ::2], 20), np.percentile(shown[::2, 1::2], 20)
    assert dark[0] == pytest.approx(dark[1], rel=0.01), "on the screen the mosaic is gone"
    measured = [e.values for e in played.of(Kind.FRAME_MEASURED)]
    assert all(v["stars"] > 100 and v["off_px"] < 4 for v in measured)
    assert list(played.events[-1].values["closing"]) == ["stop the camera", "park", "disconnect"]


@pytest.mark.parametrize("seed", [1])
def test_a_device_that_times_out_one_call_in_twenty_is_a_nuisance(seed: int) -> None:
    night = played_night(with_time_outs(quick_rig(), MOVED_DEVICES), short_plan(count=1), seed)
    assert complete(night), night
    assert night["recovered"] >= 2


def test_each_recovery_stands_in_the_reason_log(tmp_path: Path) -> None:
    played = play(with_time_outs(quick_rig(), ("focuser",)), short_plan(), tmp_path, seed=5, quick=True)
    log = ReasonLog()
    said = [s for s in map(log.add, played.events) if s is not None and s.what == "device answered again"]
    recovered = played.of(Kind.DEVICE_RECOVERED)
    assert recovered and len(said) == len(recovered)
    assert all("timed out after" in s.why or "connected at try" in s.why for s in said)


def test_unsafe_weather_holds_the_night(tmp_path: Path) -> None:
    """A limit under what the station measures: no exposure, and the reason with its numbers."""
    rig = small(example("stork-1600"), 4)
    rig = with_values(rig, {("weather", "wind_limit_m_s"): 0.1})
    played = play(rig, short_plan(count=1, until_dawn_min=600), tmp_path, seed=3, quick=True)
    assert not played.frames
    held = played.of(Kind.HELD)
    assert held and "wind" in held[0].reason and "limit 0.1" in held[0].reason
    kinds = {e.values["kind"] for e in played.of(Kind.ACTIVITY_STARTED)}
    assert "open" not in kinds and "slew" not in kinds, "nothing was opened, nothing moved"
