"""Guards that are always on."""

import asyncio
import logging
from collections.abc import Callable
from typing import Any

from vigil.engine.guards.guards import Guards

log = logging.getLogger(__name__)


class Guarding:
    """Keeps the guards looking, and begins them anew should they ever end. Where time jumps (`rests`) they
    look only while something is under way: nobody could follow, and time would never stand still."""

    def __init__(self, guards: Guards, rests: Callable[[], bool]) -> None:
        self._guards, self._rests = guards, rests
        self._busy, self._idle = asyncio.Event(), asyncio.Event()
        self._idle.set()

    def under_way(self, yes: bool) -> None:
        """Whether something is."""
        for event, wanted in ((self._busy, yes), (self._idle, not yes)):
            (event.set if wanted else event.clear)()

    async def keep_on(self) -> None:
        """Until cancelled."""
        while True:
            rests = self._rests()
            if rests:
                await self._busy.wait()
            guards: asyncio.Task[Any] = asyncio.ensure_future(self._guards.keep_on())
            tasks = {guards}
            if rests:
                tasks.add(asyncio.ensure_future(self._idle.wait()))
            try:
                await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
            finally:
                for task in tasks:
                    task.cancel()
            if guards.done() and not guards.cancelled() and guards.exception() is not None:
                log.error("the guards had failed and begin anew", exc_info=guards.exception())
