"""When faults befall, and playing with the scenario while it runs."""

import json
from typing import Any

import pytest

from campaigns.demo import quick_rig
from campaigns.shooting import under_the_sky
from vigil.devices.errors import NotConnected
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.runtime.clock import ScenarioClock
from vigil.simulator.faults import Faults
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.scenery import SimScenery

RIG = quick_rig()


def test_a_fault_by_time_lasts_and_passes() -> None:
    faults = Faults([Fault(kind=FaultKind.WHEEL_JAMS, at_min=30, minutes=5)], RIG, 1)
    told = [bool(faults.active(FaultKind.WHEEL_JAMS, "filter wheel", m)) for m in (29.9, 30, 34.9, 35)]
    assert told == [False, True, True, False]
    assert faults.any_of("filter wheel") and not faults.any_of("mount")
    assert [s.words(31.0) for s in faults.on_at(31.0)] == ["filter wheel: wheel jams, 4 min more"]


def test_faults_by_chance_come_as_often_as_they_should_and_the_same_for_a_seed() -> None:
    fault = Fault(kind=FaultKind.DISCONNECTS, device="mount", per_hour=2, minutes=0)
    counts = [
        len(Faults([fault], RIG, seed).due(FaultKind.DISCONNECTS, "mount", 1440, [])) for seed in range(30)
    ]
    assert sum(counts) / 30 == pytest.approx(48, rel=0.1)
    assert len(set(counts)) > 5
    again = [s.begins_min for s in Faults([fault], RIG, 3).due(FaultKind.DISCONNECTS, "mount", 1440, [])]
    assert again == [
        s.begins_min for s in Faults([fault], RIG, 3).due(FaultKind.DISCONNECTS, "mount", 1440, [])
    ]


def test_a_share_of_calls_is_hit() -> None:
    faults = Faults([Fault(kind=FaultKind.TIMES_OUT, device="mount", at_min=0, share=0.25)], RIG, 1)
    hits = sum(faults.hits(FaultKind.TIMES_OUT, "mount", 1.0, count) for count in range(1000))
    assert hits == pytest.approx(250, abs=45)


def played(work: Any) -> Any:
    async def run(sim: SimObservatory, clock: ScenarioClock) -> Any:
        for device in sim.devices.named().values():
            await device.connect()
        return await work(sim, clock, SimScenery(sim))

    return under_the_sky(RIG, Scenario(), run)


def test_values_change_from_now_on_and_are_told() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, scenery: SimScenery) -> None:
        before = scenery.told()
        said = scenery.change({"values": {"air.seeing_arcsec": 5.5, "air.overcast_mag": 2.0}})
        assert said == "air · seeing 5.5; air · cloud all over 2"
        told = scenery.told()
        assert told["now"]["seeing_arcsec"] > before["now"]["seeing_arcsec"] + 1
        assert told["now"]["cloud_mag"] > 0.5 > before["now"]["cloud_mag"]
        assert json.loads(told["scenario"])["air"]["seeing_arcsec"] == 5.5
        scenery.change({"scenario": {"name": "other"}})
        assert scenery.told()["now"]["cloud_mag"] == 0

    played(work)


def test_a_fault_now_and_a_device_that_is_lost_until_it_is_over() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, scenery: SimScenery) -> None:
        said = scenery.change({"fault": {"kind": "disconnects", "device": "focuser", "minutes": 3}})
        assert said.startswith("focuser: disconnects, at 300")
        assert scenery.told()["faults"] == ["focuser: disconnects, 3 min more"]
        focuser = sim.devices.focuser
        with pytest.raises(NotConnected):
            await focuser.read()
        with pytest.raises(NotConnected, match="doesn't answer on its cable"):
            await focuser.connect()
        await clock.sleep(200)
        await focuser.connect()
        assert (await focuser.read()).position > 0 and not scenery.told()["faults"]

    played(work)


def test_another_scenario_does_not_make_up_for_what_would_have_happened_before() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, scenery: SimScenery) -> None:
        nudge = {"kind": "moves by itself", "device": "focuser", "amount": 500}
        faults = [{**nudge, "at_min": 20.0}, {**nudge, "at_min": 305.0}]
        before = (await sim.devices.focuser.read()).position
        scenery.change({"scenario": {"name": "other", "faults": faults}})
        assert (await sim.devices.focuser.read()).position == before
        await clock.sleep(600)
        assert (await sim.devices.focuser.read()).position == before + 500, "once"
        assert (await sim.devices.focuser.read()).position == before + 500

    played(work)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"values": {"air.seing": 1}}, "has no air.seing"),
        ({"values": {"air.seeing_arcsec": 0}}, "must be over 0"),
        ({"fault": {"kind": "gremlins"}}, "kind"),
        ({"fault": {"kind": "disconnects", "device": "roof"}}, "Heron 480 has no roof"),
        ({"adjusters": [1]}, "two numbers"),
        ({"weather": 1}, "knows nothing of weather"),
        ({"scenario": {"name": ""}}, "name"),
    ],
)
def test_what_can_not_be_played_is_refused_and_nothing_changes(asked: dict[str, Any], said: str) -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, scenery: SimScenery) -> None:
        before = sim.scenario
        with pytest.raises(ValueError, match=said):
            scenery.change(asked)
        assert sim.scenario == before

    played(work)


def test_the_adjusters_are_told_how_far_they_went() -> None:
    async def work(sim: SimObservatory, clock: ScenarioClock, scenery: SimScenery) -> None:
        assert "the polar axis went" in scenery.change({"adjusters": ["2.0", "-0.1"]})
        higher, east = sim.truth.gear.state.adjusted_arcmin
        assert higher == pytest.approx(2, abs=0.2) and east == 0

    played(work)
