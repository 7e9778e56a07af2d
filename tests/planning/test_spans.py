"""Spans that combine clock, moon and hour angle; lines with conditions of their own; the choice among
them."""

from datetime import UTC, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from campaigns.demo import demo_rig, short_plan
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, Target, contradictions
from vigil.planning.choice import Candidate, Finished, choose
from vigil.planning.flip import hour_angle_min
from vigil.planning.forecast import forecast
from vigil.planning.plantext import line_words, plan_text, span_words
from vigil.planning.spans import block_intervals, line_intervals
from vigil.planning.spells import Interval
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import observe_moon
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

RIG, PLAN = demo_rig(), short_plan()
AT = RIG.simulated.starts_at
BLOCK = PLAN.blocks[0]
HALF_MOON = datetime(2027, 1, 15, 16, tzinfo=UTC)


def block(**span: Any) -> Block:
    return BLOCK.model_copy(update={"span": BLOCK.span.model_copy(update=span)})


def hours(intervals: tuple[Interval, ...]) -> float:
    return sum((i.closes - i.opens).total_seconds() for i in intervals) / 3600


def plan_of(*blocks: Block) -> NightPlan:
    return PLAN.model_copy(update={"blocks": list(blocks)})


def line(name: str, **values: Any) -> ExposureLine:
    return ExposureLine(**{"id": name, "filter": name, "exposure_s": 300, "count": 5, **values})


def test_clock_times_are_the_sites_and_cut_the_span() -> None:
    (whole,) = block_intervals(BLOCK, RIG, AT)
    (cut,) = block_intervals(block(from_clock=time(20, 30), until_clock=time(1, 0)), RIG, AT)
    assert cut.opens == datetime(2027, 1, 12, 19, 30, tzinfo=UTC)
    assert cut.closes == datetime(2027, 1, 13, 0, 0, tzinfo=UTC)
    assert whole.opens < cut.opens and cut.closes < whole.closes
    assert block_intervals(block(from_clock=time(13), until_clock=time(14)), RIG, AT) == ()


def test_moon_up_and_down_share_the_night() -> None:
    whole = block_intervals(BLOCK, RIG, HALF_MOON)
    up, down = (block_intervals(block(moon=m), RIG, HALF_MOON) for m in ("up", "down"))
    assert hours(up) + hours(down) == pytest.approx(hours(whole), abs=1e-6) and hours(up) > 1 < hours(down)
    edge = up[0].closes
    moon = observe_moon(from_datetimes(edge), RIG.site.place().airless())
    assert float(moon.altitude_deg) == pytest.approx(-0.58, abs=0.2), "it sets there"


def test_distance_and_light_of_the_moon_count_while_it_is_up() -> None:
    down = block_intervals(block(moon="down"), RIG, HALF_MOON)
    assert block_intervals(block(moon_apart_deg=180), RIG, HALF_MOON) == down
    assert block_intervals(block(moon_percent_at_most=5), RIG, HALF_MOON) == down
    assert hours(block_intervals(block(moon_percent_at_most=99), RIG, HALF_MOON)) > hours(down)
    place = BLOCK.target.ra_deg, BLOCK.target.dec_deg
    instants = from_datetimes(HALF_MOON + timedelta(hours=4))
    moon, there = (f(instants, RIG.site.place()) for f in (observe_moon, lambda i, s: observe(*place, i, s)))
    apart = float(separation_deg(there.hour_angle_deg, there.dec_deg, moon.hour_angle_deg, moon.dec_deg))
    near = block_intervals(block(moon_apart_deg=apart - 5), RIG, HALF_MOON)
    assert hours(near) > hours(down)


def test_hour_angles_cut_the_span() -> None:
    (east,) = block_intervals(block(hour_angle_until_h=0), RIG, AT)
    target = BLOCK.target
    assert abs(hour_angle_min(target.ra_deg, target.dec_deg, RIG, east.closes)) < 1
    (both,) = block_intervals(block(hour_angle_from_h=-1, hour_angle_until_h=1.5), RIG, AT)
    assert hours((both,)) == pytest.approx(2.5 / 1.00274, abs=0.03)
    with pytest.raises(ValueError, match="not before"):
        Span(hour_angle_from_h=2, hour_angle_until_h=1)


def test_a_line_waits_for_its_moon_and_the_other_takes_the_time() -> None:
    lines = [line("L", moon="down", count=3), line("Ha", moon="up", as_long_as_it_lasts=True)]
    plan = plan_of(BLOCK.model_copy(update={"lines": lines}))
    spans = line_intervals(plan, RIG, HALF_MOON)
    sets = spans["L"][0].opens
    taken = {"L": 0, "Ha": 0}
    evening = choose(plan, spans, taken.__getitem__, (), spans["Ha"][0].opens)
    night = choose(plan, spans, taken.__getitem__, (), sets + timedelta(minutes=1))
    assert isinstance(evening, Candidate) and evening.line.id == "Ha"
    assert isinstance(night, Candidate) and night.line.id == "L"
    ahead = forecast(plan, RIG, HALF_MOON)
    first_l = next(s for s in ahead.steps if s.kind == "exposure" and s.line == "L")
    last_ha = [s for s in ahead.steps if s.kind == "exposure" and s.line == "Ha"][-1]
    assert last_ha.ends <= sets <= first_l.begins and not ahead.lost
    assert {x.line: x.fitting for x in ahead.lines}["Ha"] > 10


