"""What a night will come to: the same choice as the engine's, with what things take in between."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from campaigns.demo import demo_plan, demo_rig, quick_rig, short_plan
from campaigns.night import play
from vigil.documents.events import Event, Kind
from vigil.documents.plan import Block, ExposureLine, NightPlan, Target
from vigil.planning.forecast import Ready, forecast
from vigil.planning.overheads import overheads_of, usual_overheads
from vigil.planning.tonight import tonight
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import observe_moon
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

RIG = demo_rig()
USUAL = usual_overheads(RIG)
EVENING = datetime(2027, 1, 12, 16, 40, tzinfo=UTC)


def two_blocks(count: int) -> NightPlan:
    plan = demo_plan()
    second = Block(
        id="ngc2403",
        target=Target(name="NGC 2403"),  # type: ignore[call-arg]
        lines=[ExposureLine(id="l", filter="L", exposure_s=300, count=count)],
    )
    return plan.model_copy(update={"blocks": [*plan.blocks, second]})


def test_the_demo_night_is_foreseen() -> None:
    ahead = forecast(demo_plan(), RIG, EVENING)
    assert ahead.frames == 16 and ahead.exposure_s == 16 * 180 and not ahead.lost
    (span,) = ahead.spans["ic405"]
    assert ahead.begins == span.opens  # its conditions are met before
    assert ahead.ends == span.opens + timedelta(seconds=16 * 182 + USUAL.filter_s)
    assert [s.kind for s in ahead.steps].count("filter") == 1
    assert ahead.because == "all frames are taken"


def test_a_real_night_ends_when_foreseen(tmp_path: Path) -> None:
    rig, plan = quick_rig(), short_plan(count=3)
    assert rig.simulated is not None
    ahead = forecast(plan, rig, rig.simulated.starts_at)
    played = play(rig, plan, tmp_path, quick=True, look_every_s=1.0)
    last = played.of(Kind.EXPOSURE_ENDED)[-1].at
    first = played.of(Kind.EXPOSURE_STARTED)[0].at
    assert ahead.begins is not None and abs(first - ahead.begins) < timedelta(seconds=2)
    assert ahead.ends is not None and abs(last - ahead.ends) < timedelta(seconds=15)


def test_going_over_to_another_block_and_focusing_cost_time() -> None:
    ahead = forecast(two_blocks(40), RIG, EVENING)
    kinds = [s.kind for s in ahead.of_block("ngc2403")]
    assert kinds[0] == "centre" and kinds.count("centre") == 1
    centre = next(s for s in ahead.steps if s.kind == "centre")
    assert (centre.ends - centre.begins).total_seconds() == pytest.approx(USUAL.slew_s + USUAL.centre_s)
    focused = [s.begins for s in ahead.steps if s.kind == "focus"]
    every = timedelta(minutes=demo_plan().orders.focus_every_min)
    assert len(focused) == 2 and focused[1] - focused[0] > every
    assert all(one.ends <= other.begins for one, other in zip(ahead.steps, ahead.steps[1:], strict=False))


def test_what_does_not_fit_is_counted_with_the_cause() -> None:
    ahead = forecast(two_blocks(500), RIG, EVENING)
    (lost,) = ahead.lost
    assert lost.line == "l" and 0 < lost.fitting < lost.wanted == 500
    assert lost.fitting == sum(s.line == "l" and s.kind == "exposure" for s in ahead.steps)
    assert ahead.because == "the span of NGC 2403 has closed (126 of 500 L 300 s)"
    closes = ahead.spans["ngc2403"][-1].closes
    assert all(s.ends <= closes for s in ahead.steps if s.kind == "exposure")


def test_frames_taken_already_are_not_foreseen_again() -> None:
    taken = {"ic405-ha": 8, "ic405-l": 3}
    later = datetime(2027, 1, 12, 19, tzinfo=UTC)
    ahead = forecast(demo_plan(), RIG, later, taken)
    assert ahead.frames == 5 and {s.line for s in ahead.steps if s.kind == "exposure"} == {"ic405-l"}
    given_up = forecast(demo_plan(), RIG, later, taken, given_up={"ic405"})
    assert given_up.frames == 0 and given_up.ends is None and "was skipped" in given_up.because


def test_an_empty_plan_comes_to_nothing() -> None:
    ahead = forecast(demo_plan().model_copy(update={"blocks": []}), RIG, EVENING)
    assert (ahead.frames, ahead.begins, ahead.exposure_s, ahead.lost) == (0, None, 0, ())


def test_what_a_night_offers_a_target() -> None:
    found = tonight(79.12, 34.36, RIG, EVENING)
    (span,) = found.intervals
    assert found.usable_h == pytest.approx((span.closes - span.opens) / timedelta(hours=1))
    assert found.transit is not None
    site = RIG.site.place()
    at_transit = observe(79.12, 34.36, from_datetimes(found.transit), site)
    assert float(at_transit.hour_angle_deg) == pytest.approx(0, abs=1e-3)
    assert found.transit_altitude_deg == pytest.approx(float(at_transit.altitude_deg))
    middle = from_datetimes(datetime(2027, 1, 12, 23, tzinfo=UTC))
    moon, there = observe_moon(middle, site), observe(79.12, 34.36, middle, site)
    apart = separation_deg(moon.hour_angle_deg, moon.dec_deg, there.hour_angle_deg, there.dec_deg)
    assert found.moon_apart_deg == pytest.approx(float(apart), abs=0.6)
    assert tonight(10.0, -60.0, RIG, EVENING).intervals == ()


def test_in_mid_night_what_is_met_takes_no_time() -> None:
    later, taken = datetime(2027, 1, 12, 17, 30, tzinfo=UTC), {"ic405-ha": 4}
    ready = Ready("ic405", "Ha", later - timedelta(minutes=30))
    ahead = forecast(demo_plan(), RIG, later, taken, ready=ready)
    assert (
        ahead.begins == later
        and [s.kind for s in ahead.steps] == ["exposure"] * 4 + ["filter"] + ["exposure"] * 8
    )
    cold = forecast(demo_plan(), RIG, later, taken)
    assert [s.kind for s in cold.steps[:2]] == ["centre", "focus"]


def test_the_timetable_reckons_with_the_rigs_own_nights() -> None:
    at = datetime(2027, 1, 12, 20, tzinfo=UTC)

    def ended(kind: str, took_s: float, outcome: str = "done") -> Event:
        values = {"activity": 1, "kind": kind, "outcome": outcome, "took_s": took_s}
        return Event(errand="n", at=at, kind=Kind.ACTIVITY_ENDED, values=values)

    night = [ended("focus", 300), ended("focus", 320), ended("focus", 9, "failed"), ended("slew", 5)]
    own = overheads_of([*night, ended("focus", 310), ended("connect", 7), ended("connect", 7)], demo_rig())
    assert own == replace(USUAL, focus_s=310), "once is no habit, and what failed took no time of its own"
    plan, rig = demo_plan(), demo_rig()
    dithered = plan.model_copy(update={"orders": plan.orders.model_copy(update={"focus_every_frames": 4})})
    assert rig.simulated is not None
    usual = forecast(dithered, rig, rig.simulated.starts_at)
    slow = forecast(dithered, rig, rig.simulated.starts_at, overheads=own)
    runs = sum(step.kind == "focus" for step in slow.steps)
    assert runs >= 3 and usual.ends is not None and slow.ends is not None
    assert (slow.ends - usual.ends).total_seconds() == pytest.approx(runs * (310 - USUAL.focus_s), abs=1)


EVENING = RIG.simulated.starts_at


def with_steps(opening: list[dict[str, object]], block: list[dict[str, object]]) -> NightPlan:
    plan = demo_plan()
    blocks = [plan.blocks[0].model_dump() | {"steps": block}]
    return NightPlan.model_validate(plan.model_dump() | {"opening": opening, "blocks": blocks})


def test_a_wait_is_waited_and_costs_what_it_costs() -> None:
    usual = forecast(demo_plan(), RIG, EVENING)
    clock = {"kind": "wait", "id": "w", "clock": "22:30"}
    for plan in (with_steps([clock], []), with_steps([], [clock])):
        ahead = forecast(plan, RIG, EVENING)
        zone = ZoneInfo(RIG.site.time_zone)
        assert usual.begins is not None and ahead.begins is not None
        assert usual.begins.astimezone(zone).hour < 20
        waited = datetime(2027, 1, 12, 22, 30, tzinfo=zone)
        assert timedelta(0) <= ahead.begins - waited < timedelta(minutes=15)
        assert ahead.frames == usual.frames, "the night is long enough"
        done = forecast(plan, RIG, EVENING, ready=Ready("", "", None, steps_done=frozenset({"w"})))
        assert done.begins == usual.begins, "it was waited already"


def test_a_wait_past_the_span_leaves_nothing() -> None:
    late = forecast(with_steps([], [{"kind": "wait", "id": "w", "clock": "05:30"}]), RIG, EVENING)
    assert late.frames == 0 and "has closed" in late.because


@pytest.mark.parametrize("count", [7, 40, 500])
@pytest.mark.parametrize("order", ["one after another", "in turn"])
@pytest.mark.parametrize("first", ["", "ngc2403"])
def test_a_choice_that_is_kept_is_the_one_that_would_be_made(
    count: int, order: str, first: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With a target that comes into its span while another is taken, one that is put first, and a last frame
    that may overrun."""
    plan = two_blocks(count)
    late = plan.blocks[0].span.model_copy(update={"hour_angle_from_h": 0.5, "may_overrun": True})
    changed = plan.blocks[0].model_copy(update={"order": order, "span": late})
    plan = plan.model_copy(update={"blocks": [changed, plan.blocks[1]]})
    kept = forecast(plan, RIG, EVENING, first=first)
    monkeypatch.setattr("vigil.planning.forecast._Run._still", lambda *_: False)
    assert forecast(plan, RIG, EVENING, first=first).steps == kept.steps
