"""The ledger for asyncio: a database on disk in a thread of its own, since a commit may take long."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

from vigil.documents.events import Event
from vigil.ledger.samples import SampleWriter
from vigil.ledger.store import ErrandRow, LedgerStore

T = TypeVar("T")


class Ledger:
    """Awaitable access; calls are carried out in the order they are made. One in memory, as rehearsals have
    it, waits for nothing and needs no thread."""

    def __init__(self, path: Path | None = None) -> None:
        if path is not None:
            path.parent.mkdir(parents=True, exist_ok=True)
        self._store = LedgerStore(path)
        self.samples = SampleWriter(path)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="ledger") if path is not None else None

    async def _do(self, call: Callable[..., T], *args: Any) -> T:
        if self._thread is None:
            return call(*args)
        return await asyncio.get_running_loop().run_in_executor(self._thread, call, *args)

    async def add(self, event: Event) -> Event:
        """The event with its id, on disk. Raises LedgerError."""
        return await self._do(self._store.add, event)

    async def events(self, errand: str, after: int = 0) -> list[Event]:
        return await self._do(self._store.events, errand, after)

    async def last_id(self) -> int:
        """Of the last event of all."""
        return await self._do(self._store.last_id)

    async def told(
        self, rig_id: str, night: str, between: tuple[datetime, datetime], after: int = 0
    ) -> list[Event]:
        """See LedgerStore.told."""
        return await self._do(self._store.told, rig_id, night, between, after)

    async def errands(self, rig_id: str) -> list[ErrandRow]:
        return await self._do(self._store.errands, rig_id)

    async def unfinished(self, rig_id: str) -> list[ErrandRow]:
        return await self._do(self._store.unfinished, rig_id)

    async def next_number(self, rig_id: str, evening: str, kind: str) -> int:
        return await self._do(self._store.next_number, rig_id, evening, kind)

    async def frames(self, errand: str) -> list[dict[str, Any]]:
        return await self._do(self._store.frames, errand)

    def close(self) -> None:
        self.samples.close()
        if self._thread is not None:
            self._thread.shutdown(wait=True)
        self._store.close()