def test_in_turn_goes_by_rounds_with_unequal_counts() -> None:
    lines = [line("R", count=3), line("G", count=1), line("B", count=2)]
    plan = plan_of(BLOCK.model_copy(update={"order": "in turn", "lines": lines}))
    spans = line_intervals(plan, RIG, AT)
    taken = {"R": 0, "G": 0, "B": 0}
    order = []
    at = spans[BLOCK.id][0].opens
    while isinstance(chosen := choose(plan, spans, taken.__getitem__, (), at), Candidate):
        order.append(chosen.line.id)
        taken[chosen.line.id] += 1
    assert order == ["R", "G", "B", "R", "B", "R"] and isinstance(chosen, Finished)


def test_what_is_off_is_left_out() -> None:
    off = BLOCK.model_copy(update={"lines": [line("L", off=True), line("Ha")]})
    plan = plan_of(off, BLOCK.model_copy(update={"id": "two", "off": True, "lines": [line("R")]}))
    assert plan.wanted == 5 and [x.line for x in forecast(plan, RIG, AT).lines] == ["Ha"]
    unknown = off.model_copy(update={"lines": [line("X", off=True), line("Ha")]})
    assert contradictions(plan_of(unknown), RIG) == [], "what is off may name what the rig lacks"
    none = plan_of(BLOCK.model_copy(update={"off": True}))
    assert "switched off" in contradictions(none, RIG)[0]


def test_a_last_frame_may_overrun_where_that_is_wished() -> None:
    (whole,) = block_intervals(BLOCK, RIG, AT)
    late = whole.closes - timedelta(seconds=30)
    for overrun, kind in ((False, Finished), (True, Candidate)):
        plan = plan_of(block(may_overrun=overrun))
        spans = line_intervals(plan, RIG, AT)
        assert isinstance(choose(plan, spans, lambda _: 0, (), late), kind)
        assert isinstance(choose(plan, spans, lambda _: 0, (), whole.closes), Finished)


def test_the_text_says_all_of_it() -> None:
    wordy = block(from_clock=time(21), moon="down", moon_apart_deg=40, hour_angle_from_h=-2, may_overrun=True)
    said = span_words(wordy.span)
    for words in (
        "from 21:00",
        "moon down",
        "40° from the moon",
        "hour angle from −2 h",
        "may run past the end",
    ):
        assert words in said
    assert line_words(line("Ha", as_long_as_it_lasts=True, gain=5, moon="up", off=True)) == (
        "Ha 300 s, as many as fit, gain 5, while the moon is up, switched off"
    )
    text = plan_text(PLAN, RIG, forecast(PLAN, RIG, AT), markdown=True)
    assert text.startswith("# A first night") and "## IC 405  18:16–" in text and "- mount parked" in text
    many = plan_of(BLOCK.model_copy(update={"lines": [line("Ha", count=500)]}))
    assert "of 500 fit" in plan_text(many, RIG, forecast(many, RIG, AT))
    assert np.isfinite(forecast(many, RIG, AT).exposure_s)


@pytest.mark.parametrize(
    ("zone", "evening", "begins", "ends", "hours_long"),
    [
        ("Europe/Vienna", (2027, 3, 27), time(1, 30), time(3, 30), 1.0),
        ("Europe/Vienna", (2027, 10, 30), time(1, 30), time(3, 30), 3.0),
        ("Australia/Sydney", (2027, 4, 3), time(1, 15), time(4, 15), 4.0),
    ],
)
def test_a_span_by_the_clock_is_as_long_as_it_lasts_where_the_clock_is_changed(
    zone: str, evening: tuple[int, int, int], begins: time, ends: time, hours_long: float
) -> None:
    """What is planned in it fits: a frame less than there are times its length."""
    south = zone.startswith("Australia")
    place = {"latitude_deg": -33.0, "longitude_deg": 151.0} if south else {}
    rig = RIG.model_copy(update={"site": RIG.site.model_copy(update={"time_zone": zone, **place})})
    at = datetime(*evening, 23, tzinfo=ZoneInfo(zone))
    pole = Target(name="by the pole", ra_deg=30.0, dec_deg=-88.0 if south else 88.0)
    span = block(from_clock=begins, until_clock=ends)
    found = block_intervals(span.model_copy(update={"target": pole}), rig, at)
    seconds = sum(i.closes.timestamp() - i.opens.timestamp() for i in found)
    assert seconds / 3600 == hours_long == hours(found)


def test_where_the_sun_stays_down_the_whole_day_is_night_and_where_it_stays_up_none_is() -> None:
    def at_latitude(latitude_deg: float, month: int, dec_deg: float) -> float:
        site = RIG.site.model_copy(update={"latitude_deg": latitude_deg, "horizon": []})
        where = block().model_copy(update={"target": Target(name="high", ra_deg=30.0, dec_deg=dec_deg)})
        rig = RIG.model_copy(update={"site": site})
        return hours(block_intervals(where, rig, datetime(2026, month, 21, 20, tzinfo=UTC)))

    assert at_latitude(88, 12, 80) == pytest.approx(24.0)
    assert 10 < at_latitude(78.2, 12, 80) < 18, "twilight at noon"
    assert at_latitude(-89.9, 6, -80) == pytest.approx(24.0)
    assert at_latitude(78.2, 6, 80) == at_latitude(-89.9, 12, -80) == 0.0
