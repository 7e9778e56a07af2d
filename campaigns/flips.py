"""Meridian flips: windows, exposures, hemispheres, places of the sky, mounts that tell their side and that
don't."""

import math
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import demo_plan, demo_rig
from campaigns.figures import run_campaign
from vigil.cli.rehearsing import rehearsed
from vigil.devices.protocols import MountState, PierSide
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.rig.rig import Simulated
from vigil.documents.scenario import Scenario
from vigil.engine.rehearsal import LOOK_EVERY_S
from vigil.planning.flip import Next, decide, hour_angle_min, rule_for
from vigil.simulator.observatory import SimObservatory
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

CASES = 300
_NIGHTS = {1: datetime(2027, 1, 12, 23, 0, tzinfo=UTC), -1: datetime(2027, 7, 5, 23, 0, tzinfo=UTC)}
_AFTER_MIN = 60.0
_BETWEEN_LOOKS = timedelta(seconds=LOOK_EVERY_S)


def case(number: int) -> tuple[Rig, NightPlan, dict[str, Any]]:
    """A rig, a plan round a transit at about midnight, and what they are."""
    dice = np.random.default_rng([7, number])
    hemisphere = 1 if number % 2 else -1
    latitude = hemisphere * float(dice.uniform(20, 58))
    kind = ("anywhere", "near zenith", "near pole")[number % 3]
    dec = {
        "anywhere": latitude - hemisphere * dice.uniform(3, 50),
        "near zenith": latitude + dice.uniform(-1.5, 1.5),
        "near pole": hemisphere * dice.uniform(78, 87),
    }[kind]
    width = float(np.exp(dice.uniform(math.log(2), math.log(40))))
    earliest = float(dice.uniform(0.5, 10))
    buffer = min(2.0, max(0.0, width - 2.0))
    preferred = float(dice.uniform(earliest, earliest + width)) if dice.random() < 0.5 else None
    window = FlipWindow(
        earliest_min=earliest, latest_min=earliest + width, preferred_min=preferred, buffer_min=buffer
    )
    exposure_s = float(np.round(np.exp(dice.uniform(math.log(30), math.log(1200)))))
    reports = bool(dice.random() < 0.6)
    transit = _NIGHTS[hemisphere]
    before = float(dice.uniform(15, 60))
    values = {
        ("site", "latitude_deg"): latitude,
        ("site", "longitude_deg"): 0.0,
        ("site", "time_zone"): "UTC",
        ("site", "horizon"): [],
        ("mount", "flip"): window,
        ("mount", "reports_pier_side"): reports,
        ("simulated",): Simulated(starts_at=transit - timedelta(minutes=before)),
    }
    rig = with_values(demo_rig(), values)
    ra, _ = unobserve(0.0, float(dec), from_datetimes(transit), rig.site.place())
    plan = demo_plan()
    block = plan.blocks[0]
    target = block.target.model_copy(
        update={"name": kind, "ra_deg": float(ra) % 360, "dec_deg": float(dec), "position_angle_deg": None}
    )
    count = max(2, round(60 * (before + _AFTER_MIN) / exposure_s))
    line = block.lines[0].model_copy(update={"exposure_s": exposure_s, "count": count})
    block = block.model_copy(update={"target": target, "lines": [line]})
    facts = {
        "case": number,
        "kind": kind,
        "latitude_deg": round(latitude, 2),
        "dec_deg": round(float(dec), 2),
        "window_min": round(width, 1),
        "exposure_s": exposure_s,
        "reports_side": reports,
    }
    return rig, plan.model_copy(update={"blocks": [block]}), facts


def judged(number: int) -> dict[str, Any]:
    """Rehearse a case and look at it with the mount's own true side and encoders."""
    rig, plan, facts = case(number)
    tracked: list[tuple[datetime, MountState]] = []

    def watch(observatory: SimObservatory) -> None:
        mount, gear = observatory.truth.mount, observatory.truth.gear
        read = mount.read

        async def told() -> MountState:
            state = await read()
            if state.tracking and not state.slewing and gear.state.pier_side == PierSide.WEST.value:
                tracked.append((gear.clock.utcnow(), state))
            return state

        mount.read = told  # type: ignore[method-assign]

    with tempfile.TemporaryDirectory() as folder:
        events = rehearsed(plan, rig, Scenario(), number, Path(folder), watch=watch).events
    rule, target = rule_for(rig), plan.blocks[0].target
    assert rule is not None
    latest = max((hour_angle_min(s.ra_deg, s.dec_deg, rig, at) for at, s in tracked[-3:]), default=-math.inf)
    flips = [e for e in events if e.kind is Kind.ACTIVITY_STARTED and e.values["kind"] == "flip"]
    ended = [e for e in events if e.kind is Kind.ACTIVITY_ENDED and e.values["kind"] == "flip"]
    frame_s = plan.blocks[0].lines[0].exposure_s + rig.readout_s()
    early = []
    for e in flips:
        # by the mount's own axis: near the pole it may stand minutes beside the target, and a dither moves it
        # by as much as 20 s from one reading to the next. The engine has the last one, each may be that
        places = [(s.ra_deg, s.dec_deg) for at, s in tracked if e.at - _BETWEEN_LOOKS <= at <= e.at]
        places = places or [(target.ra_deg, target.dec_deg)]
        said = [decide(rule, hour_angle_min(*place, rig, e.at), frame_s).next for place in places]
        if all(what is Next.SHOOT for what in said):
            early.append(e)
    done = [e for e in ended if e.values["outcome"] == "done"]
    return {
        **facts,
        "flipped": len(done),
        "tries": len(flips),
        "past_limit": bool(latest > rule.limit_min),
        "latest_west_min": round(latest, 2),
        "cut": sum(e.kind is Kind.EXPOSURE_ENDED and e.values["outcome"] != "done" for e in events),
        "too_early": len(early),
        "off_px": _off_after(events, done[-1] if done else None),
        "held": [e.reason for e in events if e.kind is Kind.HELD],
        "frames": sum(e.kind is Kind.FRAME_SAVED for e in events),
    }


def _off_after(events: tuple[Event, ...], flip: Event | None) -> float | None:
    """How far off the centring after the flip ended."""
    if flip is None:
        return None
    found = (
        e.values["pointing"]["off_px"]
        for e in events
        if e.at > flip.at and e.values.get("pointing") is not None
    )
    off = next(found, None)
    return None if off is None else float(off)


def right(found: dict[str, Any]) -> bool:
    """Flipped once, within the window, nothing cut, centred again."""
    return bool(
        found["flipped"] == 1
        and not found["past_limit"]
        and found["cut"] == found["too_early"] == 0
        and found["off_px"] is not None
        and found["off_px"] <= 4.0
    )


def campaign() -> dict[str, Any]:
    """All cases."""
    return run_campaign("flips", ((f"case {n}", lambda n=n: judged(n)) for n in range(CASES)), _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "cases": len(found),
        "right": sum(right(f) for f in found),
        "past_limit": sum(f["past_limit"] for f in found),
        "frames_cut": sum(f["cut"] for f in found),
        "flipped_though_a_frame_fitted": sum(f["too_early"] for f in found),
        "not_flipped": sum(f["flipped"] == 0 for f in found),
        "worst_off_px": max((f["off_px"] for f in found if f["off_px"] is not None), default=None),
        "wrong": [f["case"] for f in found if not right(f)],
    }
