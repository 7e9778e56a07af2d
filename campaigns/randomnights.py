"""Random nights in virtual time: plans, limits, weather, faults, people and seeds by chance, on rigs with and
without a roof, judged by the simulator's truth."""

import asyncio
import re
import tempfile
from collections import Counter
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.figures import run_campaign
from campaigns.night import Played, play
from campaigns.rigs import example, small
from campaigns.truthjudge import Truth
from vigil.cli.files import EXAMPLE_RIGS
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.night import counts, fold_all
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, StandingOrders, SunMoment, Target
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.documents.steps import Ask, MustHold, RunProgram, TestExposure, WaitUntil
from vigil.planning.account import account
from vigil.planning.forecast import forecast
from vigil.planning.spans import line_intervals
from vigil.planning.waits import moment_of
from vigil.simulator import quick as quickly
from vigil.sky.angles import separation_deg
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes
from vigil.solving.solution import Solution

NIGHTS, PIXEL_NIGHTS = 300, 5
LOOK_EVERY_S = 3.0
_START_WITHIN_MIN, _IDLE_MIN, _SHUT_WITHIN_S, _DAY_WITHIN_S = 2.0, 30.0, 10.0, 180.0
_TWICE_EVERY = 4
"""Every so-many-th night is played twice, event for event the same."""

_FAULTS = (
    (FaultKind.DISCONNECTS, "camera", 8.0),
    (FaultKind.DISCONNECTS, "mount", 5.0),
    (FaultKind.DISCONNECTS, "roof", 6.0),
    (FaultKind.DISCONNECTS, "weather station", 15.0),
    (FaultKind.SLEW_REFUSED, "mount", 6.0),
    (FaultKind.SLEW_REFUSED, "mount", 60.0),
    (FaultKind.STAYS, "mount", 40.0),
    (FaultKind.FOCUSER_STALLS, "focuser", 10.0),
    (FaultKind.FRAME_LOST, "camera", 10.0),
    (FaultKind.FRAME_TORN, "camera", 10.0),
    (FaultKind.CANT_END, "camera", 400.0),
    (FaultKind.MOVES, "mount", 0.0),
    (FaultKind.STALE, "weather station", 25.0),
    (FaultKind.STALE, "safety sensor", 12.0),
    (FaultKind.FLICKERS, "safety sensor", 20.0),
    (FaultKind.DISK_GONE, None, 12.0),
    (FaultKind.DISK_FULL, None, 20.0),
)
_CHANCES = ("camera", "mount", "focuser", "filter wheel", "roof", "cover", "weather station", "safety sensor")
_MAY_BE_OFF = (
    "enough stars", "camera cold", "focus fresh", "camera angle", "on target", "dithered", "heaters",
)  # fmt: skip
_WINDOWS = (
    FlipWindow(earliest_min=5, latest_min=20, preferred_min=8),
    FlipWindow(earliest_min=0, latest_min=10),
    FlipWindow(earliest_min=5, latest_min=40, preferred_min=15),
    FlipWindow(earliest_min=-30, latest_min=-5),
    FlipWindow(earliest_min=10, latest_min=None),
)


@dataclass
class Night:
    """Everything about one night; `unsolvable` are blocks whose field nobody can solve."""

    rig: Rig
    plan: NightPlan
    scenario: Scenario
    seed: int
    unsolvable: list[str] = field(default_factory=list)
    stop_at_min: float | None = None
    hold_at_min: float | None = None
    hands_in_holds: bool = False


