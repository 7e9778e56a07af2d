"""Every kind of fault in a whole night: it goes on, or ends safely, and says why."""

from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from campaigns.rigs import example, small
from tests.fakes import an_evening
from vigil.documents.events import Kind
from vigil.documents.rig import Rig
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.files.fits import read_frame

ALL_FOUR = 4


def night(folder: Path, *faults: dict[str, Any], rig: Rig | None = None, **more: Any) -> Played:
    """The short plan with things going wrong. Devices are connected at minute 23, the first frame is taken at
    36."""
    scenario = Scenario(faults=[Fault(**fault) for fault in faults])
    on_event, quick = more.pop("on_event", None), more.pop("quick", False)
    plan = an_evening(short_plan(**more))
    return play(rig or quick_rig(), plan, folder, 2, on_event, scenario=scenario, quick=quick)


def said(played: Played) -> str:
    return "\n".join(event.reason for event in played.events)


def ended_safely(played: Played) -> bool:
    closing = played.events[-1].values["closing"]
    return all(outcome == "done" for outcome in closing.values()) and played.truth.gear.state.parked


def test_faults_before_the_first_frame(tmp_path: Path) -> None:
    """Each is told with its reason, tried again, and costs no frame."""
    played = night(
        tmp_path,
        {"kind": FaultKind.TIMES_OUT, "device": "heaters", "at_min": 22.5, "minutes": 1},
        {"kind": FaultKind.SLEW_REFUSED, "at_min": 20, "minutes": 4},
        {"kind": FaultKind.FOCUSER_STALLS, "at_min": 20, "minutes": 7},
        {"kind": FaultKind.WHEEL_JAMS, "at_min": 20, "minutes": 17},
        quick=True,
    )
    told = said(played)
    for words in ("heaters", "it will not slew", "focus refused", "jammed between slot"):
        assert words in told, told
    assert len(played.frames) == ALL_FOUR and ended_safely(played), told


def test_faults_while_frames_are_taken(tmp_path: Path) -> None:
    played = night(
        tmp_path,
        {"kind": FaultKind.FRAME_TORN, "at_min": 36, "minutes": 3},
        {"kind": FaultKind.FRAME_LOST, "at_min": 40, "minutes": 1.5},
        {"kind": FaultKind.MOVES, "device": "mount", "at_min": 44, "amount": 15},
        {"kind": FaultKind.MOVES, "device": "focuser", "at_min": 46.5, "amount": 300},
        {"kind": FaultKind.MOVES, "device": "filter wheel", "at_min": 49, "amount": 2},
        {"kind": FaultKind.DISCONNECTS, "device": "focuser", "at_min": 52, "minutes": 1},
        {"kind": FaultKind.DISCONNECTS, "device": "mount", "at_min": 55, "minutes": 0},
        count=5,
        exposure_s=120.0,
        quick=True,
    )
    told = said(played)
    expected = (
        "the frame arrived torn, 422 rows of 704 pixels",
        "expose 120 s not done within",
        "the mount was moved by",
        "focuser at",
        "is not in the beam",
        "focuser lost",
        "mount lost",
    )
    for words in expected:
        assert words in told, f"{words}\n{told}"
    assert played.events[-1].values["frames"] == 10 and ended_safely(played), told


def test_a_disk_that_vanishes_and_one_that_is_full(tmp_path: Path) -> None:
    """What can't be written where it belongs is rescued; the night waits for the disk by itself."""
    played = night(
        tmp_path,
        {"kind": FaultKind.DISK_GONE, "at_min": 36.5, "minutes": 2},
        {"kind": FaultKind.DISK_FULL, "at_min": 45, "minutes": 5},
        rig=quick_rig(focuser=None),
        count=5,
    )
    held, resumed = played.of(Kind.HELD), [event.reason for event in played.of(Kind.RESUMED)]
    assert "can't be written (No such device" in held[0].reason and "No space left" in held[1].reason
    assert sum("the frame is in" in event.reason for event in played.of(Kind.FRAME_SAVED)) == 2
    assert len(resumed) == 2 and all(words.startswith("room on disk again for 1 min") for words in resumed)
    assert len(played.frames) == 10 and all(Path(frame["path"]).exists() for frame in played.frames)
    assert ended_safely(played)


