"""A filter wheel that turns at a steady pace, the shorter way unless it turns one way only."""

from vigil.devices.errors import DeviceFault, Refused
from vigil.devices.protocols import Capabilities, WheelState
from vigil.documents.scenario import FaultKind
from vigil.simulator.gear import Gear

_S_PER_SLOT = 1.2


class SimWheel:
    def __init__(self, gear: Gear) -> None:
        self._gear = gear
        self._turning = False

    @property
    def _slots(self) -> int:
        wheel = self._gear.rig.wheel
        return wheel.slots if wheel else 1

    async def connect(self) -> None:
        await self._gear.connect("filter wheel", 1.5)

    async def disconnect(self) -> None:
        self._gear.disconnect("filter wheel")

    async def capabilities(self) -> Capabilities:
        return Capabilities(figures={"wheel.slots": self._slots})

    async def read(self) -> WheelState:
        self._gear.need("filter wheel")
        return WheelState(None if self._turning else self._gear.state.slot)

    async def move_to(self, slot: int) -> None:
        gear = self._gear
        gear.need("filter wheel")
        if not 1 <= slot <= self._slots:
            raise Refused(f"filter wheel: slot {slot} does not exist, it has 1 to {self._slots}")
        onward = (slot - gear.state.slot) % self._slots
        one_way = gear.rig.wheel is not None and gear.rig.wheel.one_way
        away = onward if one_way else min(onward, self._slots - onward)
        if away and gear.faults.active(
            FaultKind.WHEEL_JAMS, "filter wheel", gear.minutes(gear.clock.utcnow())
        ):
            await gear.clock.sleep(_S_PER_SLOT)
            raise DeviceFault(f"filter wheel: jammed between slot {gear.state.slot} and {slot}")
        if away:
            # coming up to a slot it rests on its lower edge, coming down on its upper one
            upward = one_way or onward <= self._slots - onward
            gear.state.wheel_from = slot - 1 if upward else slot + 1
        gear.state.slot = slot
        gear.save()
        self._turning = True
        try:
            await gear.clock.sleep(_S_PER_SLOT * away)
        finally:
            self._turning = False

    def moved_by_itself(self, slots: float) -> None:
        """A fault: the wheel has slipped on to another slot, and its sensor shows it."""
        state = self._gear.state
        state.slot = (state.slot - 1 + max(1, int(slots) % self._slots)) % self._slots + 1
