"""The two sides of the wire."""

from collections.abc import AsyncIterator, Callable, Collection
from typing import Protocol

from vigil.documents.events import Event
from vigil.documents.messages import Answer, Ask, Live, Reports, Resync, Samples, Status

News = Event | Live | Resync | Reports | Samples


class Endpoint(Protocol):
    """What a keeper offers to transports; all of it is called on the keeper's own loop."""

    async def status(self) -> Status: ...

    async def answer(self, ask: Ask) -> Answer: ...

    async def attach(
        self, after: int, tell: Callable[[News], None], streams: Collection[str] = ()
    ) -> Callable[[], None]:
        """Every event of the night, and of the day's other errands, with an id over `after`, then what comes,
        with the samples of the streams that are asked for; returns how to detach."""
        ...


class Link(Protocol):
    """What a client has of a keeper, whatever the transport."""

    async def status(self) -> Status: ...

    async def ask(self, ask: Ask) -> Answer: ...

    def news(self, after: int = 0, streams: Collection[str] = ()) -> AsyncIterator[News]: ...


class KeeperGone(ConnectionError):
    """No keeper answers, or the one that did has died."""
