"""Under an unsafe sky all is shut and parked, whatever goes on; and open again when it is safe."""

from pathlib import Path
from typing import Any

from campaigns import crashes
from campaigns.demo import short_plan
from campaigns.night import Played, play
from campaigns.rigs import example, small
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.night import RunState, fold_all
from vigil.documents.scenario import Scenario
from vigil.engine.activities.shelter import unsheltered

CLOUD = {"arrives_min": 42, "minutes": 15, "thickness_mag": 6, "edge_min": 2}


def night(folder: Path, on_event: Any = None, **orders: Any) -> Played:
    plan = short_plan(count=6)
    plan = plan.model_copy(update={"orders": plan.orders.model_copy(update=orders)})
    scenario = Scenario.model_validate({"air": {"clouds": [CLOUD]}})
    rig = small(example("stork-1600"), 4)
    return play(rig, plan, folder, 2, on_event, scenario=scenario, quick=True)


def standing(played: Played) -> list[str]:
    """What is open or awake, by the truth."""
    devices = {device.name: device.state for device in played.equipment.devices.all() if device.connected}
    return unsheltered(played.equipment.rig, devices)


def test_a_cloud_shuts_the_roof_and_parks_until_it_has_passed(tmp_path: Path) -> None:
    open_at_resume: list[str] = []

    def look(event: Event, played: Played) -> None:
        if event.kind is Kind.RESUMED:
            open_at_resume.extend(standing(played) or ["all shut"])

    played = night(tmp_path, look)
    sheltered = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "shelter"]
    assert [e.values["outcome"] for e in sheltered] == ["done"]
    assert open_at_resume == ["all shut"]
    # it opened and centred anew, and all frames were taken
    opened = [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "open"]
    assert [e.values["words"] for e in opened] == ["opening the roof", "opening the cover"] * 2
    assert played.events[-1].values["frames"] == 12
    # better than the limit that held it: nine tenths of it
    assert "cloud" in played.of(Kind.HELD)[0].reason and played.of(Kind.HELD)[0].values == {
        "condition": "safe"
    }


def test_a_plan_may_want_everything_left_as_it_stands(tmp_path: Path) -> None:
    played = night(tmp_path, when_unsafe="stay")
    assert not [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "shelter"]
    assert len(played.of(Kind.RESUMED)) == 1 and played.events[-1].values["frames"] == 12


def test_a_persons_hold_shelters_too_and_waits_for_the_person(tmp_path: Path) -> None:
    async def hold(event: Event, played: Played) -> None:
        if event.kind is Kind.FRAME_MEASURED and not played.of(Kind.HELD):
            assert (await played.ask(Command.HOLD, reason="held by hand", now=True)).taken
        if event.kind is Kind.ACTIVITY_ENDED and event.values["kind"] == "shelter":
            assert played.of(Kind.RESUMED) == []
            await played.truth.gear.clock.sleep(3600)
            assert standing(played) == [] and played.of(Kind.RESUMED) == []
            assert (await played.ask(Command.RESUME)).taken

    played = night(tmp_path, hold)
    assert [e.reason for e in played.of(Kind.RESUMED)] == ["resumed by hand"]
    assert played.events[-1].values["frames"] == 12


def test_what_is_under_way_stops_when_the_sky_turns(tmp_path: Path) -> None:
    """Stale weather in the middle of focusing."""
    stale = {"kind": "weather stands still", "device": "weather station", "at_min": 24.2, "minutes": 20}
    plan = short_plan(count=2)
    scenario = Scenario.model_validate({"faults": [stale]})
    rig = small(example("stork-1600"), 4)
    assert rig.weather is not None
    rig = rig.model_copy(update={"weather": rig.weather.model_copy(update={"stale_after_s": 30.0})})
    played = play(rig, plan, tmp_path, 2, scenario=scenario, quick=True)
    cancelled = [
        e.values["kind"] for e in played.of(Kind.ACTIVITY_ENDED) if e.values["outcome"] == "cancelled"
    ]
    held, sheltered = (
        played.of(Kind.HELD)[0],
        next(e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "shelter"),
    )
    assert cancelled and (sheltered.at - held.at).total_seconds() < 2
    assert "weather station silent" in held.reason and played.events[-1].values["frames"] == 4


def test_a_hold_by_the_sky_ends_by_itself_after_a_restart_too(tmp_path: Path) -> None:
    bench = crashes.night(crashes.CLOUDED, tmp_path)
    whole = crashes.played(bench)
    held = next(cut for cut in bench.cuts if cut.events[-1].kind is Kind.HELD)
    state = fold_all(held.events)
    assert state.run is RunState.HELD and state.held_by == "safe" and fold_all(whole).held_by == ""
    bench.restore(held, bench.on_disk(), ahead=False)
    after = crashes.played(bench, held)
    assert crashes.wrong(bench.plan, after, bench.frames) == []
    resumed = [e.reason for e in after if e.kind is Kind.RESUMED]
    assert len(resumed) == 1 and resumed[0].startswith("safe again for")
    assert [e.values["kind"] for e in after if e.kind is Kind.ACTIVITY_ENDED].count("shelter") == 1


def test_a_station_that_is_gone_is_looked_for_when_all_is_shut(tmp_path: Path) -> None:
    """Nobody knows what the sky does: the roof must not wait for the station's cable."""
    gone = {"kind": "disconnects", "device": "weather station", "at_min": 40, "minutes": 12}
    scenario = Scenario.model_validate({"faults": [gone]})
    rig = small(example("stork-1600"), 4)
    played = play(rig, short_plan(count=6), tmp_path, 2, scenario=scenario, quick=True)
    lost = next(e for e in played.of(Kind.DEVICE_LOST) if e.values["device"] == "weather station")
    shut = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "shelter")
    tried = [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "connect" and e.at > lost.at]
    assert (shut.at - lost.at).total_seconds() < 120 and tried and tried[0].at >= shut.at
    assert played.of(Kind.RESUMED)[-1].reason.startswith("safe again for")
    assert played.events[-1].values["frames"] == 12


def test_of_a_device_that_is_not_connected_nothing_can_be_shut() -> None:
    assert unsheltered(example("stork-1600"), {}) == []
