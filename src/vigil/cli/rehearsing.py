"""A rehearsal put together: the engine, the sim observatory without pixels, virtual time, a ledger in
memory."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from vigil.cli.assemble import equip
from vigil.cli.quickguiding import QuickGuides
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.rig import Simulated
from vigil.documents.scenario import Scenario
from vigil.engine.rehearsal import Rehearsed, rehearse
from vigil.ledger.ledger import Ledger
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye
from vigil.simulator.truthlog import TruthLog


def rehearsed(
    plan: NightPlan,
    rig: Rig,
    scenario: Scenario,
    seed: int,
    frames_folder: Path,
    starts_at: datetime | None = None,
    truth: Path | None = None,
    watch: Callable[[SimObservatory], None] = lambda observatory: None,
) -> Rehearsed:
    """Run a plan through on a simulated rig; a real one is simulated for it, from `starts_at`. `watch` is
    shown the observatory first, for campaigns that look at what really is."""
    if rig.simulated is None:
        if starts_at is None:
            raise ValueError(f"{rig.name} is real: say when its night begins")
        rig = rig.model_copy(update={"simulated": Simulated(starts_at=starts_at)})
    return run_virtual(_rehearsed(plan, rig, scenario, seed, frames_folder, starts_at, truth, watch))


async def _rehearsed(
    plan: NightPlan,
    rig: Rig,
    scenario: Scenario,
    seed: int,
    frames_folder: Path,
    starts_at: datetime | None,
    truth: Path | None,
    watch: Callable[[SimObservatory], None],
) -> Rehearsed:
    assert rig.simulated is not None
    clock, workshop, ledger = ScenarioClock(starts_at or rig.simulated.starts_at), Workshop(0), Ledger()
    log = None
    try:
        observatory = SimObservatory(rig, seed, clock, workshop, scenario=scenario, quick=True)
        watch(observatory)
        log = TruthLog(observatory, truth) if truth else None
        equipment = equip(
            rig,
            observatory,
            clock,
            workshop,
            frames_folder,
            frames_folder,
            measurer=QuickMeasurer(),
            eye=QuickEye(),
            guides=QuickGuides(observatory),
        )
        return await rehearse(plan, equipment, ledger)
    finally:
        if log is not None:
            log.close()
        ledger.close()
