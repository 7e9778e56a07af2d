"""Random nights in virtual time: plans, weather, faults and seeds by chance, each rehearsed twice and
judged by the simulator's truth."""

import tempfile
from collections import Counter
from collections.abc import Sequence
from datetime import UTC, datetime, time
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.night import play
from campaigns.rigs import example, small
from vigil.cli.files import EXAMPLE_RIGS
from vigil.cli.rehearsing import rehearsed
from vigil.documents.events import Event, Kind
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, StandingOrders, Target
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.planning.account import account
from vigil.planning.flip import hour_angle_min, rule_for
from vigil.planning.forecast import forecast
from vigil.simulator.observatory import SimObservatory
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

NIGHTS, PIXEL_NIGHTS = 100, 5
_START_WITHIN_MIN = 2.0
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
        "lost": sum(e["outcome"] in ("done", "short") and e["frame_id"] not in saved for e in ended),
        "too_many": sum(max(0, line.taken - line.wanted) for line in told.lines),
        "past_limit": _past_limit(rig, west),
        "closing": told.closing,
        "unexplained": sum(not e.reason for e in events if e.kind in _DECIDED),
        "lost_min": {name: round(seconds / 60, 1) for name, seconds in told.lost_s.items()},
        "ended": told.ends.isoformat() if told.ends else None,
        "starts_off_min": _starts_off_min(plan, rig, events) if _clear(scenario) else None,
    }


def _clear(scenario: Scenario) -> bool:
    return not scenario.air.clouds and not scenario.faults


def _starts_off_min(plan: NightPlan, rig: Rig, events: Sequence[Event]) -> dict[str, float]:
    """How far each block's first exposure began from where the timetable of the evening had it, minutes."""
    ahead = forecast(plan, rig, events[0].at)
    found = {}
    for block in plan.blocks:
        planned = [s.begins for s in ahead.of_block(block.id) if s.kind == "exposure"]
        real = [e.at for e in events if e.kind is Kind.EXPOSURE_STARTED and e.values["block"] == block.id]
        if planned and real:
            found[block.id] = round((real[0] - planned[0]).total_seconds() / 60, 2)
    return found


def judged_on_pixels(number: int) -> dict[str, Any]:
    """A night on real pixels, with a small sensor and few frames, twice."""
    rig, plan, scenario = night(number)
    lines = [
        block.model_copy(update={"lines": [x.model_copy(update={"count": 2}) for x in block.lines]})
        for block in plan.blocks
    ]
    plan = plan.model_copy(update={"blocks": lines})
    told, saved, whole = [], Counter[str](), True
    for _ in range(2):
        with tempfile.TemporaryDirectory() as name:
            played = play(small(rig, 3), plan, Path(name), seed=number, scenario=scenario)
            told.append([e.model_dump_json().replace(name, "") for e in played.events])
            saved = Counter(e.values["frame_id"] for e in played.of(Kind.FRAME_SAVED))
            whole = whole and all(Path(f["path"]).exists() for f in played.frames)
    closing = played.events[-1].values["closing"]
    return {
        "pixels": number,
        "rig": rig.id,
        "frames": sum(saved.values()),
        "wanted": plan.wanted,
        "identical": told[0] == told[1],
        "doubled": sum(n - 1 for n in saved.values()),
        "whole": whole,
        "closing": closing,
    }


_DECIDED = (Kind.WAITING, Kind.WAIVED, Kind.HELD, Kind.RESUMED, Kind.BLOCK_GIVEN_UP, Kind.ACTIVITY_STARTED)


def _past_limit(rig: Rig, west: list[tuple[float, float, float]]) -> bool:
    """Whether the mount, west of the pier, was anywhere past its window's end. Every minute is looked at."""
    rule = rule_for(rig)
    if rule is None:
        return False
    return any(
        rule.limit_min < hour_angle_min(ra, dec, rig, datetime.fromtimestamp(at, UTC)) < 360
        for at, ra, dec in west[::12]
    )


def right(found: dict[str, Any]) -> bool:
    """Identical both times, nothing lost or doubled, no limit passed, explained, closed as ordered."""
    wrong = found["doubled"] + found["lost"] + found["too_many"] + found["unexplained"]
    closed = "failed" not in found["closing"].values() and bool(found["closing"])
    return bool(found["identical"] and not wrong and not found["past_limit"] and closed)


def campaign() -> dict[str, Any]:
    """All nights."""
    quick = ((f"night {n}", lambda n=n: judged(n)) for n in range(NIGHTS))
    pixels = ((f"pixels {n}", lambda n=n: judged_on_pixels(n)) for n in range(NIGHTS, NIGHTS + PIXEL_NIGHTS))
    return run_campaign("random", [*quick, *pixels], _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    quick, pixels = [f for f in found if "night" in f], [f for f in found if "pixels" in f]
    starts = [off for f in quick for off in (f["starts_off_min"] or {}).values()]
    return {
        "nights": len(quick),
        "right": sum(right(f) for f in quick),
        "frames": sum(f["frames"] for f in quick),
        "wanted": sum(f["wanted"] for f in quick),
        "not_identical": [f["night"] for f in quick if not f["identical"]],
        "wrong": [f["night"] for f in quick if not right(f)],
        "starts_on_clear_nights": len(starts),
        "starts_within_2_min": sum(abs(off) <= _START_WITHIN_MIN for off in starts),
        "starts_worst_min": max(starts, key=abs, default=None),
        "pixel_nights": len(pixels),
        "pixel_nights_identical_and_whole": sum(
            f["identical"] and f["whole"] and not f["doubled"] for f in pixels
        ),
    }