def night(number: int) -> Night:
    """Everything about one night follows from its number: every other one is on a rig with roof and cover."""
    dice = np.random.default_rng([14, number])
    roofed = number % 2 == 0
    rig = example("stork-1600" if roofed else EXAMPLE_RIGS[int(dice.integers(len(EXAMPLE_RIGS)))])
    rig = _limits(dice, rig)
    blocks = [_block(dice, rig, n) for n in range(int(dice.integers(1, 4)))]
    orders = StandingOrders(
        dither_every_frames=int(dice.integers(1, 6)) if dice.random() < 0.7 else None,
        focus_after_flip=bool(dice.random() < 0.5),
        focus_every_min=float(dice.uniform(40, 120)),
        centre_after_flip=bool(dice.random() < 0.8),
    )
    plan = NightPlan(name=f"night {number}", blocks=blocks, orders=orders, opening=_opening(dice, rig))
    made = Night(rig, plan, _scenario(dice, rig), number)
    if dice.random() < 0.15:
        made.unsolvable = [blocks[int(dice.integers(len(blocks)))].id]
    if dice.random() < 0.15:
        made.stop_at_min = float(dice.uniform(20, 700))
    if dice.random() < 0.15:
        made.hold_at_min = float(dice.uniform(60, 600))
    made.hands_in_holds = bool(dice.random() < 0.4)
    return made


def _limits(dice: np.random.Generator, rig: Rig) -> Rig:
    assert rig.mount is not None
    values: dict[tuple[str, ...], Any] = {}
    if rig.mount.kind == "german":
        values["mount", "flip"] = _WINDOWS[int(dice.integers(len(_WINDOWS)))]
        if dice.random() < 0.3:
            values["mount", "flip_other_side"] = _WINDOWS[int(dice.integers(3))]
    if dice.random() < 0.3:
        values["mount", "highest_altitude_deg"] = float(dice.uniform(65, 85))
    if dice.random() < 0.3:
        values["mount", "lowest_altitude_deg"] = float(dice.uniform(5, 20))
    if dice.random() < 0.3:
        values["mount", "between_targets"] = "parks"
    return with_values(rig, values) if values else rig


def _block(dice: np.random.Generator, rig: Rig, number: int) -> Block:
    assert rig.simulated is not None
    at = from_datetimes(rig.simulated.starts_at)
    ha, dec = float(dice.uniform(-150, 40)), float(dice.uniform(-5, 85))
    ra, dec_deg = unobserve(ha, dec, at, rig.site.place())
    names = rig.filter_names or [""]
    by_hand = rig.wheel is not None and rig.wheel.kind == "drawer"
    count = 1 if by_hand else int(dice.integers(1, 3))
    short = dice.random() < 0.4  # so that dithers come at every hour angle
    lines = [
        ExposureLine(
            id=f"b{number}-l{k}",
            filter=names[0] if by_hand else names[int(dice.integers(len(names)))],
            exposure_s=float(np.round(dice.uniform(30, 120) if short else dice.uniform(60, 900))),
            count=int(dice.integers(2, 30 if short else 12)),
            as_long_as_it_lasts=bool(dice.random() < 0.08),
        )
        for k in range(count)
    ]
    moments = ("civil", "nautical", "astronomical")
    closes = SunMoment(moment=moments[int(dice.integers(3))], minutes=float(dice.integers(-60, 30)))
    opens = SunMoment(moment=moments[int(dice.integers(3))], minutes=float(dice.integers(-20, 60)))
    gap = dice.random() < 0.3
    from_clock = time(int(dice.choice([18, 20, 22, 0, 1, 2]))) if gap else None
    split = dice.random() < 0.2
    span = Span(
        opens=opens,
        closes=closes,
        minimum_altitude_deg=25,
        from_clock=from_clock,
        moon="down" if dice.random() < 0.2 else "anywhere",
        hour_angle_from_h=float(dice.uniform(-6, -1)) if split else None,
        hour_angle_until_h=float(dice.uniform(0, 5)) if split else None,
        may_overrun=bool(dice.random() < 0.1),
    )
    return Block(
        id=f"b{number}",
        target=Target(name=f"place {number}", ra_deg=float(ra) % 360, dec_deg=float(dec_deg)),
        span=span,
        order="in turn" if dice.random() < 0.5 else "one after another",
        lines=lines,
    )


