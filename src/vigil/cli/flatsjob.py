"""`vigil flats plan|run`: the keeper's errand, or without one on a simulated rig."""

import argparse
import json
import sys
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.bencherrands import Order, alone_wanted, carry_out
from vigil.cli.files import EXAMPLE_RIGS, load_document, moment_wanted, rig_path
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.flats import FLATS, FlatsWish, in_groups
from vigil.documents.rig import Rig
from vigil.engine.errand import ErrandRefused
from vigil.engine.errands.flats import Flats
from vigil.engine.flats.job import limits_of
from vigil.engine.focusing.bench import wished
from vigil.levels.trials import Camera
from vigil.planning.flatstime import minutes_of
from vigil.planning.skyflats import cloth_places, cloth_spans, sky_plan
from vigil.planning.spans import site_time

_NOT_TOLD = ("histogram",)


def flats_job(args: argparse.Namespace) -> int:
    """0 all done or planned; 3 some filters can't be done, or it was not done; 2 bad input."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    values = _values(args, rig)
    try:
        wish = wished(FlatsWish, values)
        assert isinstance(wish, FlatsWish)
        Flats.check(rig, wish)
    except ErrandRefused as refused:
        raise BadInput(str(refused)) from None
    if args.action == "plan":
        planned = _sky_plan(rig, wish, _at(rig, args)) if wish.of_the_sky else plan_of(rig, wish)
        print(json.dumps(planned, ensure_ascii=False) if args.json else _in_words(planned))
        return OK
    if alone_wanted(rig, args):
        values["ready"] = True  # nobody is there who could be asked
    out = Path(args.out).absolute() if args.out else None
    order = Order(FLATS, values, partial(tell, args.json), lambda row: None, calibration=out)
    ended = carry_out(rig, order, args)
    if ended is None:
        return BAD_INPUT
    if args.json:
        figures = {k: v for k, v in ended.values.items() if k != "outcome"}
        print(
            json.dumps(
                {"outcome": ended.values["outcome"], "reason": ended.reason, **figures}, ensure_ascii=False
            )
        )
    done = ended.values["outcome"] == Outcome.DONE.value
    whole = done and not any(ended.values.get(name) for name in ("impossible", "failed", "leaks"))
    return OK if whole else NOT_ALL


def _values(args: argparse.Namespace, rig: Rig) -> dict[str, Any]:
    values: dict[str, Any] = {}
    if args.binning is not None:
        values |= binnings_wanted(args.binning)
    for name in ("count", "dark_flats", "gain", "source", "when"):
        if getattr(args, name) is not None:
            values[name] = getattr(args, name)
    if args.filters:
        values["filters"] = [name.strip() for name in args.filters.split(",") if name.strip()]
    if args.window:
        low, high = window_range("--window", args.window)
        if high > 100:
            full = rig.camera.full_scale_adu if rig.camera else 65535
            low, high = 100 * low / full, 100 * high / full
        values |= {"low_percent": low, "high_percent": high, "aim_percent": (low + high) / 2}
    if args.window_of:
        values["windows"] = _windows_of(args.window_of, rig)
    if args.aim is not None:
        values["aim_percent"] = args.aim
        if not args.window:
            values |= {"low_percent": args.aim * 6 / 7, "high_percent": min(args.aim * 8 / 7, 100.0)}
    for option, name in (("least_exposure", "least_exposure_s"), ("most_exposure", "most_exposure_s")):
        if getattr(args, option) is not None:
            values[name] = getattr(args, option)
    values |= {name: True for name in ("trial", "ready") if getattr(args, name)}
    return {**values, "move": False} if args.stay else values


def _windows_of(options: list[str], rig: Rig) -> dict[str, dict[str, float]]:
    """By filter. Raises BadInput."""
    there = {f.name: f.width_nm for f in rig.wheel.filters} if rig.wheel else {}
    found: dict[str, dict[str, float]] = {}
    for option in options:
        names, _, window = option.partition("=")
        low, high = window_range("--window-of", window)
        wanted = in_groups([name.strip() for name in names.split(",")], there)
        if unknown := [name for name in wanted if name not in there]:
            raise BadInput(f"--window-of {option!r}: {', '.join(unknown)} is no filter of {rig.name}")
        for name in wanted:
            found[name] = {"low_percent": low, "high_percent": high, "aim_percent": (low + high) / 2}
    return found


def plan_of(rig: Rig, wish: FlatsWish) -> dict[str, Any]:
    """What a run would do."""
    part, panel = rig.camera, rig.panel
    assert part is not None and panel is not None, "checked before"
    camera = Camera(0.0, float(part.full_scale_adu))
    names = wish.filters_in(rig.wheel)
    limits = limits_of(rig, wish, camera, "")
    darks = wish.count if wish.dark_flats is None else wish.dark_flats
    asks = []
    if panel.placed == "by hand":
        asks.append(f"Lay {panel.name} on the telescope, cap off, no other light: is it ready?")
    if wish.source == "person" or panel.dimmed_by == "person":
        asks.append("the panel is set to each level by a person, who is told which way and by how much")
    return {
        "filters": names,
        "flats": wish.count,
        "dark_flats": darks,
        "levels": [limits.lowest_level, limits.highest_level],
        "exposures_s": [limits.least_exposure_s, limits.most_exposure_s],
        "window_percent": [wish.low_percent, wish.high_percent],
        "windows_percent": {n: [w.low_percent, w.high_percent] for n, w in wish.windows.items()},
        "window_adu": [round(limits.low_adu), round(limits.high_adu)],
        "aim_percent": wish.aim_percent,
        "moves": wish.move,
        "asks": asks,
        "minutes": list(minutes_of(rig, wish, limits.least_exposure_s)),
    }


def _at(rig: Rig, args: argparse.Namespace) -> datetime:
    """Now, or what is asked for; of a simulated rig its evening."""
    if args.at:
        return moment_wanted(args.at)
    return rig.simulated.starts_at if rig.simulated is not None else datetime.now(UTC)


def _sky_plan(rig: Rig, wish: FlatsWish, at: datetime) -> dict[str, Any]:
    """When, where to, and each filter's turn."""
    planned = {"source": wish.source, "filters": wish.filters_in(rig.wheel), "flats": wish.count}
    if wish.source == "cloth":
        spans = cloth_spans(rig, at, at + timedelta(days=1))
        told = [[a.isoformat(timespec="minutes"), b.isoformat(timespec="minutes")] for a, b in spans]
        place = cloth_places(rig, spans[0][0])[0].words if spans else ""
        words = [f"{site_time(a, rig)} to {site_time(b, rig)}" for a, b in spans]
        said = (
            f"{', '.join(words)}: at first {place}"
            if spans
            else "not within a day: the sun is too high or down"
        )
        return {**planned, "spans": told, "place": place, "words": said}
    plan = sky_plan(rig, wish, at)
    if plan is None:
        return {**planned, "turns": [], "words": "the sun passes no twilight here within two days"}
    turns, lines = [], [f"{plan.window.when}, if the sky is clear:"]
    for turn in plan.turns:
        begins = plan.at(turn.frames[0][0]) if turn.frames else None
        ends = plan.at(turn.ends_s) if turn.frames else None
        turns.append({
            "filter": turn.name, "frames": len(turn.frames),
            "from": begins.isoformat(timespec="seconds") if begins else None,
            "until": ends.isoformat(timespec="seconds") if ends else None,
            "exposures_s": [round(e, 2) for _, e in (turn.frames[0], turn.frames[-1])] if turn.frames else [],
        })  # fmt: skip
        if begins and ends:
            first, last = turn.frames[0][1], turn.frames[-1][1]
            span = f"{site_time(begins, rig)} to {site_time(ends, rig)}, {first:.1f} to {last:.1f} s"
            lines.append(f"{turn.name or 'no filter'}: {span}, {len(turn.frames)} of {wish.count}")
        else:
            lines.append(f"{turn.name or 'no filter'}: none, its time is too short")
    return {**planned, "when": plan.window.when, "turns": turns, "words": "\n".join(lines)}


