"""`vigil night`: look at a running night, change it, hold it, resume it, end it."""

import argparse
import asyncio
import sys
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NO_KEEPER, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.grammar.nights import NIGHT_ACTIONS
from vigil.cli.run import display_of, follow
from vigil.documents.messages import Answer, Command, Status
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.change import path_of, words_for
from vigil.link.attach import command, under_way
from vigil.link.endpoint import KeeperGone
from vigil.link.socket import SocketLink
from vigil.runtime.folders import folders_of


def run(args: argparse.Namespace) -> int:
    """0 done, 2 refused (with the reason), 4 no keeper."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if args.now and args.action not in ("hold", "skip", "next"):
        raise BadInput("--now goes with hold, skip and next")
    if args.after_frame and args.action != "end":
        raise BadInput("--after-frame goes with end")
    word = NIGHT_ACTIONS[args.action]
    if (args.word is None and word and not word.startswith("[")) or (args.word is not None and not word):
        words = f"vigil night {args.action} {word}".rstrip()
        raise BadInput(f"{args.action}: write `{words}`")
    values = _values(args)
    folders = folders_of(rig.id)
    try:
        return asyncio.run(_run(args, rig, values, folders.socket_in_use))
    except KeeperGone:
        print(f"vigil: no keeper runs for {rig.name}; `vigil run` starts one", file=sys.stderr)
        return NO_KEEPER


_COMMANDS = {
    "skip": Command.SKIP,
    "jump": Command.JUMP_AHEAD,
    "accept": Command.ANSWER,
    "reject": Command.JUDGE,
    "keep": Command.JUDGE,
    "pause-focus": Command.PAUSE_FOCUS,
    "resume-focus": Command.RESUME_FOCUS,
}
"""Those whose command is not called like the action."""


def _values(args: argparse.Namespace) -> dict[str, Any]:
    """What goes with the command. Raises BadInput."""
    values: dict[str, Any] = {}
    if args.action in ("hold", "skip", "next"):
        values["now"] = args.now
    if args.action in ("skip", "next") and args.word:
        values["block"] = args.word
    if args.action in ("reject", "keep"):
        values |= {"frame": args.word, "verdict": "rejected" if args.action == "reject" else "kept"}
    if args.action == "end":
        values["after_frame"] = args.after_frame
    if args.action == "plan":
        values["plan"] = load_document(NightPlan, Path(args.word)).model_dump(mode="json")
    if args.action == "speed":
        try:
            values["speed"] = float(args.word)
        except ValueError:
            raise BadInput(f"speed: {args.word!r} is no number; write for example speed 60") from None
    if args.reason:
        values["reason"] = args.reason
    return values


async def _run(args: argparse.Namespace, rig: Rig, values: dict[str, Any], socket: Path) -> int:
    async with SocketLink(socket) as link:
        if args.action == "status":
            status = await link.status()
            print(status.model_dump_json() if args.json else _in_words(status))
            return OK
        if args.action == "follow":
            return await _follow(link, rig, args.json)
        if args.action == "accept":
            values |= {"errand": (await link.status()).night or ""}
        wanted = _COMMANDS.get(args.action) or Command(args.action)
        answer = await command(link, wanted, **values)
        _print(answer, args.json)
        return OK if answer.taken else BAD_INPUT


async def _follow(link: SocketLink, rig: Rig, as_json: bool) -> int:
    """0 when the night is over, or was left."""
    if not under_way(await link.status()):
        print(f"vigil: no night is under way on {rig.name}", file=sys.stderr)
        return BAD_INPUT
    with display_of(rig, as_json) as display:
        await follow(link, display)
    return OK


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
