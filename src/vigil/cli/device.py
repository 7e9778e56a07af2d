"""`vigil device`: a device worked by hand, through the rig's keeper."""

import argparse
import asyncio
import json
import sys
import uuid
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NO_KEEPER, NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, own_folders, rig_path
from vigil.documents.deeds import LOOP, Deed, Stage, as_json, deeds
from vigil.documents.hand import ALL, UnknownAction, actions_of, find_action, read_values
from vigil.documents.messages import Ask, Command, DeviceReport
from vigil.documents.rig import Rig
from vigil.link.attach import RigKeeper, command
from vigil.link.endpoint import KeeperGone
from vigil.link.socket import SocketLink
from vigil.runtime.folders import Folders


def run(args: argparse.Namespace) -> int:
    """0 done, 2 refused (with the reason), 3 begun but failed, 4 no keeper."""
    path = rig_path(args.rig or EXAMPLE_RIGS[0])
    rig = load_document(Rig, path)
    values: dict[str, Any] = {}
    if args.name is not None and args.name != ALL and args.name not in rig.device_names:
        raise BadInput(f"{rig.name} has no {args.name}; it has {', '.join(rig.device_names)}, and {ALL}")
    if args.action is not None:
        try:
            values = read_values(args.name, find_action(args.name, args.action), args.values)
        except (UnknownAction, ValueError) as problem:
            raise BadInput(str(problem)) from None
    if args.count is not None and (args.action != "loop" or args.count < 1):
        raise BadInput("--count N goes with loop, and is 1 or more")
    try:
        return asyncio.run(_run(args, values, path, own_folders(rig)))
    except KeeperGone as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        return NO_KEEPER


async def _run(args: argparse.Namespace, values: dict[str, Any], path: Path, folders: Folders) -> int:
    await RigKeeper(str(path), folders, []).ensure()
    async with SocketLink(folders.socket_in_use) as link:
        if args.action is None:
            return await _show(link, args)
        ask = Ask(
            id=uuid.uuid4().hex,
            command=Command.DEVICE,
            values={"device": args.name, "action": args.action, **values},
        )
        last_id = (await link.status()).last_event
        ending = asyncio.ensure_future(_follow(link, last_id, ask.id, args))
        answer = await link.ask(ask)
        if not answer.taken:
            ending.cancel()
            print(answer.model_dump_json() if args.json else f"vigil: {answer.reason}", file=_to(args))
            return BAD_INPUT
        deed = await ending
    return OK if deed.stage is Stage.DONE or args.count is not None else NOT_ALL


def _to(args: argparse.Namespace) -> Any:
    return sys.stdout if args.json else sys.stderr


async def _follow(link: SocketLink, last_id: int, deed_id: str, args: argparse.Namespace) -> Deed:
    """Show how it goes on; a loop is stopped after its count, or by Ctrl+C."""
    frames = 0
    async for deed in deeds(link.news(after=last_id, streams=(LOOP,))):
        if deed.id != deed_id:
            continue
        if args.json:
            print(as_json(deed), flush=True)
        elif deed.stage is Stage.FAILED:
            print(f"vigil: {deed.words}: {deed.reason}", file=sys.stderr)
        elif deed.stage is not Stage.BEGUN:
            print(deed.reason, flush=True)
        if deed.over:
            return deed
        if deed.stage is Stage.UNDER_WAY and args.count is not None:
            frames += 1
            if frames == args.count:
                await command(link, Command.DEVICE, device=args.name, action="stop")
    raise KeeperGone("the keeper has left before it was done")


async def _show(link: SocketLink, args: argparse.Namespace) -> int:
    reports = (await link.status()).reports
    chosen = [r for r in reports if args.name in (None, ALL, r.name)]
    if args.json:
        print(json.dumps([r.model_dump(mode="json") for r in chosen], ensure_ascii=False))
        return OK
    for report in chosen:
        print(_in_words(report))
    if args.name is not None:
        print("can be asked to:")
        for action in actions_of(args.name):
            reason = next((r.cannot[action.name] for r in chosen if action.name in r.cannot), "")
            print(f"  {action.usage:<36} {f'not possible: {reason}' if reason else action.words}")
    return OK


def _in_words(report: DeviceReport) -> str:
    state = ", ".join(f"{name} {value}" for name, value in report.state.items())
    said = "; ".join(x for x in (report.doing, report.fault, report.advice, state) if x)
    return f"{report.name:<16} {report.lamp:<14} {said}".rstrip()
