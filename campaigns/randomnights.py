"""Random nights in virtual time: plans, weather, faults and seeds by chance, each rehearsed twice and
judged by the simulator's truth."""

import tempfile
from collections import Counter
from datetime import UTC, datetime, time
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.rigs import example
from vigil.cli.files import EXAMPLE_RIGS
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Kind
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, StandingOrders, Target
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.planning.account import account
from vigil.planning.flip import hour_angle_min, rule_for
from vigil.simulator.observatory import SimObservatory
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

NIGHTS = 100
_FAULTS = (
    (FaultKind.DISCONNECTS, "camera", 8.0),
    (FaultKind.DISCONNECTS, "mount", 5.0),
    (FaultKind.SLEW_REFUSED, "mount", 6.0),
    (FaultKind.FOCUSER_STALLS, "focuser", 10.0),
    (FaultKind.FRAME_LOST, "camera", 10.0),
    (FaultKind.FRAME_TORN, "camera", 10.0),
    (FaultKind.MOVES, "mount", 0.0),
)


def night(number: int) -> tuple[Rig, NightPlan, Scenario]:
    """Everything about one night follows from its number."""
    dice = np.random.default_rng([11, number])
    rig = example(EXAMPLE_RIGS[int(dice.integers(len(EXAMPLE_RIGS)))])
    blocks = [_block(dice, rig, n) for n in range(int(dice.integers(1, 4)))]
    orders = StandingOrders(
        dither_every_frames=int(dice.integers(1, 6)) if dice.random() < 0.6 else None,
        focus_after_flip=bool(dice.random() < 0.5),
        focus_every_min=float(dice.uniform(40, 120)),
    )
    plan = NightPlan(name=f"night {number}", blocks=blocks, orders=orders)
    air = AirEffects(clouds=[_cloud(dice) for _ in range(int(dice.integers(0, 3)))])
    faults = []
    for _ in range(int(dice.integers(0, 3))):
        kind, device, minutes = _FAULTS[int(dice.integers(len(_FAULTS)))]
        if device == "focuser" and rig.focuser is None:
            continue
        faults.append(Fault(kind=kind, device=device, at_min=float(dice.uniform(60, 500)), minutes=minutes))
    return rig, plan, Scenario(air=air, faults=faults)


def _block(dice: np.random.Generator, rig: Rig, number: int) -> Block:
    assert rig.simulated is not None
    at = from_datetimes(rig.simulated.starts_at)
    ha, dec = float(dice.uniform(-110, 20)), float(dice.uniform(0, 75))
    ra, dec_deg = unobserve(ha, dec, at, rig.site.place())
    names = rig.filter_names or [""]
    by_hand = rig.wheel is not None and rig.wheel.kind == "drawer"
    count = 1 if by_hand else int(dice.integers(1, 3))
    lines = [
        ExposureLine(
            id=f"b{number}-l{k}",
            filter=names[0] if by_hand else names[int(dice.integers(len(names)))],
            exposure_s=float(np.round(dice.uniform(30, 600))),
            count=int(dice.integers(2, 12)),
        )
        for k in range(count)
    ]
    span = Span(
        minimum_altitude_deg=25,
        from_clock=time(int(dice.integers(18, 23))) if dice.random() < 0.3 else None,
        moon="down" if dice.random() < 0.2 else "anywhere",
    )
    return Block(
        id=f"b{number}",
        target=Target(name=f"place {number}", ra_deg=float(ra) % 360, dec_deg=float(dec_deg)),
        span=span,
        order="in turn" if dice.random() < 0.5 else "one after another",
        lines=lines,
    )


def _cloud(dice: np.random.Generator) -> Cloud:
    return Cloud(
        arrives_min=float(dice.uniform(0, 600)),
        minutes=float(dice.uniform(5, 60)),
        thickness_mag=float(dice.uniform(0.3, 6)),
    )


def judged(number: int) -> dict[str, Any]:
    """Rehearse a night twice; what came of it, and what of it was wrong."""
    rig, plan, scenario = night(number)
    west: list[tuple[float, float, float]] = []

    def watch(observatory: SimObservatory) -> None:
        mount, bench = observatory.truth.mount, observatory.truth.bench
        read = mount.read

        async def told() -> Any:
            state = await read()
            if state.tracking and not state.slewing and bench.state.pier_side == "west":
                west.append((bench.clock.utcnow().timestamp(), state.ra_deg, state.dec_deg))
            return state

        mount.read = told  # type: ignore[method-assign]

    with tempfile.TemporaryDirectory() as folder:
        events = rehearsed(plan, rig, scenario, number, Path(folder), watch=watch).events
        again = rehearsed(plan, rig, scenario, number, Path(folder)).events
    told = account(plan, events)
    saved = Counter(e.values["frame_id"] for e in events if e.kind is Kind.FRAME_SAVED)
    ended = [e.values for e in events if e.kind is Kind.EXPOSURE_ENDED]
    return {
        "night": number,
        "rig": rig.id,
        "frames": told.frames,
        "wanted": plan.wanted,
        "identical": events == again,
        "doubled": sum(n - 1 for n in saved.values()),
        "lost": sum(e["outcome"] == "done" and e["frame_id"] not in saved for e in ended),
        "too_many": sum(max(0, line.taken - line.wanted) for line in told.lines),
        "past_limit": _past_limit(rig, west),
        "closing": told.closing,
        "unexplained": sum(not e.reason for e in events if e.kind in _DECIDED),
        "lost_min": {name: round(seconds / 60, 1) for name, seconds in told.lost_s.items()},
        "ended": told.ends.isoformat() if told.ends else None,
    }


_DECIDED = (Kind.WAITING, Kind.WAIVED, Kind.HELD, Kind.RESUMED, Kind.BLOCK_GIVEN_UP, Kind.ACTIVITY_STARTED)


def _past_limit(rig: Rig, west: list[tuple[float, float, float]]) -> bool:
    """Whether the mount, west of the pier, was anywhere past its window's end. Every minute is looked at."""
    rule = rule_for(rig)
    if rule is None:
        return False
    return any(
        rule.limit_min < hour_angle_min(ra, dec, rig, datetime.fromtimestamp(at, UTC)) < 360
        for at, ra, dec in west[::60]
    )


def right(found: dict[str, Any]) -> bool:
    """Identical both times, nothing lost or doubled, no limit passed, explained, closed as ordered."""
    wrong = found["doubled"] + found["lost"] + found["too_many"] + found["unexplained"]
    closed = "failed" not in found["closing"].values() and bool(found["closing"])
    return bool(found["identical"] and not wrong and not found["past_limit"] and closed)


def campaign() -> dict[str, Any]:
    """All nights."""
    return run_campaign("random", ((f"night {n}", lambda n=n: judged(n)) for n in range(NIGHTS)), _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "nights": len(found),
        "right": sum(right(f) for f in found),
        "frames": sum(f["frames"] for f in found),
        "wanted": sum(f["wanted"] for f in found),
        "not_identical": [f["night"] for f in found if not f["identical"]],
        "wrong": [f["night"] for f in found if not right(f)],
    }
