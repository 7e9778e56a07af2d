"""The ledger for asyncio: a database on disk in a thread of its own, since a commit may take long."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

from vigil.documents.events import Event
from vigil.ledger.store import LedgerStore

T = TypeVar("T")


class Ledger:
    """Awaitable access; calls are carried out in the order they are made. One in memory, as rehearsals have
    it, waits for nothing and needs no thread."""

    def __init__(self, path: Path | None = None) -> None:
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True)
        self._store = LedgerStore(path)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="ledger") if path is not None else None

    async def _do(self, call: Callable[..., T], *args: Any) -> T:
        if self._thread is None:
            return call(*args)
        return await asyncio.get_running_loop().run_in_executor(self._thread, call, *args)

    async def add(self, event: Event) -> Event:
        """The event with its id, on disk. Raises LedgerError."""
        return await self._do(self._store.add, event)

    async def events(self, night: str, after: int = 0) -> list[Event]:
        return await self._do(self._store.events, night, after)

    async def unfinished(self, rig_id: str) -> str | None:
        return await self._do(self._store.unfinished, rig_id)

    async def next_name(self, rig_id: str, evening: str) -> str:
        return await self._do(self._store.next_name, rig_id, evening)

    async def frames(self, night: str) -> list[dict[str, Any]]:
        return await self._do(self._store.frames, night)

    def close(self) -> None:
        if self._thread is not None:
            self._thread.shutdown(wait=True)
        self._store.close()
