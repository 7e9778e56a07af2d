"""The meridian flip's decisions, and what becomes of them in a night."""

import math
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as some

from campaigns.demo import demo_rig, short_plan
from campaigns.flips import case, judged, right
from vigil.cli.rehearsing import rehearsed
from vigil.devices.errors import DeviceFault
from vigil.devices.protocols import MountState, PierSide
from vigil.documents.events import Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.planning.flip import SIDEREAL_RATE, Decision, FlipRule, Next, decide, hour_angle_min, rule_of
from vigil.planning.forecast import forecast
from vigil.simulator.observatory import SimObservatory

RULE = FlipRule(earliest_min=5, wanted_min=8, last_min=18, limit_min=20)


@pytest.mark.parametrize(
    ("hour_angle", "frame_s", "what", "says"),
    [
        (-30, 300, Next.SHOOT, "30.0 min before the meridian"),
        (7.9, 300, Next.SHOOT, "7.9 min after the meridian"),
        (8.0, 30, Next.FLIP, "8.0 min after the meridian"),
        (6.0, 1200, Next.FLIP, "8 min 03 s too late"),
        (0.0, 1200, Next.WAIT, "2 min 03 s too late: the flip comes first; it may begin in 5.0 min"),
        (30.0, 30, Next.FLIP, "30.0 min after the meridian"),
    ],
)
def test_shoot_on_wait_or_flip(hour_angle: float, frame_s: float, what: Next, says: str) -> None:
    told = decide(RULE, hour_angle, frame_s)
    assert told.next is what and says in told.words


@given(some.floats(-60, 60), some.floats(1, 1800), some.floats(0, 15), some.floats(2, 40), some.floats(0, 2))
def test_no_frame_passes_the_limit_and_none_that_fits_is_lost(
    here: float, frame_s: float, earliest: float, width: float, buffer: float
) -> None:
    window = FlipWindow(earliest_min=earliest, latest_min=earliest + width, buffer_min=buffer)
    rule = rule_of(window)
    told = decide(rule, here, frame_s)
    ends = here + frame_s / 60 * SIDEREAL_RATE
    if told.next is Next.SHOOT:
        assert ends <= rule.last_min <= rule.limit_min and here < rule.wanted_min
    else:
        assert here >= rule.wanted_min or ends > rule.last_min
        assert (told.next is Next.WAIT) == (here < rule.earliest_min)


def test_a_mount_without_an_end_shoots_on_until_the_wanted_moment() -> None:
    rule = rule_of(FlipWindow(earliest_min=2, latest_min=None, preferred_min=30))
    assert math.isinf(rule.limit_min) and decide(rule, 29, 3600).next is Next.SHOOT
    assert decide(rule, 30, 1).next is Next.FLIP


def night_over_the_meridian(
    folder: Path, *faults: Fault, watch: Callable[[SimObservatory], None] = lambda observatory: None
) -> list[str]:
    rig = demo_rig()
    rig = rig.model_copy(
        update={
            "simulated": rig.simulated.model_copy(
                update={"starts_at": rig.simulated.starts_at + timedelta(minutes=210)}
            )
        }
    )
    plan, scenario = short_plan(count=12, exposure_s=240), Scenario(faults=list(faults))
    events = rehearsed(plan, rig, scenario, 1, folder, watch=watch).events
    return [
        f"{e.kind.value} {e.values.get('kind', '')} {e.values.get('outcome', '')}: {e.reason}"
        for e in events
        if e.values.get("kind") == "flip" or e.kind in (Kind.HELD, Kind.GUARDED, Kind.NIGHT_OVER)
    ]


def test_a_mount_that_stays_on_its_side_is_noticed_and_held(tmp_path: Path) -> None:
    stays = Fault(kind=FaultKind.STAYS, device="mount", at_min=0, minutes=900)
    refusals: list[str] = []

    def stubborn(observatory: SimObservatory) -> None:
        """It doesn't stop tracking either, the first two times."""
        mount = observatory.truth.mount
        track = mount.track

        async def reluctant(on: bool) -> None:
            if not on and len(refusals) < 2:
                refusals.append("no")
                raise DeviceFault("mount: it goes on tracking")
            await track(on)

        mount.track = reluctant  # type: ignore[method-assign]

    told = night_over_the_meridian(tmp_path, stays, watch=stubborn)
    assert len(refusals) == 2, "the guard tried again"
    assert "error in Vigil" not in told[-1], told[-1]
    failed = [line for line in told if "flip failed" in line]
    assert len(failed) > 3 and "still west of the pier" in failed[0]
    assert not any(line.startswith("held") for line in told), "nobody is asked: it is tried again"
    assert any("tracking stopped at the mount's limit" in line for line in told), told


