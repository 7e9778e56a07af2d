"""Rehearsals: the same night twice, what it comes to, and what is lost to what."""

from datetime import UTC, datetime
from pathlib import Path

import pytest

from campaigns.demo import demo_rig, short_plan
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Kind
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.engine.rehearsal import Rehearsed
from vigil.planning.account import account
from vigil.planning.forecast import forecast

RIG, PLAN = demo_rig(), short_plan(count=6, exposure_s=120.0)


def run(folder: Path, scenario: Scenario | None = None, seed: int = 1) -> Rehearsed:
    return rehearsed(PLAN, RIG, scenario or Scenario(), seed, folder)


@pytest.fixture(scope="module")
def clear(tmp_path_factory: pytest.TempPathFactory) -> Rehearsed:
    folder = tmp_path_factory.mktemp("rehearsal")
    result = run(folder)
    assert list(folder.iterdir()) == [], "a rehearsal writes nothing"
    return result


def test_another_seed_is_another_night(clear: Rehearsed, tmp_path: Path) -> None:
    assert [e.at for e in run(tmp_path, seed=2).events] != [e.at for e in clear.events]


def test_a_clear_night_is_that_of_the_timetable(clear: Rehearsed) -> None:
    result = clear
    told = account(PLAN, result.events)
    assert told.frames == PLAN.wanted == len(result.state.saved) and told.lost_s == {}
    assert set(told.closing.values()) == {"done"} and all(not x.why for x in told.lines)
    ahead = forecast(PLAN, RIG, result.events[0].at)
    first = told.of_kind("exposure")[0]
    assert abs((first.begins - ahead.begins).total_seconds()) <= 120
    assert abs((told.of_kind("exposure")[-1].ends - ahead.ends).total_seconds()) <= 300
    measured = [e.values for e in result.events if e.kind is Kind.FRAME_MEASURED]
    assert all(v["off_px"] is not None and v["stars"] > 50 for v in measured)


def test_clouds_cost_what_they_cost_and_it_is_said(tmp_path: Path) -> None:
    clouds = Scenario(air=AirEffects(clouds=[Cloud(arrives_min=0, minutes=900, thickness_mag=9)]))
    told = account(PLAN, run(tmp_path, clouds).events)
    assert told.frames < PLAN.wanted or told.lost_s
    assert any("failed" in name for name in told.lost_s), told.lost_s
    assert told.lost_s and list(told.lost_s.values()) == sorted(told.lost_s.values(), reverse=True)
    assert set(told.closing.values()) == {"done"}


def test_a_camera_that_drops_out_is_accounted_for(tmp_path: Path) -> None:
    fault = Fault(kind=FaultKind.DISCONNECTS, device="camera", at_min=45.0, minutes=10.0)
    told = account(PLAN, run(tmp_path, Scenario(faults=[fault])).events)
    assert told.frames == PLAN.wanted
    assert told.lost_s["the camera did not answer"] > 60, told.lost_s
    assert "connecting failed" not in told.lost_s


def test_a_real_rig_must_be_told_when(tmp_path: Path) -> None:
    real = RIG.model_copy(update={"simulated": None})
    with pytest.raises(ValueError, match="say when"):
        rehearsed(PLAN, real, Scenario(), 1, tmp_path)
    evening = datetime(2027, 3, 1, 17, 30, tzinfo=UTC)
    told = account(PLAN, rehearsed(PLAN, real, Scenario(), 1, tmp_path, evening).events)
    assert told.frames == PLAN.wanted


def test_a_line_that_takes_what_time_there_is_makes_no_night_incomplete(clear: Rehearsed) -> None:
    lasting = [
        line.model_copy(update={"as_long_as_it_lasts": n == 0}) for n, line in enumerate(PLAN.blocks[0].lines)
    ]
    plan = PLAN.model_copy(update={"blocks": [PLAN.blocks[0].model_copy(update={"lines": lasting})]})
    told = account(plan, clear.events)
    assert told.frames > plan.wanted and told.complete
    more = [line.model_copy(update={"count": 99}) for line in PLAN.blocks[0].lines]
    greedy = PLAN.model_copy(update={"blocks": [PLAN.blocks[0].model_copy(update={"lines": more})]})
    assert not account(greedy, clear.events).complete
