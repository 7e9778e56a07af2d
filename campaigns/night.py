"""One night in this process, on virtual time, with the simulator's truth beside it."""

import asyncio
from collections.abc import Callable, Coroutine
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from vigil.cli.assemble import equip
from vigil.cli.quickguiding import QuickGuides
from vigil.devices.protocols import Devices
from vigil.devices.supervised import POLL_S
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import GUIDE
from vigil.documents.messages import Answer, Ask, Command, Sample, Samples
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.engine.equipment import Equipment
from vigil.engine.rehearsal import no_file
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory, Truth
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye
from vigil.simulator.scenery import SimScenery

QUICK_LOOK_S = 10.0
"""A quick night spends most of its time on the guards' looks; seldom does one need each second."""


@dataclass
class Played:
    """A night under way, or over: what was told, and what really is."""

    keeper: Keeper
    link: Loopback
    truth: Truth
    equipment: Equipment
    ledger: Ledger
    events: list[Event] = field(default_factory=list)
    """The night's."""
    others: list[Event] = field(default_factory=list)
    """Those of other errands."""
    samples: list[Sample] = field(default_factory=list)
    """Of the night's guiding."""
    frames: list[dict[str, Any]] = field(default_factory=list)

    def of(self, kind: Kind) -> list[Event]:
        return [event for event in self.events if event.kind is kind]

    async def ask(self, command: Command, **values: Any) -> Answer:
        return await self.link.ask(Ask(id="test", command=command, values=values))


Watcher = Callable[[Event, Played], Any]


def play(
    rig: Rig,
    plan: NightPlan,
    out: Path,
    seed: int = 1,
    on_event: Watcher | None = None,
    alter: Callable[[Devices], Devices] | None = None,
    rescue: Path | None = None,
    scenario: Scenario | None = None,
    quick: bool = False,
    beside: Callable[["Played"], Coroutine[Any, Any, None]] | None = None,
    look_every_s: float | None = None,
    guides: bool = False,
    ledger: Path | None = None,
) -> Played:
    """Run a whole night and return it. `on_event` is called (and awaited, if need be) with each event as
    a client sees it; `alter` may wrap the devices; `quick` measures as rehearsals do, without pixels or
    files, and its guards look more seldom; `beside` goes on beside the night. With `guides` its guider takes
    frames, one every few seconds; else the star is held as rehearsals hold it. The ledger is in memory, or
    that of a path."""
    work = _play(
        rig, plan, out, seed, on_event, alter, rescue, scenario, quick, beside, look_every_s, guides, ledger
    )
    return run_virtual(work)


async def _play(
    rig: Rig,
    plan: NightPlan,
    out: Path,
    seed: int,
    on_event: Watcher | None,
    alter: Callable[[Devices], Devices] | None,
    rescue: Path | None,
    scenario: Scenario | None,
    quick: bool,
    beside: Callable[[Played], Coroutine[Any, Any, None]] | None = None,
    look_every_s: float | None = None,
    guides: bool = False,
    ledger_path: Path | None = None,
) -> Played:
    assert rig.simulated is not None
    clock, workshop, ledger = ScenarioClock(rig.simulated.starts_at), Workshop(0), Ledger(ledger_path)
    try:
        observatory = SimObservatory(rig, seed, clock, workshop, scenario=scenario, quick=quick)
        devices = alter(observatory.devices) if alter is not None else None
        equipment = equip(rig, observatory, clock, workshop, out, rescue or out / "rescued", devices)
        often_s = look_every_s or (QUICK_LOOK_S if quick else POLL_S)
        equipment = replace(equipment, look_every_s=often_s, calibration=out / "calibration")
        if quick:
            equipment = replace(equipment, measurer=QuickMeasurer(), write=no_file, eye=QuickEye())
        if not guides:
            equipment = replace(equipment, guides=QuickGuides(observatory))
        keeper = Keeper(equipment, ledger, pace=simulated_loop(), scenery=SimScenery(observatory))
        played = Played(keeper, Loopback(keeper), observatory.truth, equipment, ledger)
        keeping = asyncio.ensure_future(keeper.run())
        answer = await played.ask(Command.START, plan=plan.model_dump(mode="json"))
        if not answer.taken:
            keeping.cancel()
            raise ValueError(answer.reason)
        aside = asyncio.ensure_future(beside(played)) if beside is not None else None
        await _follow(played, answer.reason, on_event)
        if aside is not None:
            aside.cancel()
            await asyncio.wait({aside})
        keeper.end("the test is over")
        await asyncio.wait({keeping})
        played.frames = await ledger.frames(answer.reason)
        return played
    finally:
        ledger.close()


async def _follow(played: Played, night: str, on_event: Watcher | None) -> None:
    async for news in played.link.news(streams=(GUIDE,)):
        if isinstance(news, Samples):
            played.samples += news.rows
        if not isinstance(news, Event):
            continue
        if news.errand != night:
            played.others.append(news)
            continue
        played.events.append(news)
        if on_event is not None:
            wish = on_event(news, played)
            if asyncio.iscoroutine(wish):
                await wish
        if news.kind is Kind.NIGHT_OVER:
            return