def _opening(dice: np.random.Generator, rig: Rig) -> list[Any]:
    steps: list[Any] = []
    if dice.random() < 0.3:
        steps.append(WaitUntil(id="wait", clock=time(int(dice.choice([17, 18, 19, 21])))))
    if dice.random() < 0.2:
        steps.append(WaitUntil(id="dusk", moment="nautical dusk", minutes=float(dice.integers(-10, 30))))
    if dice.random() < 0.2:
        steps.append(RunProgram(id="program", arguments=["true" if dice.random() < 0.7 else "false"]))
    if dice.random() < 0.2:
        steps.append(Ask(id="ask", question="are the caps off?", wait_min=float(dice.integers(1, 10))))
    if dice.random() < 0.15:
        name = rig.filter_names[0] if rig.filter_names else ""
        steps.append(TestExposure(id="trial", filter=name, exposure_s=5))
    off = [name for name in _MAY_BE_OFF if dice.random() < 0.06]
    return steps + [MustHold(name=name, off=True) for name in off]


def _scenario(dice: np.random.Generator, rig: Rig) -> Scenario:
    air = AirEffects(clouds=[_cloud(dice) for _ in range(int(dice.integers(0, 3)))])
    faults = []
    names = {*rig.device_names, None}
    for _ in range(int(dice.integers(0, 3))):
        kind, device, minutes = _FAULTS[int(dice.integers(len(_FAULTS)))]
        if device in names:
            begins = float(dice.uniform(10, 60) if dice.random() < 0.3 else dice.uniform(60, 700))
            faults.append(Fault(kind=kind, device=device, at_min=begins, minutes=minutes))
    if dice.random() < 0.35:
        device = _CHANCES[int(dice.integers(len(_CHANCES)))]
        if device in names:
            kind = FaultKind.THROWS if dice.random() < 0.6 else FaultKind.TIMES_OUT
            share = float(dice.uniform(0.02, 0.4))
            per_hour = float(dice.uniform(0.2, 2))
            minutes = float(dice.uniform(1, 8))
            faults.append(Fault(kind=kind, device=device, per_hour=per_hour, minutes=minutes, share=share))
    return Scenario(air=air, faults=faults)


def _cloud(dice: np.random.Generator) -> Cloud:
    return Cloud(
        arrives_min=float(dice.uniform(0, 600)),
        minutes=float(dice.uniform(5, 60)),
        thickness_mag=float(dice.uniform(0.3, 6)),
    )


# -- playing one ----------------------------------------------------------------------------------


@dataclass
class Watched:
    """A night as it was played, with what really was."""

    played: Played
    truth: Truth
    aims: dict[str, tuple[float, float]]
    told: list[str]
    """Its events as text, without the name of their folder."""


def played_once(made: Night) -> Watched:
    """On quick measurements; people act as the night has it."""
    truth, aims = Truth(made.rig, made.scenario), dict[str, tuple[float, float]]()
    bad = [(b.target.ra_deg, b.target.dec_deg) for b in made.plan.blocks if b.id in made.unsolvable]
    solve = quickly.solution_of

    def solution_of(scene: Any) -> Solution:
        for ra, dec in bad:
            if float(separation_deg(scene.aim.ra_deg, scene.aim.dec_deg, ra, dec)) < 1.5:
                return Solution(False, "too few stars: 3 found, 11 are needed", 3)
        return solve(scene)

    async def beside(played: Played) -> None:
        def taken(frame: Any, scene: Any) -> None:
            aims[frame.started_at.isoformat()] = scene.aim.ra_deg, scene.aim.dec_deg

        played.truth.camera.on_frame = taken
        async with asyncio.TaskGroup() as group:
            group.create_task(truth.keep(played))
            for work in _people(made, played, truth):
                group.create_task(work)

    on_event = _hands(made, truth) if made.hands_in_holds else None
    quickly.solution_of = solution_of
    try:
        with tempfile.TemporaryDirectory() as folder:
            played = play(
                made.rig, made.plan, Path(folder), made.seed, on_event, scenario=made.scenario, quick=True,
                beside=beside, look_every_s=LOOK_EVERY_S,
            )  # fmt: skip
    finally:
        quickly.solution_of = solve
    # how much is free on this machine's disk is no part of a night
    told = [
        re.sub(r"[\d.]+ GB free", "GB free", event.model_dump_json().replace(folder, ""))
        for event in played.events
    ]
    return Watched(played, truth, aims, told)


