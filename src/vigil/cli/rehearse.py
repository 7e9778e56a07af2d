"""`vigil rehearse`: the whole night ahead of time, once or with many seeds."""

import argparse
import json
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime, time, timedelta
from itertools import groupby
from multiprocessing import get_context
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.assemble import seed_of
from vigil.cli.files import evening_wanted, plan_wanted, rig_wanted, scenario_wanted
from vigil.cli.rehearsing import rehearsed
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.engine.rehearsal import Rehearsed
from vigil.planning.account import Account, Spell, account, closed_words, gerund, lost_words
from vigil.planning.spans import local_noon_before
from vigil.runtime.folders import data_folder
from vigil.sky.events import twilights

_PROCESSES = 2
_BEFORE_DUSK = timedelta(minutes=30)


def run(args: argparse.Namespace) -> int:
    """0 all frames are taken, 3 not all, 2 bad input."""
    rig, _ = rig_wanted(args)
    plan = plan_wanted(args, rig)
    wrong = contradictions(plan, rig)
    if wrong:
        raise BadInput("; ".join(wrong))
    scenario = scenario_wanted(args.scenario or plan.rehearse_under)
    seed = seed_of(rig, args.seed, scenario)
    starts_at = _starts_at(args.date, rig)
    folder = data_folder(rig.id) / "frames"
    if args.seeds is not None:
        return _odds(args, plan, rig, scenario, range(seed, seed + args.seeds), folder, starts_at)
    truth = Path(args.truth).absolute() if args.truth else None
    result = rehearsed(plan, rig, scenario, seed, folder, starts_at, truth)
    told = account(plan, result.events)
    if args.json:
        for event in result.events:
            print(event.model_dump_json())
        print(json.dumps({"kind": "summary", "seed": seed, **summary(plan, told)}, ensure_ascii=False))
    else:
        print("\n".join(in_words(plan, rig, told, result)))
    return OK if told.complete else NOT_ALL


def _starts_at(date: str | None, rig: Rig) -> datetime | None:
    """Half an hour before sunset of an evening; None is the simulated rig's own evening."""
    if date is None and rig.simulated is not None:
        return None
    zone = ZoneInfo(rig.site.time_zone)
    at = datetime.combine(evening_wanted("--date", date), time(12), zone) if date else datetime.now(UTC)
    sun = twilights(local_noon_before(at, rig.site.time_zone), rig.site.place())
    dusk = sun.sunset or (night[0] if (night := sun.lower_than("civil")) else None)
    if dusk is None:
        day = f"{sun.noon.astimezone(zone):%Y-%m-%d}"
        raise BadInput(f"no night begins on {day} at {rig.site.name}: the sun stays up")
    return max(dusk - _BEFORE_DUSK, sun.noon)


def summary(plan: NightPlan, told: Account) -> dict[str, Any]:
    """A rehearsal's outcome as plain values."""
    return {
        "frames": told.frames,
        "wanted": plan.wanted,
        "lines": [
            {
                "line": x.line,
                "target": x.target,
                "words": x.words,
                "wanted": x.wanted,
                "taken": x.taken,
                "why": x.why,
            }
            for x in told.lines
        ],
        "lost_s": {name: round(seconds) for name, seconds in told.lost_s.items()},
        "ends": told.ends.isoformat() if told.ends else None,
        "reason": told.end_reason,
        "closing": told.closing,
    }


def in_words(plan: NightPlan, rig: Rig, told: Account, result: Rehearsed) -> list[str]:
    """For people: what ran when, what failed, what was lost and why."""
    zone = ZoneInfo(rig.site.time_zone)
    lines = [f"{plan.name}, rehearsed: {told.frames_words}"]
    for begins, ends, words in _joined(told):
        lines.append(f"  {begins.astimezone(zone):%H:%M}–{ends.astimezone(zone):%H:%M}  {words}")
    lines += [
        f"  {x.target} {x.words}: {x.taken}{f' of {x.wanted}' if x.wanted else ''}"
        + (f" ({x.why})" if x.why else "")
        for x in told.lines
    ]
    lines += [f"  {words}" for words in lost_words(told.lost_s)]
    lines.append(f"  {told.end_reason}; {closed_words(told.closing)}")
    return lines


def _joined(told: Account) -> Iterator[tuple[datetime, datetime, str]]:
    """Spells in their order; exposures of a line as one, and the tries of what fails as one."""
    for together, some in groupby(sorted(told.spells, key=lambda s: s.begins), key=_together):
        spells = list(some)
        for part in [spells] if together else [[spell] for spell in spells]:
            yield part[0].begins, part[-1].ends, _words(part)


def _together(spell: Spell) -> str:
    if spell.outcome == "done":
        return spell.line if spell.kind == "exposure" else ""
    if spell.outcome == "failed":
        return f"tries: {spell.kind}"
    return f"tries: {spell.words}" if spell.outcome == "lost" else ""  # the wait for the next try


def _words(spells: list[Spell]) -> str:
    first = spells[0]
    if _together(first) == first.line and first.line:
        return f"{len(spells)} × {first.words.rsplit(' · ', 1)[0]}"
    if failed := [spell for spell in spells if spell.outcome == "failed"]:
        times = "failed" if len(failed) == 1 else f"failed {len(failed)} times"
        return f"{failed[0].words or failed[0].kind} — {times}: {failed[-1].reason}"
    words = gerund(first.words) if first.outcome == "lost" else first.words or first.kind
    return words if first.outcome == "done" else f"{words} — {first.outcome}: {first.reason}"


def _odds(
    args: argparse.Namespace,
    plan: NightPlan,
    rig: Rig,
    scenario: Scenario,
    seeds: range,
    folder: Path,
    starts_at: datetime | None,
) -> int:
    """Many rehearsals, two at a time: how often each line is completed."""
    with ProcessPoolExecutor(_PROCESSES, mp_context=get_context("spawn")) as pool:
        jobs = [pool.submit(_one, plan, rig, scenario, seed, folder, starts_at) for seed in seeds]
        outcomes = []
        for n, job in enumerate(jobs, start=1):
            outcomes.append(job.result())
            if args.json:
                print(json.dumps({"kind": "rehearsal", "done": n, "of": len(jobs), **outcomes[-1]}))
                sys.stdout.flush()
    odds = [
        {
            "line": line.id,
            "target": block.target.name,
            "words": line.words,
            "wanted": line.number_wanted,
            "complete_share": sum(o["taken"][line.id] >= line.number_wanted for o in outcomes)
            / len(outcomes),
            "mean_taken": round(sum(o["taken"][line.id] for o in outcomes) / len(outcomes), 1),
        }
        for block in plan.blocks
        for line in block.active_lines
    ]
    if args.json:
        print(json.dumps({"kind": "odds", "seeds": len(outcomes), "lines": odds}, ensure_ascii=False))
    else:
        print(f"{plan.name}, rehearsed with {len(outcomes)} seeds")
        for x in odds:
            share = f"{100 * x['complete_share']:.0f} %"
            print(f"  {x['target']} {x['words']}: complete in {share}, {x['mean_taken']} of {x['wanted']}")
    return OK if all(x["complete_share"] == 1 for x in odds) else NOT_ALL


def _one(
    plan: NightPlan, rig: Rig, scenario: Scenario, seed: int, folder: Path, starts_at: datetime | None
) -> dict[str, Any]:
    told = account(plan, rehearsed(plan, rig, scenario, seed, folder, starts_at).events)
    return {"seed": seed, "frames": told.frames, "taken": {x.line: x.taken for x in told.lines}}
