"""`vigil run`: start a night, or attach to the one that runs, and show it."""

import argparse
import asyncio
import json
import signal
import sys
from pathlib import Path
from typing import Any, Protocol

from vigil.cli import BAD_INPUT, NO_KEEPER, NOT_ALL, OK, BadInput
from vigil.cli.files import (
    own_folders,
    plan_wanted,
    rig_wanted,
    scenario_words,
)
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, Status
from vigil.documents.night import NightState, fold
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.link.attach import command, guarded, keeper_status, retire_idle_keeper, start_keeper, under_way
from vigil.link.endpoint import KeeperGone, News
from vigil.link.socket import SocketLink
from vigil.runtime.allowed import allow, not_allowed
from vigil.runtime.folders import Folders

_STARTED_AGAIN_S = 30.0


class Display(Protocol):
    """Shows news as it comes, and the summary at the end."""

    def __enter__(self) -> "Display": ...

    def __exit__(self, *problem: object) -> None: ...

    def show(self, news: News) -> None: ...

    def summary(self, values: dict[str, Any]) -> None: ...

    async def ask_leave_or_end(self) -> str: ...


class JsonDisplay:
    """One JSON object a line, for programs."""

    def __enter__(self) -> "JsonDisplay":
        return self

    def __exit__(self, *problem: object) -> None:
        pass

    def show(self, news: News) -> None:
        if isinstance(news, Event):
            print(news.model_dump_json(), flush=True)

    def summary(self, values: dict[str, Any]) -> None:
        print(json.dumps({"kind": "summary", **values}, ensure_ascii=False), flush=True)

    async def ask_leave_or_end(self) -> str:
        return "leave"


def run(args: argparse.Namespace) -> int:
    """0 all frames taken, 3 not all, 2 bad input, 4 no keeper; 0 also when the night is left running."""
    rig, rig_path = rig_wanted(args)
    plan = None if args.resume else plan_wanted(args, rig)
    if (args.virtual or args.speed != 1) and rig.simulated is None:
        raise BadInput(f"--virtual and --speed are for simulated rigs; {rig.name} is not simulated")
    out = Path(args.out).absolute() if args.out else None
    folders = own_folders(rig)
    words = _keeper_words(args, rig)
    display = display_of(rig, args.json)
    try:
        return asyncio.run(_run(args, rig_path, words, plan, out, folders, display))
    except KeeperGone as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        print("vigil: run the same command again: the night goes on where it was", file=sys.stderr)
        return NO_KEEPER


def display_of(rig: Rig, as_json: bool) -> Display:
    """For programs, or for people."""
    if as_json:
        return JsonDisplay()
    from vigil.cli.terminal import TerminalDisplay

    return TerminalDisplay(rig.site.time_zone)


def _keeper_words(args: argparse.Namespace, rig: Rig) -> list[str]:
    pace = ["--virtual"] if args.virtual else ["--speed", f"{args.speed:g}"]
    return pace + scenario_words(args, rig)


async def _run(
    args: argparse.Namespace,
    rig_path: Path,
    words: list[str],
    plan: NightPlan | None,
    out: Path | None,
    folders: Folders,
    display: Display,
) -> int:
    found = await keeper_status(folders)
    ours = found is None or not under_way(found)
    if not ours and (args.scenario or args.truth):
        raise BadInput(
            "a night runs already, under its own scenario: `vigil scenario` changes it while it runs; "
            "--scenario and --truth go with the start of one"
        )
    if found is not None and ours:
        await retire_idle_keeper(folders)
    if ours:
        await start_keeper(str(rig_path), folders, words)
    async with SocketLink(folders.socket_in_use) as link:
        status = await link.status()
        if under_way(status):
            print(f"vigil: attached to the night that runs, {status.night}", file=sys.stderr)
        elif plan is None:
            if ours:
                await command(link, Command.RETIRE)
            raise BadInput("there is no night to resume: the last one is over")
        else:
            _ask_for_programs(args, plan)
            answer = await command(
                link,
                Command.START,
                plan=plan.model_dump(mode="json"),
                frames_folder=str(out) if out else None,
            )
            if not answer.taken:
                if ours:
                    await command(link, Command.RETIRE)
                print(f"vigil: {answer.reason}", file=sys.stderr)
                return BAD_INPUT
        with display:
            state = await _followed(link, display, folders)
            if state is None:
                print(
                    f"vigil: the night goes on, kept by process {status.keeper_pid}; "
                    "`vigil night status` shows it, `vigil night end` ends it",
                    file=sys.stderr,
                )
                return OK
    async with SocketLink(folders.socket_in_use) as last:  # the keeper may be another one by now
        return await _finish(last, ours, state, display)


