"""A bench's errand without a keeper: a simulated rig set up by hand, under stars, on virtual time."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, TypeVar

from vigil.cli.assemble import equip
from vigil.documents.events import Event
from vigil.documents.rig import Rig
from vigil.documents.scenario import Scenario
from vigil.engine.activity import Kit, no_step
from vigil.engine.arbiter import Arbiter
from vigil.engine.errand import PlainErrand, Workplace, errand_recorder, evening_of
from vigil.engine.errands import kinds
from vigil.engine.progress import Progress
from vigil.engine.questions import Questions
from vigil.ledger.ledger import Ledger
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual
from vigil.runtime.workshop import Workshop
from vigil.simulator.byhand import point, set_up
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye
from vigil.simulator.truthlog import TruthLog

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Alone:
    """What is set up. `quick` measures without pixels; `ledger` None keeps nothing."""

    rig: Rig
    scenario: Scenario
    seed: int
    at: datetime
    near: tuple[float, float] | None = None
    quick: bool = False
    ledger: Path | None = None
    truth: Path | None = None
    folder: Path | None = None
    """Where calibrations and darks are kept; None keeps them in a folder that is gone afterwards."""
    calibration: Path | None = None
    """Where calibration frames are kept; None: as `folder` None."""
    listener: Callable[[Event], None] = lambda event: None
    sampled: Callable[[dict[str, Any]], None] = lambda values: None
    """Hears what comes too often for events."""
    focuser_at: int | None = None
    """Where the focuser stands before; else where it was left."""
    focuser_off: float | None = None
    """In place of that: so many steps from where focus really is."""


@dataclass
class Bench:
    """Everything connected, cold and open, the mount tracking."""

    order: Alone
    observatory: SimObservatory
    clock: ScenarioClock
    kit: Kit
    ledger: Ledger
    folder: Path
    aside: Path
    """Gone afterwards."""
    events: list[Event] = field(default_factory=list)

    async def carry_out(self, kind: str, values: dict[str, Any]) -> Event:
        """An errand from beginning to end; returns its last event. Raises ErrandRefused."""
        rig = self.order.rig
        number = await self.ledger.next_number(rig.id, evening_of(rig, self.clock.utcnow()), kind)
        name = f"{evening_of(rig, self.clock.utcnow())}-{rig.id}-{kind.replace(' ', '-')}-{number}"
        recorder = errand_recorder(name, self.ledger, self.clock)
        recorder.listen(self.events.append)
        recorder.listen(self.order.listener)
        errand: PlainErrand = kinds()[kind].asked_for(self.place(), recorder, "", values)
        await errand.run()
        return self.events[-1]

    def place(self) -> Workplace:
        return Workplace(
            lambda: self.kit,
            Arbiter(),
            Workshop(0),
            self.folder,
            lambda _, __, values: self.order.sampled(values),
            self.order.calibration or self.aside / "calibration",
        )


def on_the_bench(order: Alone, use: Callable[[Bench], Awaitable[T]]) -> T:
    """Set it up, and use it. Raises what `use` raises, and OSError where the truth can't be written."""

    async def main() -> T:
        clock, workshop = ScenarioClock(order.at), Workshop(0)
        observatory = SimObservatory(
            order.rig, order.seed, clock, workshop, None, order.scenario, order.quick
        )
        truth = TruthLog(observatory, order.truth) if order.truth else None
        ledger = Ledger(order.ledger)
        measurer, eye = (QuickMeasurer(), QuickEye()) if order.quick else (None, None)
        wheel = order.rig.wheel
        set_up(observatory, wheel.focus_through if wheel else "", None)
        point(observatory, order.near)
        _put_focuser(order, observatory)
        equipment = equip(order.rig, observatory, clock, workshop, Path(), Path(), None, measurer, eye)
        for device in equipment.devices.all():
            await device.connect()
        kit = Kit(
            order.rig,
            equipment.devices,
            clock,
            equipment.measurer,
            Progress(),
            no_step,
            Questions(_nothing_asked, clock),
            eye=equipment.eye,
        )
        try:
            with TemporaryDirectory() as name:
                aside = Path(name)
                return await use(Bench(order, observatory, clock, kit, ledger, order.folder or aside, aside))
        finally:
            ledger.close()
            if truth is not None:
                truth.close()

    return run_virtual(main())


def _put_focuser(order: Alone, observatory: SimObservatory) -> None:
    """The motor where it has arrived from the rig's side, its play taken up."""
    gear, part = observatory.truth.gear, order.rig.focuser
    if part is None:
        return
    play = gear.scenario.focuser.backlash_steps / 2
    ahead = play if part.approach == "upward" else -play
    at = order.focuser_at
    if order.focuser_off is not None:
        there = gear.best_focus_steps(gear.state.slot, gear.clock.utcnow()) + order.focuser_off
        at = round(min(max(there + ahead, part.lowest), part.highest))
    if at is not None:
        gear.state.focuser_position, gear.state.drawtube_steps = at, at - ahead


async def _nothing_asked(*_: Any) -> None:
    """Benches ask nothing here."""
