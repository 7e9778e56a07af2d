"""A whole night ahead of time: the engine as it is, on equipment that is handed to it."""

import asyncio
from dataclasses import dataclass, replace
from pathlib import Path

from vigil.documents.events import Event, Kind
from vigil.documents.night import NightState
from vigil.documents.plan import NightPlan
from vigil.documents.store import dump
from vigil.engine.arbiter import Arbiter
from vigil.engine.equipment import Equipment
from vigil.engine.guards.guards import Guards
from vigil.engine.night import Night
from vigil.engine.recorder import NightRecorder, night_recorder
from vigil.files.names import evening_date
from vigil.ledger.ledger import Ledger

# nothing is at stake: a look every second is most of what a rehearsal would cost
LOOK_EVERY_S = 10.0


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """All that happened, in order, and how it stood at the end."""

    events: tuple[Event, ...]
    state: NightState


async def rehearse(
    plan: NightPlan, equipment: Equipment, ledger: Ledger, look_every_s: float = LOOK_EVERY_S
) -> Rehearsed:
    """Run the plan to its end. Nothing is written to disk; the ledger should be one in memory. A rehearsal
    asks nobody: what waits for a person goes by its policy for no answer."""
    events: list[Event] = []
    recorder = night_recorder("rehearsal", ledger, equipment.clock)
    recorder.listen(events.append)
    await started(recorder, plan, equipment)
    equipment = replace(equipment, write=no_file, rehearses=True, look_every_s=look_every_s)
    arbiter = equipment.arbiter or Arbiter()
    night = Night(plan, replace(equipment, arbiter=arbiter), recorder)
    for device in equipment.devices.all():
        device.recovered = night.recovered
    guards = Guards(equipment.rig, equipment.devices, equipment.clock, arbiter, night, equipment.look_every_s)
    watching = asyncio.ensure_future(guards.keep_on())
    try:
        await night.run()
    finally:
        watching.cancel()
        await guards.stop()
    return Rehearsed(tuple(events), recorder.state)


async def started(recorder: NightRecorder, plan: NightPlan, equipment: Equipment, **more: object) -> None:
    """Record that a night begins."""
    rig = equipment.rig
    await recorder.record(
        Kind.NIGHT_STARTED,
        {
            "rig_id": rig.id,
            "evening": evening_date(equipment.clock.utcnow(), rig.site.time_zone),
            "plan": dump(plan),
            "rig": dump(rig),
            "wanted": plan.wanted,
            "frames_folder": str(equipment.frames_folder),
            **more,
        },
        f"{plan.name}: {plan.wanted} frames",
    )


def no_file(path: Path, image: object, header: object) -> None:
    """A frame of a rehearsal has no pixels to keep."""
