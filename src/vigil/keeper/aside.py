"""Errands that are set aside for another one, and go on afterwards as they were."""

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable
from typing import Any

from vigil.documents.night import NotAllowed
from vigil.engine.errand import ErrandRefused, PlainErrand
from vigil.keeper.errands import Errands

log = logging.getLogger(__name__)
BeginAgain = Callable[[str, dict[str, Any]], Awaitable[None]]


class Aside:
    """`begin` begins an errand of a kind with what it was asked for with."""

    def __init__(self, errands: Errands, begin: BeginAgain) -> None:
        self._errands, self._begin = errands, begin
        self._waiting: set[asyncio.Task[None]] = set()

    def set_aside(self, kinds: frozenset[str], for_what: str) -> list[PlainErrand]:
        """Stop those that are under way; returns them."""
        found = [
            errand
            for errand in self._errands.under_way()
            if isinstance(errand, PlainErrand) and errand.KIND in kinds
        ]
        for errand in found:
            errand.stop(f"{for_what}; it goes on afterwards")
        return found

    def go_on_after(self, errand: PlainErrand, aside: list[PlainErrand]) -> None:
        """Begin them again once an errand is over, however that ends."""
        if aside:
            task = asyncio.ensure_future(self._go_on(errand, aside))
            self._waiting.add(task)
            task.add_done_callback(self._waiting.discard)

    def forget(self) -> None:
        """The keeper leaves: nothing goes on."""
        for task in self._waiting:
            task.cancel()

    async def _go_on(self, errand: PlainErrand, aside: list[PlainErrand]) -> None:
        await self._errands.until_over(errand)
        for before in aside:
            with contextlib.suppress(ErrandRefused, NotAllowed):
                await self._begin(before.KIND, dict(before.given))
