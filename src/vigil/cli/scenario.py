"""`vigil scenario`: look at scenarios, and play with the one in force."""

import argparse
import asyncio
import json
import sys
from typing import Any

from vigil.cli import BAD_INPUT, NO_KEEPER, OK, BadInput
from vigil.cli.files import (
    EXAMPLE_RIGS,
    load_document,
    own_folders,
    rig_path,
    scenario_wanted,
)
from vigil.cli.grammar.simulated import SCENARIO_ACTIONS
from vigil.documents.messages import Answer, Command
from vigil.documents.rig import Rig
from vigil.documents.scenario import FaultKind, Scenario
from vigil.documents.scenario.words import entries
from vigil.documents.shippedscenarios import shipped
from vigil.documents.store import dump, parse
from vigil.link.attach import command
from vigil.link.endpoint import KeeperGone
from vigil.link.socket import SocketLink


def run(args: argparse.Namespace) -> int:
    """0 done, 2 refused or bad input, 4 no keeper."""
    if args.action == "list":
        return _list(args.json)
    if args.action == "show":
        scenario = scenario_wanted(args.words[0] if args.words else None)
        print(
            json.dumps(json.loads(dump(scenario)), ensure_ascii=False) if args.json else _in_words(scenario)
        )
        return OK
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    asked = _asked(args)
    try:
        answer = asyncio.run(_ask(args, rig, asked))
    except KeeperGone:
        print(
            f"vigil: no keeper runs for {rig.name}; `vigil run` or `vigil window` start one", file=sys.stderr
        )
        return NO_KEEPER
    if not answer.taken:
        print(f"vigil: {answer.reason}", file=sys.stderr)
        return BAD_INPUT
    if args.json:
        scenario_text = answer.values.get("scenario", "{}")
        print(json.dumps({**answer.values, "said": answer.reason, "scenario": json.loads(scenario_text)}))
    else:
        print(answer.reason or _now_in_words(answer.values))
    return OK


async def _ask(args: argparse.Namespace, rig: Rig, asked: dict[str, Any]) -> Answer:
    async with SocketLink(own_folders(rig).socket_in_use) as link:
        return await command(link, Command.SCENARIO, **asked)


def _asked(args: argparse.Namespace) -> dict[str, Any]:
    """What to ask of the keeper. Raises BadInput."""
    words = args.words
    match args.action, len(words):
        case "now", 0:
            return {}
        case "take", 1:
            return {"scenario": scenario_wanted(words[0]).model_dump(mode="json")}
        case "set", 2:
            return {"values": {words[0]: _value(words[1])}}
        case "fault", 1 | 2:
            if words[0] not in list(FaultKind):
                raise BadInput(f"no fault is called {words[0]!r}; there are {', '.join(FaultKind)}")
            fault = {
                "kind": words[0],
                "device": words[1] if len(words) > 1 else None,
                "minutes": args.minutes,
            }
            return {"fault": fault if args.amount is None else {**fault, "amount": args.amount}}
        case "turn", 2:
            return {"adjusters": words}
        case "turn-camera", 1:
            try:
                return {"camera_turn_deg": float(words[0])}
            except ValueError:
                raise BadInput(f"turn-camera {words[0]!r}: degrees, positive from north to east") from None
    raise BadInput(f"vigil scenario {args.action} {SCENARIO_ACTIONS[args.action]}".strip())


def _value(text: str) -> Any:
    """JSON where it is some, else the text itself; "none" empties."""
    if text == "none":
        return None
    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return text


def _list(as_json: bool) -> int:
    found = [(name, scenario_wanted(name)) for name in shipped()]
    if as_json:
        print(json.dumps([{"scenario": name, "name": s.name, "notes": s.notes} for name, s in found]))
    else:
        for name, scenario in found:
            print(f"{name:<16} {scenario.notes}")
    return OK


def _in_words(scenario: Scenario) -> str:
    lines, section = [scenario.name, *([scenario.notes] if scenario.notes else [])], ""
    for entry in entries(scenario):
        if entry.section != section:
            section = entry.section
            lines.append(f"\n{section}")
        mark = " " if entry.ordinary else "*"
        told = f"  ({entry.help})" if entry.help else ""
        lines.append(f"{mark} {entry.path.split('.')[1]:<28} {entry.label}: {entry.shown}{told}")
    lines += ["\nfaults", *(f"* {fault.words}" for fault in scenario.faults)] if scenario.faults else []
    return "\n".join(lines)


def _now_in_words(values: dict[str, Any]) -> str:
    scenario, now = parse(Scenario, values["scenario"], "the scenario in force"), values["now"]
    differing = [f"  {e.path} {e.shown}" for e in entries(scenario) if not e.ordinary]
    return "\n".join(
        [
            f"{scenario.name}, {values['minute']:.0f} min into the evening",
            f"seeing {now['seeing_arcsec']:.1f}″, cloud {now['cloud_mag']:.1f} mag, "
            f"wind {now['wind_m_s']:.1f} m/s, {now['temperature_c']:.1f} °C, "
            f"humidity {now['humidity_percent']:.0f} %",
            *(["faults: " + "; ".join(values["faults"])] if values["faults"] else []),
            *(["differs from an ordinary night:", *differing] if differing else []),
        ]
    )
