"""The mount's limits, on either side of the pier, in altitude and at the horizon."""

from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_rig, short_plan
from campaigns.night import play
from campaigns.rigs import small
from campaigns.truthjudge import Truth
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.plan import Block, NightPlan, Span, Target
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.scenario import Scenario
from vigil.planning.flip import SIDEREAL_RATE, hour_angle_min
from vigil.planning.limits import look
from vigil.planning.muster.finding import Known
from vigil.planning.muster.mount import findings
from vigil.planning.sides import beyond_min, may_change_side, side_after_slew, window_on
from vigil.planning.spans import block_intervals
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

RIG = demo_rig()
assert RIG.mount is not None and RIG.simulated is not None
TARGET = short_plan().blocks[0].target
PLACE = TARGET.ra_deg, TARGET.dec_deg
TRANSIT = RIG.simulated.starts_at + timedelta(hours=5)
TRANSIT -= timedelta(minutes=hour_angle_min(*PLACE, RIG, TRANSIT) / SIDEREAL_RATE)


def later(minutes: float) -> datetime:
    """So many minutes of hour angle after the transit."""
    return TRANSIT + timedelta(minutes=minutes / SIDEREAL_RATE)


@pytest.mark.parametrize(("minutes", "past"), [(0, False), (19.5, False), (20.0, True), (300, True)])
def test_a_tube_west_of_the_pier_stops_at_the_end_of_its_window(minutes: float, past: bool) -> None:
    said = look(RIG, *PLACE, "west", later(minutes)).words
    assert (said is not None) == past
    assert said is None or "still west of the pier, limit 20 min" in said
    assert look(RIG, *PLACE, "east", later(minutes)).words is None


@pytest.mark.parametrize("own", [None, FlipWindow(earliest_min=5, latest_min=30)])
def test_a_tube_east_of_the_pier_stops_after_the_lower_meridian(own: FlipWindow | None) -> None:
    """A circumpolar target, looked at from the east side all night long."""
    rig = with_values(RIG, {("mount", "flip_other_side"): own})
    place, limit = (PLACE[0], 80.0), 20 if own is None else 30
    at = later(720)
    at -= timedelta(minutes=beyond_min("east", hour_angle_min(*place, rig, at)) / SIDEREAL_RATE)
    assert look(rig, *place, "east", at + timedelta(minutes=limit - 1)).words is None
    said = look(rig, *place, "east", at + timedelta(minutes=limit)).words
    assert said is not None and f"still east of the pier, limit {limit} min" in said
    assert "after the lower meridian" in said and look(rig, *place, "west", at).words is None


def test_altitudes_and_the_horizon_are_limits_too() -> None:
    low = with_values(RIG, {("mount", "lowest_altitude_deg"): 15.0, ("site", "horizon"): []})
    high = with_values(RIG, {("mount", "highest_altitude_deg"): 70.0})
    setting = next(m for m in range(120, 720) if altitude(low, later(m)) < 15.0)
    assert look(low, *PLACE, "east", later(setting - 2)).words is None
    said = look(low, *PLACE, "east", later(setting)).words
    assert said is not None and "14.9° high, limit 15°" in said
    rising = -next(m for m in range(1, 300) if altitude(high, later(-m)) < 70.0)
    assert look(high, *PLACE, "west", later(rising - 2)).words is None
    above = look(high, *PLACE, "west", later(rising + 2)).words
    assert above is not None and "high, limit 70°" in above
    assert look(high, *PLACE, "east", later(-rising + 5)).words is None, "sinking out of it"
    behind = next(m for m in range(120, 720) if look(RIG, *PLACE, "east", later(m)).words)
    assert "at the horizon" in str(look(RIG, *PLACE, "east", later(behind)).words)


def altitude(rig: Rig, at: datetime) -> float:
    return float(observe(*PLACE, from_datetimes(at), rig.site.place()).altitude_deg)


def test_until_the_spare_time_is_over_no_limit_comes() -> None:
    for side in ("west", "east"):
        for start in range(-300, 700, 37):
            told = look(RIG, *PLACE, side, later(start))
            if told.words is None:
                for share in (0.3, 0.7, 0.99):
                    then = later(start) + timedelta(minutes=share * told.spare_min)
                    assert look(RIG, *PLACE, side, then).words is None, (side, start, share)


def test_which_side_a_slew_ends_on_and_where_only_the_mount_knows() -> None:
    assert [side_after_slew(RIG, *PLACE, later(m)) for m in (-1, 1, 719, 721)] == [
        "west",
        "east",
        "east",
        "west",
    ]
    west = [may_change_side(RIG, "west", *PLACE, later(m)) for m in (-700, -3, -1, 0, 30, 700)]
    assert west == [False, False, True, True, True, True]
    east = [may_change_side(RIG, "east", *PLACE, later(m)) for m in (-30, -0.1, 0.2, 1, 700, 719, 730)]
    assert east == [True, True, True, False, False, True, True]
    assert beyond_min("east", 725) == pytest.approx(5) and beyond_min("west", 725) == pytest.approx(-715)
    assert window_on(RIG, "") is None and not may_change_side(RIG, "", *PLACE, later(0))