def _people(made: Night, played: Played, truth: Truth) -> list[Coroutine[Any, Any, None]]:
    """What people do at their times: an emergency stop, a hold; and go on afterwards."""
    dice = np.random.default_rng([15, made.seed])

    async def stop(at_min: float) -> None:
        await asyncio.sleep(60 * at_min)
        began = played.truth.gear.clock.utcnow()
        answer = await played.ask(Command.DEVICE, device="all", action="stop")
        if not answer.taken:
            return
        await asyncio.sleep(float(dice.uniform(30, 840)))
        await played.ask(Command.RESUME)
        truth.stopped.append((began, played.truth.gear.clock.utcnow()))

    async def hold(at_min: float) -> None:
        await asyncio.sleep(60 * at_min)
        began = played.truth.gear.clock.utcnow()
        if not (await played.ask(Command.HOLD, now=bool(dice.random() < 0.5))).taken:
            return
        await asyncio.sleep(float(dice.uniform(60, 1800)))
        await _by_hand(played, dice)
        await asyncio.sleep(float(dice.uniform(60, 1200)))
        await played.ask(Command.RESUME)
        truth.by_hand.append((began, played.truth.gear.clock.utcnow()))

    found = []
    if made.stop_at_min is not None:
        found.append(stop(made.stop_at_min))
    if made.hold_at_min is not None:
        found.append(hold(made.hold_at_min))
    return found


async def _by_hand(played: Played, dice: np.random.Generator) -> None:
    """Something that people do; whether it is taken is not our business."""
    ra_h, dec = dice.uniform(0, 24), dice.uniform(-20, 80)
    values: tuple[dict[str, Any], ...] = (
        {"device": "mount", "action": "nudge", "direction": "north", "rate": 64.0, "seconds": 20},
        {"device": "mount", "action": "slew", "ra": f"{ra_h:.3f}h", "dec": f"{dec:.1f}"},
        {"device": "camera", "action": "loop", "exposure_s": 5.0},
        {"device": "mount", "action": "park"},
        {"device": "mount", "action": "track", "on": "on"},
        {"device": "roof", "action": "open"},
    )  # fmt: skip
    await played.ask(Command.DEVICE, **values[int(dice.integers(len(values)))])


def _hands(made: Night, truth: Truth) -> Callable[[Event, Played], Any]:
    dice = np.random.default_rng([16, made.seed])

    async def on_event(event: Event, played: Played) -> None:
        if event.kind is Kind.HELD and event.values.get("condition") and dice.random() < 0.5:
            await _by_hand(played, dice)

    return on_event


# -- judging ----------------------------------------------------------------------------------------


def judged(number: int) -> dict[str, Any]:
    """Play a night; what came of it, and what of it was wrong."""
    made = night(number)
    watched = played_once(made)
    events = watched.played.events
    identical = True
    if number % _TWICE_EVERY == 0:
        identical = played_once(made).told == watched.told
    told, truth = account(made.plan, events), watched.truth
    saved = Counter(e.values["frame_id"] for e in events if e.kind is Kind.FRAME_SAVED)
    ended = [e.values for e in events if e.kind is Kind.EXPOSURE_ENDED]
    state = fold_all(events)
    rows = Counter(frame["line"] for frame in watched.played.frames if counts(frame))
    shutting = truth.shutting_s()
    plan, parks = made.plan, made.plan.orders.park_at_end
    lines = [line for line in told.lines if line.wanted]
    return {
        "night": number,
        "rig": made.rig.id,
        "roof": made.rig.roof is not None,
        "frames": told.frames,
        "wanted": plan.wanted,
        "identical": identical,
        "doubled": sum(n - 1 for n in saved.values()),
        "lost": sum(e["outcome"] in ("done", "short") and e["frame_id"] not in saved for e in ended),
        "too_many": sum(max(0, line.taken - line.wanted) for line in lines),
        "ledger_differs": {k: v for k, v in state.counted.items() if v} != dict(rows),
        "off_target": _off_target(made, watched),
        "past_limits": truth.past_limits(),
        "shutting_s": [round(s, 1) for s in shutting],
        "open_by_day_s": round(truth.open_by_day_s()),
        "open_at_end": truth.at_the_end() if parks and not truth._hindered(events[-1].at, 900) else [],
        "shut_after_s": _shut_after_s(made, watched),
        "idle_min": _idle_min(made, watched),
        "closing": told.closing,
        "unexplained": sum(not e.reason for e in events if e.kind in _DECIDED),
        "errors": sorted({e.reason for e in events if "error in Vigil" in e.reason}),
        "lost_min": {name: round(seconds / 60, 1) for name, seconds in told.lost_s.items()},
        "ended": told.ends.isoformat() if told.ends else None,
        "starts_off_min": _starts_off_min(made, events) if _plain(made) else None,
    }


