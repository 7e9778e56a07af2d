"""Who may use which device: claims are taken all at once, so that nobody waits holding half."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from vigil.documents.rig import PART_OF_DEVICE

RESOURCES = frozenset({*PART_OF_DEVICE, "cooler"})
"""What can be claimed. The cooler is apart from the camera: it works on while frames are taken."""


class Arbiter:
    """Grants sets of devices to one holder at a time."""

    def __init__(self) -> None:
        self._holders: dict[str, str] = {}
        self._freed = asyncio.Condition()

    def holder(self, resource: str) -> str | None:
        """Who has a device now."""
        return self._holders.get(resource)

    def taken(self, resources: frozenset[str]) -> str | None:
        """Who has one of these devices now."""
        return next((self._holders[r] for r in sorted(resources) if r in self._holders), None)

    @asynccontextmanager
    async def claim(self, resources: frozenset[str], who: str) -> AsyncIterator[None]:
        """Hold devices for the length of a block; waits until all are free."""
        unknown = resources - RESOURCES
        if unknown:
            raise ValueError(f"there is nothing called {', '.join(sorted(unknown))} to claim")
        async with self._freed:
            await self._freed.wait_for(lambda: not resources & self._holders.keys())
            self._holders.update(dict.fromkeys(resources, who))
        try:
            yield
        finally:
            # no await before the release: a cancelled holder must still give back
            for resource in resources:
                del self._holders[resource]
            await asyncio.shield(self._tell())

    async def _tell(self) -> None:
        async with self._freed:
            self._freed.notify_all()
