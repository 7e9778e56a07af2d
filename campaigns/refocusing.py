"""Weighed refocusing against a fixed rule, over rehearsed long nights that fall about nine degrees."""

from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import demo_rig
from campaigns.figures import run_campaign
from vigil.cli.files import demo_file
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.focusvalues import with_slope
from vigil.documents.scenario import Scenario
from vigil.documents.store import load
from vigil.focusing.history import learn
from vigil.planning.focuslog import runs_to_learn_from

GEARS, BEFORE, NIGHTS_EACH = 5, 10, 10
_NO_RULES: dict[str, Any] = {
    "focus_colder_by_c": None,
    "focus_every_min": None,
    "focus_grown_by_percent": None,
}
HOURLY = {**_NO_RULES, "focus_every_min": 60.0}
WEIGHED = {**_NO_RULES, "focus_weighed": True, "focus_follows": True}


def night(rig: Rig, gear: int, number: int, orders: dict[str, Any]) -> list[Event]:
    """A rehearsed night of a gear: the same telescope under another air."""
    rng = np.random.default_rng([37, gear, number])
    scenario = Scenario.model_validate(
        {
            "name": "falling",
            "air": {
                "evening_c": float(rng.uniform(-3, 9)),
                "falls_c": float(rng.uniform(8, 10)),
                "seeing_arcsec": float(rng.uniform(1.8, 3.2)),
                "seeing_flickers": 0.08,
            },
        }
    )
    plan = load(NightPlan, demo_file("long-night.json"))
    plan = plan.model_copy(update={"orders": plan.orders.model_copy(update=orders)})
    return list(rehearsed(plan, rig, scenario, 100 + gear, Path("frames")).events)


def came_to(events: list[Event]) -> dict[str, Any]:
    """Time that focusing took, and the mean star size of the frames."""
    runs = [e.values for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "focus"]
    sizes = [e.values["hfr_px"] for e in events if e.kind is Kind.FRAME_MEASURED and e.values.get("hfr_px")]
    return {
        "focus_s": round(sum(r["took_s"] for r in runs), 1),
        "runs": len(runs),
        "frames": len(sizes),
        "mean_size_px": round(float(np.mean(sizes)), 4),
    }


@cache
def learnt(gear: int) -> Rig:
    """The rig with the temperature model of ten hourly focused nights."""
    figures: list[dict[str, Any]] = []
    for number in range(BEFORE):
        for event in night(demo_rig(), gear, 1000 + number, HOURLY):
            if event.kind is Kind.ACTIVITY_ENDED and "run" in event.values:
                figures.append(event.values["run"])
    history = learn(runs_to_learn_from(figures), "L")
    assert history.slope is not None, "ten nights tell a slope"
    return with_slope(demo_rig(), history.slope.value, history.slope.half, history.scatter)


def one_night(gear: int, number: int) -> dict[str, Any]:
    """The same night by both rules."""
    rig = learnt(gear)
    fixed, by_worth = (came_to(night(rig, gear, number, orders)) for orders in (HOURLY, WEIGHED))
    focuser = rig.focuser
    assert focuser is not None
    return {"steps_per_c": focuser.steps_per_c, "hourly": fixed, "weighed": by_worth}


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    def mean(rule: str, what: str) -> float:
        return round(float(np.mean([r[rule][what] for r in results])), 4)

    told: dict[str, Any] = {
        rule: {what: mean(rule, what) for what in ("focus_s", "runs", "frames", "mean_size_px")}
        for rule in ("hourly", "weighed")
    }
    told["nights"] = len(results)
    told["time_ratio"] = round(told["weighed"]["focus_s"] / told["hourly"]["focus_s"], 3)
    told["size_ratio"] = round(told["weighed"]["mean_size_px"] / told["hourly"]["mean_size_px"], 4)
    told["nights_with_half_the_time"] = sum(
        r["weighed"]["focus_s"] <= r["hourly"]["focus_s"] / 2 for r in results
    )
    return told


def campaign() -> dict[str, Any]:
    """50 nights, five telescopes with ten nights before them each."""
    items = [
        (f"gear {gear} night {n}", lambda g=gear, n=n: one_night(g, n))
        for gear in range(GEARS)
        for n in range(NIGHTS_EACH)
    ]
    return run_campaign("refocusing", items, summarise)