def test_where_the_mount_must_not_look_nothing_is_planned() -> None:
    block = short_plan().blocks[0]
    overhead = block.model_copy(update={"target": Target(name="overhead", ra_deg=PLACE[0], dec_deg=47.0)})
    assert RIG.simulated is not None
    whole = block_intervals(overhead, RIG, RIG.simulated.starts_at)
    under = block_intervals(
        overhead, with_values(RIG, {("mount", "highest_altitude_deg"): 75.0}), RIG.simulated.starts_at
    )
    assert len(whole) == 1 and len(under) == 2 and under[0].closes < TRANSIT < under[1].opens
    gap_min = (under[1].opens - under[0].closes).total_seconds() / 60
    assert gap_min == pytest.approx(2 * 15.0 / 0.25 / 0.68, rel=0.1)  # 15° at cos δ of the sky's speed


def test_a_window_before_the_meridian_is_told() -> None:
    before = with_values(RIG, {("mount", "flip"): FlipWindow(earliest_min=-30, latest_min=-5)})
    said = [finding.words for finding in findings(before, Known())]
    assert any("ends 5 min before the meridian" in words for words in said)


# -- whole nights -----------------------------------------------------------------------------------


def told(plan: NightPlan, rig: Rig = RIG, seed: int = 1) -> tuple[Event, ...]:
    return rehearsed(plan, rig, Scenario(), seed, Path("unused")).events


def block(name: str, ra: float, dec: float, count: int, **span: Any) -> Block:
    first = short_plan(count=count, exposure_s=120).blocks[0]
    line = first.lines[1].model_copy(update={"id": f"{name}-l"})
    target = Target(name=name, ra_deg=ra, dec_deg=dec)
    return first.model_copy(
        update={
            "id": name,
            "target": target,
            "lines": [line],
            "span": Span(**{"minimum_altitude_deg": 20, **span}),
        }
    )


def test_in_a_gap_of_hours_the_mount_does_not_track_on_and_the_second_target_is_taken() -> None:
    early, late = block("early", *PLACE, 6), block("late", 202.5, 47.2, 8, minimum_altitude_deg=45)
    plan = short_plan().model_copy(update={"blocks": [early, late]})
    events = told(plan)
    assert events[-1].values["frames"] == 14
    assert not [e for e in events if e.kind in (Kind.HELD, Kind.GUARDED)]
    stood = [e for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "stand down"]
    assert stood and stood[0].reason == "the mount stands still"
    parks = told(plan, with_values(RIG, {("mount", "between_targets"): "parks"}))
    stood = [e for e in parks if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "stand down"]
    assert stood[0].reason == "parked" and parks[-1].values["frames"] == 14


def night_of(plan: NightPlan, rig: Rig, out: Path) -> tuple[Truth, Any]:
    truth = Truth(rig, Scenario())
    played = play(rig, plan, out, 1, quick=True, beside=truth.keep, look_every_s=5.0)
    return truth, played


@pytest.mark.parametrize(
    "window", [FlipWindow(earliest_min=0, latest_min=10), FlipWindow(earliest_min=-30, latest_min=-5)]
)
def test_only_the_flip_changes_sides(tmp_path: Path, window: FlipWindow) -> None:
    """Short frames dithered across the meridian, also with a window that ends before it."""
    rig = small(with_values(RIG, {("mount", "flip"): window}), 4)
    span = {"hour_angle_from_h": -0.7, "hour_angle_until_h": 0.7}
    plan = short_plan(dither_every_frames=1)
    plan = plan.model_copy(update={"blocks": [block("over", *PLACE, 200, **span)]})
    truth, played = night_of(plan, rig, tmp_path)
    sides = [s.side for s in truth.samples if s.tracking and not s.moving and not s.parked]
    changes = sum(a != b for a, b in pairwise(sides))
    flips = [e for e in played.of(Kind.ACTIVITY_ENDED) if e.values["kind"] == "flip"]
    assert changes == 1 and [e.values["outcome"] for e in flips] == ["done"]
    assert truth.past_limits() == [] and played.events[-1].values["frames"] > 20
    assert not [e for e in played.of(Kind.FRAME_MEASURED) if e.values.get("doubtful")]
    assert max(e.values["off_px"] for e in played.of(Kind.FRAME_MEASURED)) < 100


def test_a_target_goes_through_the_zenith_past_no_limit(tmp_path: Path) -> None:
    rig = small(with_values(RIG, {("mount", "highest_altitude_deg"): 75.0}), 4)
    span = {"hour_angle_from_h": -1.9, "hour_angle_until_h": 1.9}
    plan = short_plan().model_copy(update={"blocks": [block("zenith", PLACE[0], 47.0, 400, **span)]})
    truth, played = night_of(plan, rig, tmp_path)
    assert truth.past_limits() == [] and truth.at_the_end() == []
    assert played.events[-1].values["frames"] > 12