def _ask_for_programs(args: argparse.Namespace, plan: NightPlan) -> None:
    """A stranger's plan runs nothing unasked. Raises BadInput."""
    unknown = not_allowed(plan.programs)
    if not unknown:
        return
    said = "\n".join(f"  {' '.join(program)}" for program in unknown)
    if not args.allow_programs:
        if not sys.stdin.isatty():
            raise BadInput(f"the plan would run programs; say --allow-programs if it may:\n{said}")
        print(
            f"The plan would run:\n{said}\nMay it, now and later? [y/N] ", end="", file=sys.stderr, flush=True
        )
        if sys.stdin.readline().strip().casefold() not in ("y", "yes"):
            raise BadInput("not started")
    allow(unknown)


async def _followed(link: SocketLink, display: Display, folders: Folders) -> NightState | None:
    """The same as `follow`, and on with a keeper that was started again after the first one died."""
    try:
        return await follow(link, display)
    except KeeperGone:
        waited_s = 0.0
        while guarded() and waited_s < _STARTED_AGAIN_S:
            await asyncio.sleep(1.0)
            waited_s += 1.0
            status = await keeper_status(folders)
            if status is not None and under_way(status):
                print("vigil: the keeper had died and was started again", file=sys.stderr)
                async with SocketLink(folders.socket_in_use) as again:
                    return await _followed(again, display, folders)
        raise


async def follow(link: SocketLink, display: Display) -> NightState | None:
    """Show the news until the night is over; None when the user leaves it running."""
    interrupted = asyncio.Event()
    asyncio.get_running_loop().add_signal_handler(signal.SIGINT, interrupted.set)
    state = NightState()
    news = link.news()
    pending = asyncio.ensure_future(anext(news))
    try:
        while True:
            asked = asyncio.ensure_future(interrupted.wait())
            await asyncio.wait({pending, asked}, return_when=asyncio.FIRST_COMPLETED)
            asked.cancel()
            if interrupted.is_set():
                interrupted.clear()
                wish = await display.ask_leave_or_end()
                if wish == "leave":
                    return None
                if wish == "end":
                    await command(link, Command.END, reason="ended by hand")
                continue
            item = pending.result()
            if isinstance(item, Event):
                if item.kind is not Kind.NIGHT_STARTED and item.errand != state.night:
                    pending = asyncio.ensure_future(anext(news))  # of another errand: `vigil errand follow`
                    continue
                state = fold(state, item)
            display.show(item)
            if isinstance(item, Event) and item.kind is Kind.NIGHT_OVER:
                return state
            pending = asyncio.ensure_future(anext(news))
    except StopAsyncIteration:
        raise KeeperGone("the keeper has left before the night was over") from None
    finally:
        pending.cancel()


async def _finish(link: SocketLink, ours: bool, state: NightState, display: Display) -> int:
    status: Status = await link.status()
    if ours:
        await command(link, Command.RETIRE)
    frames = [{"frame_id": i, **frame} for i, frame in state.saved.items()]
    display.summary(
        {
            "night": state.night,
            "reason": state.end_reason,
            "done": len(frames),
            "wanted": status.wanted,
            "frames": frames,
            "closing": {part["part"]: part["outcome"] for part in state.closing},
        }
    )
    closed = all(part["outcome"] != "failed" for part in state.closing)
    taken = all(line["done"] >= line["wanted"] for line in status.lines)
    return OK if taken and closed else NOT_ALL
