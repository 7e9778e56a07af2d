"""Every kind of fault in a whole night: it goes on, or ends safely, and says why."""

from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from campaigns.rigs import example, small
from vigil.documents.events import Kind
from vigil.documents.rig import Rig
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.documents.scenario.air import Cloud

ALL_FOUR = 4


def night(folder: Path, fault: dict[str, Any], rig: Rig | None = None, **plan: Any) -> Played:
    """The short plan, with something going wrong; the evening begins at minute 0, the first frame is taken at
    about 37."""
    scenario = Scenario(faults=[Fault(**fault)])
    return play(rig or quick_rig(), short_plan(**plan), folder, seed=2, scenario=scenario)


def said(played: Played) -> str:
    return "\n".join(event.reason for event in played.events)


def ended_safely(played: Played) -> bool:
    closing = played.events[-1].values["closing"]
    return all(outcome == "done" for outcome in closing.values()) and played.truth.bench.state.parked


CASES: list[tuple[dict[str, Any], str]] = [
    ({"kind": FaultKind.DISCONNECTS, "device": "focuser", "at_min": 36, "minutes": 1}, "focuser lost"),
    ({"kind": FaultKind.DISCONNECTS, "device": "mount", "at_min": 37, "minutes": 0}, "mount lost"),
    ({"kind": FaultKind.TIMES_OUT, "device": "camera", "at_min": 36, "minutes": 0.5}, "camera"),
    ({"kind": FaultKind.FRAME_LOST, "at_min": 36, "minutes": 2}, "expose 60 s not done within"),
    ({"kind": FaultKind.FRAME_TORN, "at_min": 36, "minutes": 3}, "arrived torn"),
    ({"kind": FaultKind.SLEW_REFUSED, "at_min": 20, "minutes": 5}, "it will not slew"),
    ({"kind": FaultKind.WHEEL_JAMS, "at_min": 20, "minutes": 14}, "jammed between slot"),
    ({"kind": FaultKind.FOCUSER_STALLS, "at_min": 20, "minutes": 13.5}, "focus"),
    ({"kind": FaultKind.MOVES, "device": "mount", "at_min": 38, "amount": 15}, "the mount was moved by"),
    ({"kind": FaultKind.MOVES, "device": "focuser", "at_min": 36.4, "amount": 300}, "focuser at"),
    ({"kind": FaultKind.MOVES, "device": "filter wheel", "at_min": 38, "amount": 2}, "is not in the beam"),
    ({"kind": FaultKind.DISK_FULL, "at_min": 37, "minutes": 5}, "GB free where"),
    ({"kind": FaultKind.DISK_GONE, "at_min": 37, "minutes": 5}, "can't be written"),
]


@pytest.mark.parametrize(
    ("fault", "words"), CASES, ids=[f"{c['kind']} {c.get('device', '')}" for c, _ in CASES]
)
def test_the_night_goes_on_and_says_why(fault: dict[str, Any], words: str, tmp_path: Path) -> None:
    played = night(tmp_path, fault)
    assert words in said(played), said(played)
    if fault["kind"] in (FaultKind.DISK_FULL, FaultKind.DISK_GONE):
        held = played.of(Kind.HELD)
        assert held, "a frame that could not go where it belongs stops the night"
        assert all(Path(frame["path"]).exists() for frame in played.frames)
    else:
        assert len(played.frames) == ALL_FOUR, said(played)
    assert ended_safely(played), played.events[-1].values


def test_a_mount_that_refuses_for_good_ends_the_night_safely(tmp_path: Path) -> None:
    played = night(tmp_path, {"kind": FaultKind.SLEW_REFUSED, "at_min": 20, "minutes": 600})
    given_up = played.of(Kind.BLOCK_GIVEN_UP)
    assert given_up and "it will not slew" in given_up[0].reason
    assert not played.frames and ended_safely(played)


def test_a_cooler_that_can_not_hold(tmp_path: Path) -> None:
    """Warm frames are not taken as cold ones: the night waits for the camera and goes on when it is cold."""
    fault = {"kind": FaultKind.COOLER_WEAK, "at_min": 20, "minutes": 45, "amount": 4}
    played = night(tmp_path, fault)
    assert "camera" in said(played) and len(played.frames) == ALL_FOUR
    first = min(e.at for e in played.of(Kind.EXPOSURE_STARTED))
    assert (first - played.events[0].at).total_seconds() / 60 > 60
    assert ended_safely(played)


def test_weather_that_stands_still_is_unsafe_until_it_moves_again(tmp_path: Path) -> None:
    rig = small(example("stork-1600"), 4)
    fault = {"kind": FaultKind.STALE, "device": "weather station", "at_min": 25, "minutes": 30}
    played = night(tmp_path, fault, rig)
    held, resumed = played.of(Kind.HELD), played.of(Kind.RESUMED)
    assert held and "weather station silent for" in said(played)
    assert resumed and "safe again" in resumed[0].reason
    assert len(played.frames) == ALL_FOUR and ended_safely(played)


def test_a_cloud_holds_the_night_and_its_passing_lets_it_go_on(tmp_path: Path) -> None:
    rig = small(example("stork-1600"), 4)
    cloud = Cloud(arrives_min=30, minutes=40, thickness_mag=6, edge_min=2)
    scenario = Scenario.model_validate({"air": {"clouds": [cloud.model_dump()]}})
    played = play(rig, short_plan(), tmp_path, seed=2, scenario=scenario)
    held, resumed = played.of(Kind.HELD), played.of(Kind.RESUMED)
    assert held and "cloud" in held[0].reason and "limit 60" in held[0].reason
    assert resumed and (resumed[-1].at - held[0].at).total_seconds() > 20 * 60
    assert len(played.frames) == ALL_FOUR and ended_safely(played)
    hfr = [e.values["stars"] for e in played.of(Kind.FRAME_MEASURED)]
    assert min(hfr) > 20, "no frame was taken under the cloud"


def test_two_nights_of_one_seed_are_the_same_event_by_event(tmp_path: Path) -> None:
    """Faults by chance included."""
    faults = [
        Fault(kind=FaultKind.TIMES_OUT, device="focuser", per_hour=2, minutes=2, share=0.3),
        Fault(kind=FaultKind.FRAME_TORN, per_hour=3, minutes=1),
    ]
    told = []
    for name in ("one", "two"):
        played = play(quick_rig(), short_plan(), tmp_path / name, seed=7, scenario=Scenario(faults=faults))
        told.append([(e.kind, e.at, e.reason.replace(str(tmp_path / name), "")) for e in played.events])
    assert told[0] == told[1]
