"""A device with its faults: calls that never return, connections that break, moves that nobody ordered."""

import asyncio
from collections.abc import Callable
from typing import Any

from vigil.devices.errors import NotConnected
from vigil.documents.scenario import Fault, FaultKind
from vigil.simulator.chance import generator
from vigil.simulator.gear import Gear

_NEVER_S = 1e6
_THROWN: tuple[Callable[[], BaseException], ...] = (
    lambda: ConnectionResetError(104, "Connection reset by peer"),
    lambda: OSError(5, "Input/output error"),
    lambda: ValueError("could not convert string to float: 'E07'"),
    lambda: KeyError("Position"),
    lambda: RuntimeError("driver: bad state 3"),
    lambda: asyncio.CancelledError(),
    lambda: TimeoutError("timed out"),
)
_WITHOUT_LINE = ("connect", "disconnect", "capabilities")


class Faulty:
    """Passes calls on to a device, unless something befalls it first."""

    def __init__(self, device: Any, name: str, gear: Gear) -> None:
        self._device, self._name, self._gear = device, name, gear

    @property
    def reads_at_once(self) -> bool:
        """Nothing can happen to it: its read never waits."""
        return not self._gear.faults.any_of(self._name)

    def __getattr__(self, what: str) -> Callable[..., Any]:
        if not self._gear.faults.any_of(self._name):
            bare: Callable[..., Any] = getattr(self._device, what)
            return bare

        async def call(*values: Any) -> Any:
            gear, name = self._gear, self._name
            minute = gear.minutes(gear.clock.utcnow())
            self._happen(minute)
            if what == "connect" and gear.faults.active(FaultKind.DISCONNECTS, name, minute):
                raise NotConnected(f"{name}: it doesn't answer on its cable")
            count = gear.state.next_count(f"calls of {name}")
            if gear.faults.hits(FaultKind.TIMES_OUT, name, minute, count):
                await asyncio.sleep(_NEVER_S)
            if gear.faults.hits(FaultKind.THROWS, name, minute, count):
                # as drivers do: anything
                chosen = generator(gear.state.seed, "throws", name, count).integers(len(_THROWN))
                raise _THROWN[int(chosen)]()
            return await getattr(self._device, what)(*values)

        return call

    def _happen(self, minute: float) -> None:
        """What happens once, at its time, is done at the first call after that."""
        gear, name = self._gear, self._name
        for kind in (FaultKind.DISCONNECTS, FaultKind.MOVES):
            for spell in gear.faults.due(kind, name, minute, gear.state.happened):
                gear.state.happened.append(spell.number)
                if kind is FaultKind.DISCONNECTS:
                    gear.state.connected[name] = False
                else:
                    self._move(spell.fault)
                gear.save()

    def _move(self, fault: Fault) -> None:
        self._device.moved_by_itself(fault.amount)
