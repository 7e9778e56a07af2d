"""Conditions watched while a frame is exposed: they end it, and what there is of it is kept as doubtful."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from campaigns.rigs import example, small
from vigil.documents.events import Kind
from vigil.documents.eventvalues import new_event
from vigil.documents.night import fold_all
from vigil.documents.scenario import Scenario
from vigil.files.fits import read_frame
from vigil.keeper.reconcile import unrecorded_frames
from vigil.planning.account import account


def night(folder: Path, rig: Any, *faults: dict[str, Any]) -> Played:
    scenario = Scenario.model_validate({"faults": list(faults)})
    return play(rig, short_plan(count=3, exposure_s=300), folder, seed=2, scenario=scenario, quick=True)


def short(played: Played) -> list[dict[str, Any]]:
    return [e.values for e in played.of(Kind.FRAME_SAVED) if e.values.get("doubtful")]


def test_a_mount_that_moves_ends_the_frame_and_it_is_taken_again(tmp_path: Path) -> None:
    played = night(
        tmp_path, quick_rig(), {"kind": "moves by itself", "device": "mount", "at_min": 39, "amount": 15}
    )
    (frame,) = short(played)
    assert "of 300 s: the mount was moved by 15" in frame["doubtful"]
    ended = [e for e in played.of(Kind.EXPOSURE_ENDED) if e.values["outcome"] == "short"]
    assert len(ended) == 1 and "ended after" in ended[0].reason
    state = fold_all(played.events)
    assert len(state.saved) == 7 and state.good == 6 and state.done(frame["line"]) == 3
    assert played.events[-1].values["frames"] == 6
    told = account(short_plan(count=3, exposure_s=300), played.events)
    assert told.complete and 0 < told.lost_s["frames cut short"] < 300


def test_an_unsafe_sky_ends_the_frame_and_holds(tmp_path: Path) -> None:
    stale = {"kind": "weather stands still", "device": "weather station", "at_min": 45, "minutes": 20}
    played = night(tmp_path, small(example("stork-1600"), 4), stale)
    (frame,) = short(played)
    assert "weather station silent for" in frame["doubtful"]
    held = played.of(Kind.HELD)
    assert held and "weather station silent" in held[0].reason and len(played.of(Kind.RESUMED)) == len(held)
    assert played.events[-1].values["frames"] == 6


def test_a_short_frame_says_how_long_it_was_also_after_a_crash(tmp_path: Path) -> None:
    fault = {"kind": "moves by itself", "device": "mount", "at_min": 39, "amount": 15}
    scenario = Scenario.model_validate({"faults": [fault]})
    rig = quick_rig(focuser=None)
    played = play(rig, short_plan(count=1, exposure_s=300), tmp_path, seed=2, scenario=scenario)
    (frame,) = short(played)
    header = read_frame(Path(frame["path"])).header
    lasted_s = float(header["EXPTIME"])
    assert 0 < lasted_s < 300 and frame["doubtful"].startswith(f"{lasted_s:.0f} of 300 s")
    # had its saving not been recorded, it would be found as doubtful too
    before = [
        e
        for e in played.events
        if not (e.kind is Kind.FRAME_SAVED and e.values["frame_id"] == frame["frame_id"])
    ]
    ((found, _),) = unrecorded_frames(fold_all(before), tmp_path)
    assert found["frame_id"] == frame["frame_id"] and found["doubtful"].startswith(f"{lasted_s:.0f} of 300 s")
    new_event("n", played.events[-1].at, Kind.FRAME_SAVED, found, "as it is put on record")
    assert datetime.fromisoformat(found["started_at"]).replace(tzinfo=UTC).year == 2027
