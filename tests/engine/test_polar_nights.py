"""A night that asks for the polar axis: measured before its first frame, mended by a person, or left as it
is."""

import json
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from tests.engine.test_faults import ended_safely
from tests.fakes import an_evening
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.plan import NightPlan
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.mount import MountEffects

RIG = quick_rig()
OFF = Scenario(
    mount=MountEffects(
        polar_altitude_arcmin=9.0, polar_azimuth_arcmin=-6.0, adjuster_jumps=0.0, flexure_arcsec=5
    )
)


def plan(**orders: Any) -> NightPlan:
    return an_evening(short_plan(count=1, polar_within_arcmin=3.0, **orders))


def night(folder: Path, scenario: Scenario, wanted: NightPlan, on_event: Any = None) -> Played:
    return play(RIG, wanted, folder, 2, on_event, scenario=scenario, quick=True)


def records(played: Played) -> list[dict[str, Any]]:
    return [e.values["polar"] for e in played.of(Kind.ACTIVITY_STEP) if "polar" in e.values]


def test_an_axis_near_enough_is_measured_once_and_the_night_goes_on(tmp_path: Path) -> None:
    played = night(tmp_path, Scenario(), plan())
    assert len(records(played)) == 1 and records(played)[0]["total_arcmin"] < 3
    assert len(played.frames) == 2 and ended_safely(played)
    kept = json.loads((tmp_path / "by hand" / f"polar_{RIG.id}.json").read_text())
    assert kept["last"]["total_arcmin"] == records(played)[0]["total_arcmin"]


def test_a_person_turns_the_adjusters_and_the_axis_is_measured_again(tmp_path: Path) -> None:
    async def at_the_adjusters(played: Played) -> None:
        while not (asked := played.of(Kind.QUESTION_ASKED)):
            await played.equipment.clock.sleep(5)
        assert "lower the axis by" in asked[0].reason and "turn the axis east by" in asked[0].reason
        played.truth.mount.turn_adjusters(-9.0, 6.0)
        await played.equipment.clock.sleep(20)
        await played.ask(Command.ANSWER, answer="measure again")

    played = play(RIG, plan(), tmp_path, 2, scenario=OFF, quick=True, beside=at_the_adjusters)
    before, after = records(played)
    assert before["total_arcmin"] > 9 and after["total_arcmin"] < 1
    assert len(played.of(Kind.QUESTION_ASKED)) == 1 and len(played.frames) == 2


def test_where_nobody_turns_them_it_goes_on_as_it_is(tmp_path: Path) -> None:
    played = night(tmp_path, OFF, plan(polar_wait_min=2.0))
    assert len(records(played)) == 1 and len(played.frames) == 2 and ended_safely(played)
    ended = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "align polar axis")
    assert "nobody was there" in ended.reason


def test_or_it_holds_and_ends_safely(tmp_path: Path) -> None:
    async def on_event(event: Event, played: Played) -> None:
        if event.kind is Kind.HELD:
            await played.ask(Command.END)

    played = night(tmp_path, OFF, plan(polar_wait_min=2.0, polar_unanswered="hold"), on_event)
    assert played.of(Kind.HELD) and not played.frames and ended_safely(played)


def test_a_hold_in_the_middle_leaves_the_mount_tracking_and_it_is_measured_again(tmp_path: Path) -> None:
    held: list[bool] = []

    async def on_event(event: Event, played: Played) -> None:
        if event.kind is Kind.ACTIVITY_STEP and event.values.get("frame", {}).get("number") == 2 and not held:
            held.append(True)
            await played.ask(Command.HOLD, now=True)
        if event.kind is Kind.HELD:
            assert played.truth.gear.state.hand_rates_deg_s == (0.0, 0.0)
            await played.ask(Command.RESUME)

    played = night(tmp_path, Scenario(), plan(), on_event)
    numbers = [e.values["frame"]["number"] for e in played.of(Kind.ACTIVITY_STEP) if "frame" in e.values]
    assert numbers == [1, 2, 1, 2, 3] and len(played.frames) == 2