def _plain(made: Night) -> bool:
    """Nothing happens that the timetable of the evening couldn't foresee."""
    quiet = not made.scenario.air.clouds and not made.scenario.faults and not made.unsolvable
    alone = made.stop_at_min is None and made.hold_at_min is None
    usual = made.rig.mount is not None and made.rig.mount.highest_altitude_deg >= 90
    return quiet and alone and usual and not made.plan.opening


def _starts_off_min(made: Night, events: Sequence[Event]) -> dict[str, float]:
    """How far each block's first exposure began from where the timetable of the evening had it, minutes."""
    ahead = forecast(made.plan, made.rig, events[0].at)
    found = {}
    for block in made.plan.blocks:
        planned = [s.begins for s in ahead.of_block(block.id) if s.kind == "exposure"]
        real = [e.at for e in events if e.kind is Kind.EXPOSURE_STARTED and e.values["block"] == block.id]
        if planned and real:
            found[block.id] = round((real[0] - planned[0]).total_seconds() / 60, 2)
    return found


def _off_target(made: Night, watched: Watched) -> list[str]:
    """Frames that count and are farther off than the plan allows, by where the camera really looked."""
    limit = made.plan.orders.target_keep_arcmin
    off = any(i.name == "on target" and i.off for i in made.plan.conditions)
    if limit is None or off:
        return []
    targets = {block.id: block.target for block in made.plan.blocks}
    found = []
    for frame in fold_all(watched.played.events).saved.values():
        aim, target = watched.aims.get(frame["started_at"]), targets[frame["block"]]
        if aim is None or not counts(frame) or frame.get("off_px") is None:
            continue
        away = 60 * float(separation_deg(*aim, target.ra_deg, target.dec_deg))
        dithered = made.plan.orders.dither_px * made.rig.scale_arcsec_px() / 60
        if away > limit + dithered + 0.2:
            found.append(f"{frame['frame_id']} {away:.1f}′")
    return found


def _shut_after_s(made: Night, watched: Watched) -> float | None:
    """From the beginning of the closing until all is shut and parked; None where that can't be asked."""
    events, truth = watched.played.events, watched.truth
    began = next((e.at for e in events if e.kind is Kind.CLOSING_STARTED), None)
    if began is None or not made.plan.orders.park_at_end or truth._hindered(events[-1].at, 900):
        return None
    shut = [
        s.at for s in truth.samples
        if s.at >= began and s.parked and s.roof in ("closed", "none") and s.cover in ("closed", "none")
    ]  # fmt: skip
    return round((shut[0] - began).total_seconds()) if shut else 9e9


