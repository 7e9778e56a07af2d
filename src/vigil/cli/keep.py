"""`vigil keep`: the keeper's process. The one place that puts engine, devices and ledger together."""

import argparse
import asyncio
import logging
import math
import signal
import sys
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from vigil.cli import BAD_INPUT, NO_KEEPER, OK, BadInput
from vigil.cli.assemble import equip, seed_of
from vigil.cli.files import load_document, moment_wanted, rig_path, scenario_wanted
from vigil.cli.guardian import guard
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.keeper.keeper import Keeper
from vigil.keeper.lock import RigLock, RigTaken
from vigil.keeper.server import Server
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError
from vigil.ledger.takeover import take_over
from vigil.runtime.allowed import not_allowed
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.folders import Folders, calibration_folder, folders_of
from vigil.runtime.simulated import SimulatedLoop
from vigil.runtime.workshop import Workshop
from vigil.simulator.evening import load_state, state_at
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.scenery import SimScenery
from vigil.simulator.truthlog import TruthLog


def run(args: argparse.Namespace) -> int:
    """Keep the rig until retired; SIGTERM ends the night safely first."""
    if args.guarded:
        return guard([word for word in sys.argv[2:] if word != "--guarded"])
    rig = load_document(Rig, rig_path(args.rig))
    if rig.simulated is None:
        raise BadInput(f'{args.rig}: this Vigil drives simulated rigs only; the rig has no "simulated" part')
    scenario = scenario_wanted(args.scenario)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(name)s %(message)s")
    logging.getLogger("aiohttp.access").setLevel(logging.WARNING)
    try:
        folders = folders_of(rig.id)
        with RigLock(folders.lock, folders.socket):
            take_over(folders.ledger, folders.old_ledger)
            loop = SimulatedLoop(math.inf if args.virtual else args.speed)
            with asyncio.Runner(loop_factory=lambda: loop) as runner:
                runner.run(_keep(rig, folders, loop, args, scenario))
    except (RigTaken, LedgerError) as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        return NO_KEEPER
    except (OSError, ValueError) as problem:
        logging.exception("the keeper could not start")
        print(f"vigil: the keeper could not start: {problem}", file=sys.stderr)
        return BAD_INPUT
    return OK


async def _keep(
    rig: Rig, folders: Folders, loop: SimulatedLoop, args: argparse.Namespace, scenario: Scenario
) -> None:
    assert rig.simulated is not None
    ledger = Ledger(folders.ledger)
    # on virtual time image work is done in place, in a fixed order
    workshop = Workshop(0 if loop.jumps else 2)
    try:
        seed = seed_of(rig, args.seed, scenario)
        wanted = moment_wanted(args.at) if args.at else rig.simulated.starts_at
        clock = ScenarioClock(await _starts_at(rig, wanted, seed, scenario, folders, ledger))
        observatory = SimObservatory(rig, seed, clock, workshop, folders.sim_state, scenario)
        equipment = equip(rig, observatory, clock, workshop, _frames_of(rig, folders), folders.rescue)
        equipment = replace(
            equipment,
            hand_folder=folders.by_hand,
            calibration=calibration_folder(rig.id),
            programs_not_allowed=not_allowed,
        )
        keeper = Keeper(equipment, ledger, pace=loop, scenery=SimScenery(observatory))
        truth = TruthLog(observatory, Path(args.truth)) if args.truth else None
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, keeper.end, "the keeper was asked to stop")
        for number in (signal.SIGHUP, signal.SIGUSR1, signal.SIGUSR2):  # a logout is none of its business
            loop.add_signal_handler(number, lambda: None)
        await keeper.take_up()
        server = Server(keeper, folders.socket, when_idle=lambda: keeper.end("idle"))
        server.start()
        try:
            await keeper.run()
        finally:
            if truth is not None:
                truth.close()
            await server.stop()
    finally:
        workshop.close()
        ledger.close()


def _frames_of(rig: Rig, folders: Folders) -> Path:
    return Path(rig.frames.folder).expanduser() if rig.frames.folder else folders.frames


async def _starts_at(
    rig: Rig, wanted: datetime, seed: int, scenario: Scenario, folders: Folders, ledger: Ledger
) -> datetime:
    """With anything unfinished the gear is as the dead keeper left it, and time goes on from there; else it
    is the moment that is wanted, with the gear as the last keeper has left it."""
    left = load_state(folders.sim_state)
    unfinished = await ledger.unfinished(rig.id)
    if not unfinished:
        state_at(left, rig, seed, scenario, wanted).save(folders.sim_state)
        return wanted
    events = [event for row in unfinished for event in (await ledger.events(row.errand))[-1:]]
    return max([wanted, *([left.at] if left else []), *(e.at for e in events)])