def test_a_mount_that_refuses_for_a_while_flips_later(tmp_path: Path) -> None:
    refused = Fault(kind=FaultKind.SLEW_REFUSED, device="mount", at_min=60.0, minutes=3)
    told = night_over_the_meridian(tmp_path, refused)
    assert sum("flip done" in line for line in told) == 1 and "held" not in " ".join(told)


def test_a_sample_of_the_campaign() -> None:
    """Near the pole, by a mount that doesn't tell its side, where the axis stands beside the target."""
    found = judged(218)
    assert right(found), found


def test_the_campaign_catches_a_flip_that_is_too_early(monkeypatch: pytest.MonkeyPatch) -> None:
    def hasty(rule: FlipRule, hour_angle_min: float, frame_s: float) -> Decision:
        return decide(replace(rule, wanted_min=rule.earliest_min), hour_angle_min, frame_s)

    assert right(judged(197))
    monkeypatch.setattr("vigil.engine.conditions.side.decide", hasty)
    found = judged(197)
    assert found["too_early"] == 1 and not right(found), found


def test_the_timetable_knows_the_flip() -> None:
    rig = demo_rig()
    ahead = forecast(short_plan(count=60, exposure_s=300), rig, rig.simulated.starts_at)
    (flip,) = [step for step in ahead.steps if step.kind == "flip"]
    target = short_plan().blocks[0].target
    here = hour_angle_min(target.ra_deg, target.dec_deg, rig, flip.begins)
    assert 8 <= here <= 18


def _over_the_meridian(**orders: object) -> tuple[Rig, NightPlan]:
    """A target that crosses the meridian twenty minutes after the evening's beginning."""
    rig, plan, _ = case(3)
    return rig, plan.model_copy(update={"orders": plan.orders.model_copy(update=orders)})


@pytest.mark.parametrize("centres", [True, False])
def test_after_the_flip_it_is_centred_anew_or_taken_as_it_is(centres: bool) -> None:
    rig, plan = _over_the_meridian(centre_after_flip=centres, target_keep_arcmin=10.0)
    events = rehearsed(plan, rig, Scenario(), 3, Path("unused")).events
    flip = next(e for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "flip")
    after = [e for e in events if e.id > flip.id]
    first = next(e for e in after if e.kind is Kind.EXPOSURE_STARTED)
    centrings = [e for e in after if e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "centre"]
    assert bool([e for e in centrings if e.id < first.id]) is centres
    assert ("pointing" in flip.values) is not centres
    if not centres:
        told = flip.values["pointing"]
        assert told["block"] == plan.blocks[0].id and told["off_arcsec"] < 600


def test_a_mount_that_went_over_by_itself_is_centred_anew() -> None:
    """Between two frames the tube stands on the other side, and nobody had asked for it."""
    rig, plan = _over_the_meridian()
    turned: list[float] = []

    def watch(observatory: SimObservatory) -> None:
        mount, gear = observatory.truth.mount, observatory.truth.gear
        read = mount.read

        async def told() -> MountState:
            ended = sum(1 for _ in turned) == 0 and gear.minutes(gear.clock.utcnow()) > 15
            if ended and gear.state.pier_side == PierSide.WEST.value and gear.state.tracking:
                gear.state.pier_side = PierSide.EAST.value
                turned.append(gear.minutes(gear.clock.utcnow()))
            return await read()

        mount.read = told  # type: ignore[method-assign]

    rig = with_values(rig, {("mount", "reports_pier_side"): True})
    events = rehearsed(plan, rig, Scenario(), 3, Path("unused"), watch=watch).events
    assert turned
    why = [e.reason for e in events if e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "flip"]
    assert any("the tube is now east of the pier" in reason for reason in why)
    assert events[-1].kind is Kind.NIGHT_OVER and events[-1].values["frames"] == plan.wanted