def _idle_min(made: Night, watched: Watched) -> float:
    """The longest time in which a block was open and wanted frames, nothing hindered it, and none came."""
    events, rig, plan = watched.played.events, made.rig, made.plan
    spans = line_intervals(plan, rig, events[0].at)
    quiet = _unhindered(made, watched)
    begun = [(e.at, e.values["line"]) for e in events if e.kind is Kind.EXPOSURE_STARTED]
    counted: list[tuple[datetime, str]] = []
    state = fold_all(events)
    for frame in state.saved.values():
        if counts(frame):
            counted.append((datetime.fromisoformat(frame["started_at"]), frame["line"]))
    given_up = {e.values["block"]: e.at for e in events if e.kind is Kind.BLOCK_GIVEN_UP}
    over = next(e.at for e in events if e.kind is Kind.CLOSING_STARTED)
    longest = 0.0
    for block in plan.blocks:
        if block.id in made.unsolvable:
            continue
        for line in block.active_lines:
            done = sorted(at for at, name in counted if name == line.id)
            full = done[line.count - 1] if not line.as_long_as_it_lasts and len(done) >= line.count else None
            needs = timedelta(seconds=line.exposure_s + rig.readout_s(line.binning))
            for interval in spans.get(line.id, spans[block.id]):
                closes = min(interval.closes - needs, over, full or interval.closes)
                closes = min(closes, given_up.get(block.id, closes))
                edges = [interval.opens, *(at for at, _ in begun if interval.opens < at < closes), closes]
                for a, b in pairwise(edges):
                    lasts = next(
                        (
                            e.values["exposure_s"]
                            for e in events
                            if e.kind is Kind.EXPOSURE_STARTED and e.at == a
                        ),
                        0.0,
                    )
                    a = a + timedelta(seconds=lasts)
                    longest = max(longest, _longest_in(a, b, quiet))
    return round(longest, 1)


def _longest_in(a: datetime, b: datetime, quiet: list[tuple[datetime, datetime]]) -> float:
    return max(((min(b, d) - max(a, c)).total_seconds() / 60 for c, d in quiet), default=0.0)


def _unhindered(made: Night, watched: Watched) -> list[tuple[datetime, datetime]]:
    """Stretches of the night without fault, cloud, unsafe sky or a person's doing, and a while after it."""
    events, truth = watched.played.events, watched.truth
    start, end = events[0].at, events[-1].at
    bad: list[tuple[datetime, datetime]] = [*truth.stopped, *truth.by_hand]
    for cloud in made.scenario.air.clouds:
        begins = start + timedelta(minutes=cloud.arrives_min - 5)
        bad.append((begins, begins + timedelta(minutes=cloud.minutes + 25)))
    for fault in made.scenario.faults:
        if fault.at_min is None:
            return []
        begins = start + timedelta(minutes=fault.at_min)
        bad.append((begins, begins + timedelta(minutes=fault.minutes + 16)))
    for sample in truth.samples:
        if sample.unsafe or sample.not_yet_safe:
            bad.append((sample.at, sample.at + timedelta(minutes=12)))
    for step in made.plan.opening:
        if isinstance(step, WaitUntil):
            moment = moment_of(step, made.rig.site, start)
            if moment is not None:
                bad.append((start, moment + timedelta(minutes=1)))
    bad.append((start, start + timedelta(minutes=1)))
    quiet, at = [], start
    for a, b in sorted(bad):
        if a > at:
            quiet.append((at, a))
        at = max(at, b)
    quiet.append((at, end))
    return [(a, b) for a, b in quiet if b > a]


def judged_on_pixels(number: int) -> dict[str, Any]:
    """A night on real pixels, with a small sensor and few frames, twice."""
    made = night(number)
    lines = [
        block.model_copy(
            update={
                "lines": [
                    x.model_copy(update={"count": 2, "as_long_as_it_lasts": False}) for x in block.lines
                ]
            }
        )
        for block in made.plan.blocks
    ]
    plan = made.plan.model_copy(update={"blocks": lines})
    told, saved, whole = [], Counter[str](), True
    for _ in range(2):
        with tempfile.TemporaryDirectory() as name:
            played = play(small(made.rig, 3), plan, Path(name), seed=number, scenario=made.scenario)
            told.append([e.model_dump_json().replace(name, "") for e in played.events])
            saved = Counter(e.values["frame_id"] for e in played.of(Kind.FRAME_SAVED))
            whole = whole and all(Path(f["path"]).exists() for f in played.frames)
    closing = played.events[-1].values["closing"]
    return {
        "pixels": number,
        "rig": made.rig.id,
        "frames": sum(saved.values()),
        "wanted": plan.wanted,
        "identical": told[0] == told[1],
        "doubled": sum(n - 1 for n in saved.values()),
        "whole": whole,
        "closing": closing,
    }


