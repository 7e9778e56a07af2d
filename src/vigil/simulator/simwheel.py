"""A filter wheel that turns at a steady pace, the shorter way."""

from vigil.devices.errors import Refused
from vigil.devices.protocols import WheelState
from vigil.simulator.gear import Bench

_S_PER_SLOT = 1.2


class SimWheel:
    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._turning = False

    async def connect(self) -> None:
        await self._bench.connect("filter wheel", 1.5)

    async def disconnect(self) -> None:
        self._bench.disconnect("filter wheel")

    async def read(self) -> WheelState:
        self._bench.need("filter wheel")
        return WheelState(None if self._turning else self._bench.state.slot)

    async def move_to(self, slot: int) -> None:
        bench = self._bench
        bench.need("filter wheel")
        slots = bench.rig.wheel.slots
        if not 1 <= slot <= slots:
            raise Refused(f"filter wheel: slot {slot} does not exist, it has 1 to {slots}")
        away = abs(slot - bench.state.slot)
        bench.state.slot = slot
        bench.save()
        self._turning = True
        try:
            await bench.clock.sleep(_S_PER_SLOT * min(away, slots - away))
        finally:
            self._turning = False
