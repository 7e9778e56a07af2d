"""A motor on its way."""

import asyncio
from collections.abc import Callable

from vigil.devices.errors import Refused
from vigil.simulator.gear import Gear

TICK_S = 0.5


class Travel:
    """Goes on to where it was sent though nobody waits any more, until it is stopped."""

    def __init__(self, gear: Gear, name: str) -> None:
        self._gear = gear
        self._name = name
        self._stop = False
        self._motion: asyncio.Future[None] | None = None
        self.moving = False

    async def go(
        self, at: Callable[[], float], turn: Callable[[float], None], to: float, per_s: float
    ) -> None:
        """Turn from where `at` says by at most `per_s` a second. Raises Refused while it moves already."""
        if self.moving:
            raise Refused(f"{self._name}: already moving")
        self.moving, self._stop = True, False
        self._motion = asyncio.ensure_future(self._go(at, turn, to, per_s))
        await asyncio.shield(self._motion)

    async def _go(
        self, at: Callable[[], float], turn: Callable[[float], None], to: float, per_s: float
    ) -> None:
        try:
            while at() != to and not self._stop:
                most = per_s * TICK_S
                turn(max(-most, min(most, to - at())))
                self._gear.save()
                await self._gear.clock.sleep(TICK_S)
        finally:
            self.moving = False

    def stop(self) -> None:
        self._stop = True
