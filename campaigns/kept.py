"""A keeper in this process, on virtual time, for tests of what it has in hand."""

import asyncio
from collections.abc import Callable, Coroutine
from dataclasses import replace
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig
from vigil.cli.assemble import equip
from vigil.devices.protocols import Devices
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Ask, Command, ErrandReport
from vigil.engine.rehearsal import no_file
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.link.loopback import Loopback
from vigil.runtime.clock import ScenarioClock
from vigil.runtime.simulated import run_virtual, simulated_loop
from vigil.runtime.workshop import Workshop
from vigil.simulator.observatory import SimObservatory
from vigil.simulator.quick import QuickMeasurer
from vigil.simulator.quickeye import QuickEye

RIG = quick_rig()


class Place:
    """A keeper in this process, on virtual time, with a ledger on disk."""

    def __init__(self, keeper: Keeper, ledger: Path, observatory: SimObservatory) -> None:
        self.keeper, self.link, self.ledger = keeper, Loopback(keeper), ledger
        self.observatory = observatory
        self.told: list[Event] = []
        keeper.listen(self.told.append)
        self._asked = 0

    async def ask(self, command: Command, **values: Any) -> Answer:
        self._asked += 1
        return await self.link.ask(Ask(id=f"a{self._asked}", command=command, values=values))

    async def do(self, device: str, action: str, **values: Any) -> None:
        """By hand, to its end."""
        answer = await self.ask(Command.DEVICE, device=device, action=action, **values)
        assert answer.taken, answer.reason
        started = next(e for e in self.told if e.values.get("asked") == f"a{self._asked}")
        await self.until(Kind.ERRAND_ENDED, errand=started.errand)

    async def under_way(self) -> list[ErrandReport]:
        return (await self.link.status()).errands

    def of(self, errand: str) -> list[Event]:
        return [event for event in self.told if event.errand == errand]

    async def until(self, kind: Kind, errand: str = "", **values: Any) -> Event:
        while True:
            for event in self.told:
                right = event.kind is kind and errand in ("", event.errand)
                if right and values.items() <= event.values.items():
                    return event
            await asyncio.sleep(1)


def kept(
    folder: Path,
    work: Callable[[Place], Coroutine[Any, Any, None]],
    killed: bool = False,
    rig: Any = RIG,
    alter: Callable[[Devices], Devices] = lambda devices: devices,
    pixels: bool = False,
) -> None:
    """`killed`: nothing is put in order at the end, as little as by kill -9; the gear stays as it is. With
    `pixels` frames have some, and are kept."""

    left: list[bytes] = []
    """The gear as it was when the keeper was killed: what its tasks do while this loop ends never was."""

    async def main() -> None:
        clock, workshop = ScenarioClock(rig.simulated.starts_at), Workshop(0)
        ledger = Ledger(folder / "ledger.sqlite")
        gear = folder / "gear.json" if pixels else None
        observatory = SimObservatory(rig, 1, clock, workshop, gear, quick=not pixels)
        devices = alter(observatory.devices)
        equipment = equip(rig, observatory, clock, workshop, folder / rig.id, folder / rig.id, devices)
        equipment = replace(
            equipment, measurer=QuickMeasurer(), eye=QuickEye(), write=no_file, look_every_s=5.0
        )
        keeper = Keeper(equipment, ledger, simulated_loop())
        place = Place(keeper, folder / "ledger.sqlite", observatory)
        await keeper.take_up()
        keeping = asyncio.ensure_future(keeper.run())
        keeper._watched.set()
        try:
            async with asyncio.timeout(24 * 3600):
                await work(place)
        finally:
            if not killed:
                keeper.end("the test is over")
                await asyncio.wait({keeping})
            elif gear is not None:
                left.append(gear.read_bytes() if gear.exists() else b"")
            ledger.close()
            if killed:
                keeping.cancel()

    run_virtual(main())
    if left and left[0]:
        (folder / "gear.json").write_bytes(left[0])
    elif left:
        (folder / "gear.json").unlink(missing_ok=True)