def test_a_mount_that_refuses_for_good_ends_the_night_safely(tmp_path: Path) -> None:
    played = night(tmp_path, {"kind": FaultKind.SLEW_REFUSED, "at_min": 20, "minutes": 600}, quick=True)
    put_off = played.of(Kind.PUT_OFF)
    assert len(put_off) > 12 and "it will not slew" in put_off[0].reason, "it is tried all night"
    assert not played.of(Kind.HELD) and not played.of(Kind.BLOCK_GIVEN_UP)
    assert not played.frames and ended_safely(played)


def test_a_slew_refused_for_a_while_at_dusk_costs_that_while(tmp_path: Path) -> None:
    played = night(tmp_path, {"kind": FaultKind.SLEW_REFUSED, "at_min": 20, "minutes": 40}, quick=True)
    first = min(e.at for e in played.of(Kind.EXPOSURE_STARTED))
    assert len(played.frames) == ALL_FOUR and (first - played.events[0].at).total_seconds() / 60 < 84


def test_a_cooler_that_can_not_hold(tmp_path: Path) -> None:
    """Warm frames are not taken as cold ones: the night waits for the camera and goes on when it is cold."""
    played = night(
        tmp_path, {"kind": FaultKind.COOLER_WEAK, "at_min": 20, "minutes": 45, "amount": 4}, quick=True
    )
    assert "camera" in said(played) and len(played.frames) == ALL_FOUR
    first = min(e.at for e in played.of(Kind.EXPOSURE_STARTED))
    assert (first - played.events[0].at).total_seconds() / 60 > 60
    assert ended_safely(played)


def test_stale_weather_and_a_cloud_hold_the_night_until_they_have_passed(tmp_path: Path) -> None:
    cloud = {"arrives_min": 66, "minutes": 15, "thickness_mag": 6, "edge_min": 2}
    stale = {"kind": "weather stands still", "device": "weather station", "at_min": 25, "minutes": 30}
    scenario = Scenario.model_validate({"air": {"clouds": [cloud]}, "faults": [stale]})
    rig = small(example("stork-1600"), 4)
    played = play(rig, short_plan(count=6), tmp_path, seed=2, scenario=scenario, quick=True)
    held, resumed = played.of(Kind.HELD), played.of(Kind.RESUMED)
    assert len(held) == len(resumed) == 2
    assert "weather station silent for" in held[0].reason
    assert "cloud" in held[1].reason and "limit 60" in held[1].reason
    assert all("safe again for" in event.reason for event in resumed)
    assert played.events[-1].values["frames"] == 12 and ended_safely(played)
    stars = [e.values["stars"] for e in played.of(Kind.FRAME_MEASURED)]
    assert sorted(stars)[3] > 20, "but for what the cloud's edge caught, no frame was taken under it"


def test_two_nights_of_one_seed_are_the_same_event_by_event_and_bit_by_bit(tmp_path: Path) -> None:
    """Faults by chance included."""
    faults = [
        Fault(kind=FaultKind.TIMES_OUT, device="filter wheel", per_hour=2, minutes=2, share=0.3),
        Fault(kind=FaultKind.FRAME_TORN, per_hour=3, minutes=1),
    ]
    told, images = [], []
    for name in ("one", "two"):
        folder = tmp_path / name
        rig, scenario = quick_rig(focuser=None), Scenario(faults=faults)
        played = play(rig, short_plan(count=1), folder, seed=7, scenario=scenario)
        told.append([(e.kind, e.at, e.reason.replace(str(folder), "")) for e in played.events])
        images.append([read_frame(Path(frame["path"])).image for frame in played.frames])
    assert told[0] == told[1]
    assert len(images[0]) == 2 and all(map(np.array_equal, *images))
