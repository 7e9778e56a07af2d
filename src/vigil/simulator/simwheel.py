"""A filter wheel that turns at a steady pace, the shorter way unless it turns one way only."""

from vigil.devices.errors import Refused
from vigil.devices.protocols import Capabilities, WheelState
from vigil.simulator.gear import Bench

_S_PER_SLOT = 1.2


class SimWheel:
    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._turning = False

    @property
    def _slots(self) -> int:
        wheel = self._bench.rig.wheel
        return wheel.slots if wheel else 1

    async def connect(self) -> None:
        await self._bench.connect("filter wheel", 1.5)

    async def disconnect(self) -> None:
        self._bench.disconnect("filter wheel")

    async def capabilities(self) -> Capabilities:
        return Capabilities(figures={"wheel.slots": self._slots})

    async def read(self) -> WheelState:
        self._bench.need("filter wheel")
        return WheelState(None if self._turning else self._bench.state.slot)

    async def move_to(self, slot: int) -> None:
        bench = self._bench
        bench.need("filter wheel")
        if not 1 <= slot <= self._slots:
            raise Refused(f"filter wheel: slot {slot} does not exist, it has 1 to {self._slots}")
        onward = (slot - bench.state.slot) % self._slots
        one_way = bench.rig.wheel is not None and bench.rig.wheel.one_way
        away = onward if one_way else min(onward, self._slots - onward)
        bench.state.slot = slot
        bench.save()
        self._turning = True
        try:
            await bench.clock.sleep(_S_PER_SLOT * away)
        finally:
            self._turning = False