_DECIDED = (
    Kind.WAITING, Kind.WAIVED, Kind.PUT_OFF, Kind.HELD, Kind.RESUMED, Kind.BLOCK_GIVEN_UP,
    Kind.ACTIVITY_STARTED,
)  # fmt: skip


def wrong(found: dict[str, Any]) -> list[str]:
    """What of a night was wrong, in words; empty when it was right."""
    said = [name for name in ("doubled", "lost", "too_many", "unexplained", "ledger_differs") if found[name]]
    said += ["not identical"] if not found["identical"] else []
    said += [*found["past_limits"], *found["off_target"], *found["open_at_end"], *found["errors"]]
    said += [f"roof {s:.0f} s after unsafe" for s in found["shutting_s"] if s > _SHUT_WITHIN_S + LOOK_EVERY_S]
    if found["open_by_day_s"] > _DAY_WITHIN_S:
        said.append(f"open by day for {found['open_by_day_s']} s")
    if found["shut_after_s"] is not None and found["shut_after_s"] > 300:
        said.append(f"shut {found['shut_after_s']:.0f} s after the closing began")
    if found["idle_min"] > _IDLE_MIN:
        said.append(f"idle for {found['idle_min']} min")
    return said + ([] if found["closing"] else ["no closing"])


def right(found: dict[str, Any]) -> bool:
    """Nothing wrong with it."""
    return not wrong(found)


def campaign() -> dict[str, Any]:
    """All nights."""
    quick = ((f"night {n}", lambda n=n: judged(n)) for n in range(NIGHTS))
    pixels = ((f"pixels {n}", lambda n=n: judged_on_pixels(n)) for n in range(NIGHTS, NIGHTS + PIXEL_NIGHTS))
    return run_campaign("random", [*quick, *pixels], _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    quick, pixels = [f for f in found if "night" in f], [f for f in found if "pixels" in f]
    starts = [off for f in quick for off in (f["starts_off_min"] or {}).values()]
    shutting = sorted(s for f in quick for s in f["shutting_s"])
    after = sorted(f["shut_after_s"] for f in quick if f["shut_after_s"] is not None)
    return {
        "nights": len(quick),
        "with_roof_and_cover": sum(f["roof"] for f in quick),
        "right": sum(right(f) for f in quick),
        "frames": sum(f["frames"] for f in quick),
        "wanted": sum(f["wanted"] for f in quick),
        "not_identical": [f["night"] for f in quick if not f["identical"]],
        "wrong": {f["night"]: wrong(f) for f in quick if not right(f)},
        "roof_begins_to_close_s_after_unsafe_and_parking": _distribution(shutting),
        "all_shut_s_after_closing_began": _distribution(after),
        "longest_open_by_day_s": max(f["open_by_day_s"] for f in quick),
        "longest_idle_min": max(f["idle_min"] for f in quick),
        "starts_on_clear_nights": len(starts),
        "starts_within_2_min": sum(abs(off) <= _START_WITHIN_MIN for off in starts),
        "starts_worst_min": max(starts, key=abs, default=None),
        "pixel_nights": len(pixels),
        "pixel_nights_identical_and_whole": sum(
            f["identical"] and f["whole"] and not f["doubled"] for f in pixels
        ),
    }


def _distribution(values: list[float]) -> dict[str, float]:
    if not values:
        return {"count": 0}
    at = {"median": 50, "p90": 90, "p99": 99, "most": 100}
    return {"count": len(values), **{k: round(float(np.percentile(values, p)), 1) for k, p in at.items()}}
