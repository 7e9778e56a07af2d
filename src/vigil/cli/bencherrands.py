"""An errand of a bench from the command line: by the rig's keeper, or without one on virtual time."""

import argparse
import asyncio
import sys
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from vigil.cli import BadInput
from vigil.cli.assemble import seed_of
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.cli.files import moment_wanted, own_folders, scenario_wanted
from vigil.cli.ledgers import ledger_of
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Ask, Command, Samples
from vigil.documents.rig import Rig
from vigil.engine.errand import ErrandRefused
from vigil.link.attach import keeper_status
from vigil.link.socket import SocketLink

_INTO_THE_EVENING = timedelta(hours=5)


@dataclass(frozen=True, slots=True)
class Order:
    """What is to be done, and who hears of its events and of the rows of its stream."""

    kind: str
    values: dict[str, Any]
    tell: Callable[[Event], None]
    look: Callable[[dict[str, Any]], None]
    stream: str = ""
    calibration: Path | None = None
    """Where calibration frames go that are taken alone; None: nowhere, they are gone afterwards."""
    before: tuple[tuple[str, dict[str, Any]], ...] = ()
    """What has to be done first where it is set up alone."""


def alone_wanted(rig: Rig, args: argparse.Namespace) -> bool:
    """Whether it is done on virtual time: where that is asked for, or no keeper runs."""
    asked = any(v is not None for v in (args.scenario, args.seed, args.truth, args.at)) or args.quick
    return asked or asyncio.run(keeper_status(own_folders(rig))) is None


def carry_out(rig: Rig, order: Order, args: argparse.Namespace) -> Event | None:
    """Its last event; None where it was refused before it began, which has been said. Raises BadInput."""
    if alone_wanted(rig, args):
        return _alone(rig, order, args)
    return asyncio.run(_by_keeper(rig, order))


def _alone(rig: Rig, order: Order, args: argparse.Namespace) -> Event | None:
    if rig.simulated is None:
        raise BadInput(f"{rig.name} is no simulated rig, and no keeper runs for it: start one (vigil keep)")
    scenario = scenario_wanted(args.scenario)
    alone = Alone(
        rig=rig,
        scenario=scenario,
        seed=seed_of(rig, args.seed, scenario),
        at=moment_wanted(args.at) if args.at else rig.simulated.starts_at + _INTO_THE_EVENING,
        quick=args.quick,
        ledger=None if args.quick else ledger_of(rig.id),  # what was not measured belongs in no log
        truth=Path(args.truth).absolute() if args.truth else None,
        folder=None if args.quick else own_folders(rig).by_hand,
        calibration=order.calibration,
        listener=order.tell,
        sampled=order.look,
    )

    async def use(bench: Bench) -> Event | None:
        try:
            for kind, values in order.before:
                await bench.carry_out(kind, values)
            return await bench.carry_out(order.kind, order.values)
        except ErrandRefused as refused:
            print(f"vigil: {refused}", file=sys.stderr)
            return None

    try:
        return on_the_bench(alone, use)
    except OSError as problem:
        raise BadInput(f"{alone.truth}: can't be written ({problem.strerror or problem})") from None


async def _by_keeper(rig: Rig, order: Order) -> Event | None:
    """Begun and followed; Ctrl+C stops it."""
    async with SocketLink(own_folders(rig).socket_in_use) as link:
        last = (await link.status()).last_event
        news = link.news(after=last, streams=(order.stream,) if order.stream else ())
        asked = Ask(id=uuid.uuid4().hex, command=Command.BEGIN, values={"kind": order.kind, **order.values})
        answer = await link.ask(asked)
        if not answer.taken:
            print(f"vigil: {answer.reason}", file=sys.stderr)
            return None
        try:
            async for event in news:
                if isinstance(event, Samples) and event.errand == answer.reason:
                    for row in event.rows:
                        order.look(row.values)
                if not isinstance(event, Event) or event.errand != answer.reason:
                    continue
                order.tell(event)
                if event.kind is Kind.ERRAND_ENDED:
                    return event
        except asyncio.CancelledError:
            stop = Ask(id=uuid.uuid4().hex, command=Command.STOP_ERRAND, values={"errand": answer.reason})
            await asyncio.shield(link.ask(stop))
            raise
    return None
