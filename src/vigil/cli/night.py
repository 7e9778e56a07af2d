"""`vigil night`: look at a running night, hold it, resume it, end it."""

import argparse
import asyncio
import sys
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NO_KEEPER, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.documents.messages import Answer, Command, Status
from vigil.documents.rig import Rig
from vigil.documents.rig.change import path_of, words_for
from vigil.link.attach import command
from vigil.link.endpoint import KeeperGone
from vigil.link.socket import SocketLink
from vigil.runtime.folders import folders_of


def run(args: argparse.Namespace) -> int:
    """0 done, 2 refused (with the reason), 4 no keeper."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if args.now and args.action != "hold":
        raise BadInput("--now goes with hold")
    if (args.value is not None) != (args.action == "speed"):
        raise BadInput("a number goes with speed, and speed needs one: vigil night speed 60")
    folders = folders_of(rig.id)
    try:
        return asyncio.run(_run(args, folders.socket))
    except KeeperGone:
        print(f"vigil: no keeper runs for {rig.name}; `vigil run` starts one", file=sys.stderr)
        return NO_KEEPER


async def _run(args: argparse.Namespace, socket: Path) -> int:
    async with SocketLink(socket) as link:
        if args.action == "status":
            status = await link.status()
            print(status.model_dump_json() if args.json else _in_words(status))
            return OK
        values: dict[str, Any] = {"now": args.now} if args.action == "hold" else {}
        if args.value is not None:
            values["speed"] = args.value
        if args.reason:
            values["reason"] = args.reason
        answer = await command(link, Command(args.action), **values)
        _print(answer, args.json)
        return OK if answer.taken else BAD_INPUT


def _print(answer: Answer, as_json: bool) -> None:
    if as_json:
        print(answer.model_dump_json())
    else:
        print(
            answer.reason if answer.taken else f"vigil: {answer.reason}",
            file=sys.stdout if answer.taken else sys.stderr,
        )


def _clock(status: Status) -> str:
    return f"simulated time, × {status.speed:g}" if status.speed else f"{status.clock} time"


def _in_words(status: Status) -> str:
    lines = [
        f"{status.rig}: {status.night or 'no night'} {status.run}, kept by process {status.keeper_pid}",
        f"{status.at:%Y-%m-%d %H:%M:%S} UTC ({_clock(status)})",
    ]
    if status.doing:
        lines.append(f"{status.doing} — {status.because}")
    if status.hold:
        lines.append(f"held: {status.hold}")
    lines.append(f"{status.done} of {status.wanted} frames")
    lines += [
        f"  {line['target']} {line['filter']} {line['exposure_s']:g} s: {line['done']} of {line['wanted']}"
        for line in status.lines
    ]
    lines += [
        f"  {check['standing']:<8} {check['condition']}: {check['words']}" for check in status.conditions
    ]
    lines += [f"  {name}: {lamp}" for name, lamp in status.devices.items()]
    if status.deferred:
        waits = ", ".join(words_for(path_of(text)) for text in status.deferred)
        lines.append(f"of the rig waits for the night's end: {waits}")
    return "\n".join(lines)
