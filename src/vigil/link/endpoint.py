"""The two sides of the wire."""

from collections.abc import AsyncIterator, Callable
from typing import Protocol

from vigil.documents.events import Event
from vigil.documents.messages import Answer, Ask, Deed, Live, Reports, Resync, Status

News = Event | Live | Resync | Reports | Deed


class Endpoint(Protocol):
    """What a keeper offers to transports; all of it is called on the keeper's own loop."""

    async def status(self) -> Status: ...

    async def answer(self, ask: Ask) -> Answer: ...

    async def attach(self, after: int, tell: Callable[[News], None]) -> Callable[[], None]:
        """Every event of the night with an id over `after`, then what comes; returns how to detach."""
        ...


class Link(Protocol):
    """What a client has of a keeper, whatever the transport."""

    async def status(self) -> Status: ...

    async def ask(self, ask: Ask) -> Answer: ...

    def news(self, after: int = 0) -> AsyncIterator[News]: ...


class KeeperGone(ConnectionError):
    """No keeper answers, or the one that did has died."""
