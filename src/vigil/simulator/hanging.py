"""A device that now and then doesn't answer at all."""

import asyncio
from collections.abc import Callable
from typing import Any

from vigil.simulator.chance import generator
from vigil.simulator.gear import Bench

_NEVER_S = 1e6


class Hanging:
    """Passes calls on to a device; a share of them, drawn by count, never return and never act."""

    def __init__(self, device: Any, name: str, share: float, bench: Bench) -> None:
        self._device, self._name, self._share, self._bench = device, name, share, bench

    def __getattr__(self, what: str) -> Callable[..., Any]:
        async def call(*values: Any) -> Any:
            count = self._bench.state.next_count(f"calls of {self._name}")
            if generator(self._bench.state.seed, "hangs", self._name, count).random() < self._share:
                await asyncio.sleep(_NEVER_S)
            return await getattr(self._device, what)(*values)

        return call