def _in_words(plan: dict[str, Any]) -> str:
    if "words" in plan:
        return str(plan["words"])
    low, high = plan["window_percent"]
    names = ", ".join(plan["filters"]) if plan["filters"] != [""] else "no filter"
    lines = [
        f"{names}: {plan['flats']} flats and {plan['dark_flats']} dark flats of each",
        f"level {low:g} to {high:g} % ({plan['window_adu'][0]} to {plan['window_adu'][1]} ADU), "
        f"aim {plan['aim_percent']:g} %",
        f"panel {plan['levels'][0]} to {plan['levels'][1]}, exposures {plan['exposures_s'][0]:g} to "
        f"{plan['exposures_s'][1]:g} s",
        "the mount parks first" if plan["moves"] else "nothing moves",
        f"{plan['minutes'][0]:.0f} to {plan['minutes'][1]:.0f} min",
    ]
    return "\n".join(lines + [f"asks: {question}" for question in plan["asks"]])


def tell(as_json: bool, event: Event) -> None:
    """One event, for people or programs."""
    if as_json:
        if event.kind is not Kind.ERRAND_ENDED:
            values = {
                key: {k: v for k, v in value.items() if k not in _NOT_TOLD}
                if isinstance(value, dict)
                else value
                for key, value in event.values.items()
            }
            print(
                json.dumps({"kind": event.kind.value, "reason": event.reason, **values}, ensure_ascii=False),
                flush=True,
            )
        return
    bad = event.kind is Kind.ERRAND_ENDED and event.values["outcome"] != Outcome.DONE.value
    print(event.reason, file=sys.stderr if bad else sys.stdout, flush=True)


def binnings_wanted(text: str) -> dict[str, Any]:
    """Raises BadInput."""
    try:
        found = [int(part) for part in text.split(",")]
    except ValueError:
        raise BadInput(f"--binning {text!r}: write 1, or several as 1,2") from None
    return {"binning": found[0]} if len(found) == 1 else {"binnings": found}


def window_range(option: str, text: str, whole: bool = False) -> tuple[float, float]:
    try:
        low, high = (float(part.rstrip("%")) for part in text.split(".."))
    except ValueError:
        raise BadInput(f"{option} {text!r}: write LOW..HIGH, as 1..255") from None
    if not 0 <= low <= high or (whole and (low != round(low) or high != round(high))):
        kind = "whole steps, " if whole else ""
        raise BadInput(f"{option} {text!r}: {kind}the lower one first, none under 0")
    return low, high
