"""Refocusing when it is worth the minutes, and a focuser that follows the temperature."""

from itertools import pairwise
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.refocusing import WEIGHED, came_to
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.rig.focusvalues import with_slope
from vigil.documents.scenario import Scenario
from vigil.planning.plantext import limits_words

FALLING = Scenario.model_validate({"name": "falling", "air": {"falls_c": 9.0}})


def night(follows: bool, knows: bool = True, **orders: Any) -> list[Event]:
    rig = with_slope(quick_rig(), -7.0, 0.1, 0.5) if knows else quick_rig()
    plan = short_plan(count=24, exposure_s=300.0, **{**WEIGHED, **orders, "focus_follows": follows})
    return list(rehearsed(plan, rig, FALLING, 4, Path("frames")).events)


def runs(events: list[Event]) -> list[str]:
    return [e.reason for e in events if e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "focus"]


def test_who_follows_the_temperature_focuses_seldom_and_stays_sharp() -> None:
    followed, left = night(follows=True), night(follows=False)
    assert 1 <= len(runs(followed)) < len(runs(left)), (runs(followed), runs(left))
    assert runs(left)[1].startswith("focus fresh: lost to focus ") and "limit" in runs(left)[1]
    assert came_to(followed)["mean_size_px"] <= 1.01 * came_to(left)["mean_size_px"]
    # saved up, between exposures only: no frame is lost to it, and it moves by some steps at a time
    moved = [e for e in followed if e.kind is Kind.ACTIVITY_STARTED and "focuser at" in e.reason]
    assert len(moved) >= 4
    assert not any(e.values["outcome"] != "done" for e in followed if e.kind is Kind.EXPOSURE_ENDED)
    places = [e.values["focus_position"] for e in followed if e.kind is Kind.FRAME_SAVED]
    jumps = [abs(b - a) for a, b in pairwise(places) if b != a]
    assert sum(jump >= 3 for jump in jumps) > 0.7 * len(jumps) > 0


def test_the_rules_stay_beside_it_and_the_plan_says_so() -> None:
    orders = short_plan(**WEIGHED).orders
    assert limits_words("focus fresh", orders, quick_rig()) == (
        "refocused when it is worth the minutes, the focuser follows the temperature"
    )
    hourly = night(follows=True, focus_every_min=60.0)
    assert any("since focus" in reason for reason in runs(hourly))
    # what nobody knows is reckoned with
    unknown = night(follows=False, knows=False)
    assert len(runs(unknown)) >= 2
