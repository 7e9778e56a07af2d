"""Whoever interrupts whom: rain, drivers that throw, people; it ends shut, parked and dark."""

import asyncio
import dataclasses
from collections import Counter
from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from campaigns.rigs import example, small
from tests.fakes import Failing, an_evening, under
from vigil.devices.protocols import Devices
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.plan import NightPlan, SunMoment, Target
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.documents.steps import MustHold, RunProgram, WaitUntil
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError
from vigil.planning.daylight import sun_altitude_deg
from vigil.runtime.workshop import Workshop

ROOFED = small(example("stork-1600"), 4)
RAIN_AT = datetime(2027, 1, 12, 17, 20, tzinfo=UTC)


def stands(played: Played) -> tuple[Any, ...]:
    state = played.truth.gear.state
    return state.parked, state.tracking, state.shutters.get("roof"), state.shutters.get("cover")


SHUT = (True, False, "closed", "closed")


def roof_shut_s(played: Played, since: datetime) -> float:
    """When the roof was shut, after a moment, by the night's own record."""
    shut = next(e for e in played.of(Kind.ACTIVITY_STEP) if e.values.get("part") == "roof" and e.at > since)
    return (shut.at - since).total_seconds()


@pytest.mark.parametrize("period_s", [5, 20])
def test_shelter_once_begun_is_carried_through_whatever_flickers(tmp_path: Path, period_s: int) -> None:
    def safe(at: datetime) -> bool:
        since_s = (at - RAIN_AT).total_seconds()
        return not 0 <= since_s < 1800 or int(since_s // period_s) % 2 == 1

    played = play(ROOFED, short_plan(count=12), tmp_path, 2, alter=under(safe), quick=True, look_every_s=1.0)
    shelters = [e.values["outcome"] for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "shelter"]
    assert shelters == ["done"] and roof_shut_s(played, RAIN_AT) < 80
    assert len(played.of(Kind.HELD)) == 1 and played.events[-1].values["frames"] == 24


def test_rain_waits_for_nobody_who_works_by_hand(tmp_path: Path) -> None:
    raining: list[datetime] = []

    async def on_event(event: Event, played: Played) -> None:
        if event.kind is Kind.FRAME_MEASURED and not played.of(Kind.HELD):
            await played.ask(Command.HOLD, reason="by hand", now=True)
        if event.kind is Kind.HELD and not raining:
            asked = {"device": "mount", "action": "frame", "ra": "5h16m29s", "dec": "+34 21 22"}
            answer = await played.ask(Command.DEVICE, **asked, angle_deg=90.0)
            assert answer.taken, answer.reason
            raining.append(played.truth.gear.clock.utcnow() + timedelta(seconds=60))
        if event.kind is Kind.ACTIVITY_ENDED and event.values["kind"] == "shelter":
            await played.ask(Command.END, reason="the test is over")

    assert ROOFED.rotator is not None
    by_hand = ROOFED.model_copy(update={"rotator": ROOFED.rotator.model_copy(update={"by": "hand"})})

    def safe(at: datetime) -> bool:
        return not raining or at < raining[0]

    played = play(by_hand, short_plan(count=6), tmp_path, 2, on_event, under(safe), quick=True)
    assert roof_shut_s(played, raining[0]) < 80 and stands(played) == SHUT
    assert any("gave way: shutting and parking" in e.reason for e in played.of(Kind.BY_HAND))


@pytest.mark.parametrize("can_end", [True, False])
def test_a_frame_is_no_reason_to_stay_open(tmp_path: Path, can_end: bool) -> None:
    """Also of a camera that has no way to end one early: then it is abandoned."""
    rain = RAIN_AT
    faults = [] if can_end else [Fault(kind=FaultKind.CANT_END, at_min=0, minutes=1400)]

    def safe(at: datetime) -> bool:
        return at < rain or at > rain + timedelta(minutes=20)

    played = play(
        ROOFED, short_plan(count=2, exposure_s=1200), tmp_path, 2, alter=under(safe), quick=True,
        scenario=Scenario(faults=faults),
    )  # fmt: skip
    assert roof_shut_s(played, rain) < 80
    cut = next(e for e in played.of(Kind.EXPOSURE_ENDED) if e.values["outcome"] != "done")
    assert cut.values["outcome"] == ("short" if can_end else "cancelled")
    assert "the safety sensor says unsafe" in cut.reason
    assert played.events[-1].values["frames"] == 4


@pytest.mark.parametrize("thrown", [ConnectionResetError(104, "reset"), None])
def test_a_driver_that_throws_or_hangs_is_lost_and_all_is_shut(
    tmp_path: Path, thrown: BaseException | None, caplog: pytest.LogCaptureFixture
) -> None:
    """Of every device one: nothing but its own work suffers, and nothing stays open."""

    def alter(devices: Devices) -> Devices:
        focuser = Failing(devices.focuser, thrown)
        focuser.from_read = 60
        return dataclasses.replace(devices, focuser=focuser)

    played = play(
        ROOFED, an_evening(short_plan(count=3)), tmp_path, 2, alter=alter, quick=True, look_every_s=5.0
    )
    assert any(e.values["device"] == "focuser" for e in played.of(Kind.DEVICE_LOST))
    assert stands(played) == SHUT and not any("error in Vigil" in e.reason for e in played.events)
    assert set(played.events[-1].values["closing"].values()) == {"done"}
    assert caplog.text.count("read failed") <= 3, "what it says all night is logged once"


def test_a_ledger_that_can_not_be_written_keeps_nothing_open(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And a device is lost while closing: what can't be told doesn't stop the shutting."""
    broken = False
    add = Ledger.add

    async def refuse(self: Ledger, event: Event) -> Event:
        nonlocal broken
        if broken:
            raise LedgerError("the disk is full")
        broken = event.kind is Kind.FRAME_MEASURED
        return await add(self, event)

    class Drops(Failing):
        async def read(self) -> Any:
            if broken:
                raise ConnectionResetError(104, "reset")
            return await self._inner.read()

    monkeypatch.setattr(Ledger, "add", refuse)
    kept: list[Played] = []

    async def main() -> None:
        from campaigns import night as nights

        async def follow(played: Played, night: str, on_event: Any) -> None:
            async def listen() -> None:
                async for news in played.link.news():
                    if isinstance(news, Event):
                        played.events.append(news)

            kept.append(played)
            listening = asyncio.ensure_future(listen())
            await asyncio.sleep(3 * 3600)
            listening.cancel()

        monkeypatch.setattr(nights, "_follow", follow)
        await nights._play(
            ROOFED, short_plan(count=30), tmp_path, 2, None,
            lambda d: dataclasses.replace(d, rotator=Drops(d.rotator)), None, None, True,
        )  # fmt: skip

    from vigil.runtime.simulated import run_virtual

    run_virtual(main())
    assert stands(kept[0]) == SHUT and kept[0].truth.gear.state.set_point_c is None


def test_an_error_of_ours_costs_its_activity_and_not_the_night(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    run, failed = Workshop.run, []

    async def sometimes(self: Workshop, work: Any, *values: Any) -> Any:
        if getattr(work, "__name__", "") == "_write" and len(failed) < 1:
            failed.append(work)
            raise ZeroDivisionError("a mistake of ours")
        return await run(self, work, *values)

    monkeypatch.setattr(Workshop, "run", sometimes)
    played = play(quick_rig(focuser=None), short_plan(count=1), tmp_path, 2)
    assert failed and played.events[-1].values["frames"] == 2
    rescued = [f for f in played.frames if "rescued" in f["path"]]
    assert len(rescued) == 1 and Path(rescued[0]["path"]).exists()


def test_a_taken_frame_is_kept_whenever_the_night_is_interrupted(tmp_path: Path) -> None:
    """Cancelled between the frame's arrival and its saving."""
    cut: list[str] = []

    async def beside(played: Played) -> None:
        keeper = played.keeper

        def hit(event: Event) -> None:
            if event.kind is Kind.EXPOSURE_ENDED and event.values["outcome"] == "done" and not cut:
                cut.append(event.values["frame_id"])
                keeper._night.hold("now", now=True)  # type: ignore[union-attr]
                asyncio.get_running_loop().call_later(
                    60, lambda: asyncio.ensure_future(played.ask(Command.RESUME))
                )

        keeper.listen(hit)
        await asyncio.sleep(1e6)

    played = play(quick_rig(), short_plan(count=2), tmp_path, 2, quick=True, beside=beside)
    assert cut[0] in {e.values["frame_id"] for e in played.of(Kind.FRAME_SAVED)}
    assert played.events[-1].values["frames"] == len(played.frames) == 4


# -- a fault costs what it lasts ------------------------------------------------------------------


def test_a_field_that_can_not_be_solved_keeps_no_other_waiting(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from vigil.simulator import quick
    from vigil.solving.solution import Solution

    solve = quick.solution_of

    def bad(scene: Any) -> Solution:
        if abs(scene.aim.ra_deg - 79.1) < 1.5:
            return Solution(False, "too few stars: 3 found, 11 are needed", 3)
        return solve(scene)

    monkeypatch.setattr(quick, "solution_of", bad)
    plan = short_plan(count=4)
    first = plan.blocks[0]
    line = first.lines[1].model_copy(update={"id": "second-l"})
    second = first.model_copy(
        update={"id": "second", "target": Target(name="second", ra_deg=90, dec_deg=40), "lines": [line]}
    )
    plan = an_evening(plan.model_copy(update={"blocks": [first, second]}))
    played = play(quick_rig(), plan, tmp_path, 2, quick=True)
    begun = played.of(Kind.EXPOSURE_STARTED)
    assert Counter(e.values["line"] for e in begun) == {"second-l": 4}
    assert (begun[0].at - played.events[0].at).total_seconds() / 60 < 60
    centrings = [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "centre"]
    assert 30 < len(centrings) < 120, "tried again all night, in growing pauses"


def test_killed_twice_while_focusing_focus_starts_from_where_it_was(tmp_path: Path) -> None:
    """Each dead run has left the focuser farther off: the next begins where the first one began."""
    cancelled: list[int] = []

    async def cut(event: Event, played: Played) -> None:
        tried = event.kind is Kind.ACTIVITY_STEP and event.values["kind"] == "focus"
        if tried and len(cancelled) < 3 and event.values["position"] != -1:
            steps = [e for e in played.of(Kind.ACTIVITY_STEP) if e.values["kind"] == "focus"]
            if len(steps) % 3 == 0:
                cancelled.append(played.truth.gear.state.focuser_position)
                await played.ask(Command.HOLD, now=True)
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    played = play(quick_rig(), short_plan(count=1), tmp_path, 2, cut, quick=True)
    assert len(cancelled) == 3 and played.events[-1].values["frames"] == 2
    runs = [e for e in played.of(Kind.ACTIVITY_STARTED) if e.values["kind"] == "focus"]
    assert {e.values["from"] for e in runs} == {runs[0].values["from"]}
    firsts = {next(s for s in played.of(Kind.ACTIVITY_STEP) if s.id > e.id).values["position"] for e in runs}
    assert len(firsts) == 1, "every run measures the same positions"


def test_a_lost_device_is_connected_while_the_camera_cools(tmp_path: Path) -> None:
    scenario = Scenario(
        faults=[Fault(kind=FaultKind.DISCONNECTS, device="focuser", at_min=23.5, minutes=0.2)]
    )
    played = play(
        quick_rig(), short_plan(count=2), tmp_path, 2, quick=True, scenario=scenario, look_every_s=5.0
    )
    lost = played.of(Kind.DEVICE_LOST)[0]
    again = next(
        e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "connect" and e.at > lost.at
    )
    cooled = next(e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "cool")
    assert (again.at - lost.at).total_seconds() < 60 and again.at < cooled.at


def test_a_frame_that_its_own_solving_finds_elsewhere_is_taken_again(tmp_path: Path) -> None:
    scenario = Scenario(faults=[Fault(kind=FaultKind.MOVES, device="mount", at_min=37.02, amount=20)])
    plan = short_plan(count=3)
    played = play(quick_rig(), plan, tmp_path, 2, quick=True, scenario=scenario, look_every_s=5.0)
    doubted = [e.values for e in played.of(Kind.FRAME_MEASURED) if e.values.get("doubtful")]
    doubted += [e.values for e in played.of(Kind.FRAME_SAVED) if e.values.get("doubtful")]
    assert len(doubted) == 1 and played.events[-1].values["frames"] == 6
    assert len(played.frames) == 7


# -- what never ends, and what nobody wants ---------------------------------------------------------


def dawn_plan(**closes: Any) -> NightPlan:
    plan = short_plan(count=4000, exposure_s=300.0, focus_every_min=20.0, focus_colder_by_c=None,
                      focus_grown_by_percent=None, stars_at_least_percent=None)  # fmt: skip
    block = plan.blocks[0]
    span = block.span.model_copy(
        update={
            "opens": SunMoment(moment="astronomical", minutes=640),
            "closes": SunMoment(**closes),
            "minimum_altitude_deg": 20.0,
        }
    )
    line = block.lines[1].model_copy(update={"as_long_as_it_lasts": True})
    target = Target(name="late", ra_deg=200.0, dec_deg=50.0)
    return plan.model_copy(
        update={"blocks": [block.model_copy(update={"target": target, "span": span, "lines": [line]})]}
    )


@pytest.mark.parametrize(("moment", "minutes"), [("civil", 0), ("civil", 60), ("nautical", 20)])
def test_a_plan_to_any_dawn_ends_at_it_shut(tmp_path: Path, moment: str, minutes: float) -> None:
    """Refocusing is due when the sun is too high for it: not tonight, and not tomorrow evening either."""
    played = play(ROOFED, dawn_plan(moment=moment, minutes=minutes), tmp_path, 4, quick=True)
    last = played.events[-1]
    ended = next(e for e in played.events if e.kind is Kind.CLOSING_STARTED)
    assert sun_altitude_deg(ROOFED.site, ended.at) < -5.8 and stands(played) == SHUT
    roof = next(e for e in played.of(Kind.CLOSING_PART) if e.values["part"] == "close the roof")
    assert sun_altitude_deg(ROOFED.site, roof.at) < -5.5 and last.values["frames"] > 3


def test_at_the_end_the_roof_waits_for_the_mount_and_not_for_the_camera(tmp_path: Path) -> None:
    played = play(ROOFED, short_plan(count=2), tmp_path, 2, quick=True)
    at = {e.values["part"]: e.at for e in played.of(Kind.CLOSING_PART)}
    assert at["park"] < at["close the roof"] < at["warm up"]
    assert (at["close the roof"] - at["park"]).total_seconds() < 45


def test_waits_and_questions_stand_in_nobodys_way(tmp_path: Path) -> None:
    """A hold, and an edit that takes the very step away, are in force at once."""
    plan, told = short_plan(count=1), list[Any]()
    waits = plan.model_copy(update={"opening": [WaitUntil(id="w", clock=time(23, 0))]})

    async def change(event: Event, played: Played) -> None:
        if event.kind is Kind.PUT_OFF and not told:
            told.append(event.at)
            await played.ask(Command.PLAN, plan=plan.model_dump(mode="json"))
            await played.ask(Command.HOLD, reason="by hand")
        if event.kind is Kind.HELD:
            told.append(event.at)
            await played.ask(Command.RESUME)

    played = play(quick_rig(), waits, tmp_path, 2, change, quick=True)
    assert (told[1] - told[0]).total_seconds() < 2
    first = min(e.at for e in played.of(Kind.EXPOSURE_STARTED))
    assert (first - told[0]).total_seconds() < 3600 and played.events[-1].values["frames"] == 2


def test_many_opening_steps_on_a_full_rig_are_no_quarrel(tmp_path: Path) -> None:
    steps = [
        WaitUntil(id="w1", clock=time(17, 0)),
        RunProgram(id="p1", arguments=["true"]),
        WaitUntil(id="w2", moment="sunset"),
        RunProgram(id="p2", arguments=["true"]),
    ]
    plan = short_plan(count=2).model_copy(update={"opening": steps})
    played = play(ROOFED, plan, tmp_path, 2, quick=True)
    assert played.events[-1].values["frames"] == 4 and not played.of(Kind.HELD)


def test_dithering_needs_no_centring(tmp_path: Path) -> None:
    plan = short_plan(count=6, dither_every_frames=2)
    plan = plan.model_copy(update={"opening": [MustHold(name="on target", off=True)]})
    played = play(quick_rig(), plan, tmp_path, 2, quick=True)
    dithers = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "dither"]
    assert played.events[-1].values["frames"] == 12 and len(dithers) == 5
