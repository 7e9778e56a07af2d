"""Devices that do what the simulator can't be asked for: real ones throw anything, and hang anywhere."""

import asyncio
import dataclasses
from collections.abc import Callable
from datetime import datetime
from typing import Any

from vigil.devices.protocols import Devices, SafetyState
from vigil.documents.plan import NightPlan, SunMoment


class Passing:
    """Passes everything on; what is overridden is not."""

    reads_at_once = False

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    def __getattr__(self, name: str) -> Any:
        return getattr(self._inner, name)


class Sky(Passing):
    """A safety sensor that says what `safe` says at a moment."""

    def __init__(self, inner: Any, safe: Callable[[datetime], bool]) -> None:
        super().__init__(inner)
        self.safe = safe

    async def read(self) -> SafetyState:
        state = await self._inner.read()
        return SafetyState(state.measured_at, self.safe(state.measured_at))


class Failing(Passing):
    """Its reads throw, or hang, from a moment on."""

    def __init__(self, inner: Any, thrown: BaseException | None = None) -> None:
        super().__init__(inner)
        self.thrown, self.from_read, self.reads = thrown, 10**9, 0

    async def read(self) -> Any:
        self.reads += 1
        if self.reads > self.from_read:
            if self.thrown is None:
                await asyncio.sleep(3600)
            else:
                raise type(self.thrown)(*self.thrown.args)
        return await self._inner.read()


def under(safe: Callable[[datetime], bool]) -> Callable[[Devices], Devices]:
    """Devices whose safety sensor speaks so."""
    return lambda devices: dataclasses.replace(devices, safety=Sky(devices.safety, safe))


def an_evening(plan: NightPlan) -> NightPlan:
    """The plan with spans that close about midnight: what is tried all night need not be tried for longer."""
    closes = SunMoment(moment="astronomical", minutes=-480)
    blocks = [
        b.model_copy(update={"span": b.span.model_copy(update={"closes": closes})}) for b in plan.blocks
    ]
    return plan.model_copy(update={"blocks": blocks})
