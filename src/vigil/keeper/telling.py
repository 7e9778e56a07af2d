"""What the keeper tells: events, samples and values of the moment, to clients and to whoever listens here."""

import logging
from collections.abc import Awaitable, Callable, Collection, Sequence
from dataclasses import dataclass
from typing import Any

from vigil.documents.events import Event
from vigil.documents.messages import DeviceReport, Live, Reports, Sample, Samples
from vigil.engine.errand import Errand
from vigil.ledger.samples import SampleWriter
from vigil.link.endpoint import News
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, eq=False)
class Client:
    """Who listens, and to which streams."""

    forward: Callable[[News], None]
    streams: frozenset[str]


class Telling:
    """`samples` keeps what clients may miss."""

    def __init__(self, clock: Clock, samples: SampleWriter) -> None:
        self._clock, self._samples = clock, samples
        self._clients: list[Client] = []
        self._listeners: list[Callable[[Event], None]] = []
        self._told_reports: list[DeviceReport] = []
        self.last_id = 0
        """Of the last event on record."""

    def listen(self, listener: Callable[[Event], None]) -> None:
        """Every event from now on, in this process and at once; one that raises is switched off."""
        self._listeners.append(listener)

    async def attach(
        self,
        after: int,
        tell: Callable[[News], None],
        streams: Collection[str],
        before: Callable[[], Awaitable[Sequence[Event]]],
    ) -> Callable[[], None]:
        """Tell what was `before`, and then everything; returns how to detach."""
        # listen first, read then: what happens in between is told once, in order
        waiting: list[News] | None = []
        seen = after

        def forward(news: News) -> None:
            if waiting is not None:
                waiting.append(news)
            elif not isinstance(news, Event) or news.id > seen:
                tell(news)

        client = Client(forward, frozenset(streams))
        self._clients.append(client)
        for event in await before():
            tell(event)
            seen = event.id
        backlog, waiting = waiting, None
        for news in backlog or ():
            forward(news)

        def detach() -> None:
            if client in self._clients:
                self._clients.remove(client)

        return detach

    def event(self, event: Event) -> None:
        """One that is on record."""
        self.last_id = event.id
        self._send(event)
        for listener in tuple(self._listeners):
            try:
                listener(event)
            except Exception:
                log.exception("a listener failed and is switched off")
                self._listeners.remove(listener)

    def sample(self, errand: str, stream: str, values: dict[str, Any]) -> None:
        """To disk, and to those who listen to the stream."""
        now = self._clock.utcnow()
        self._samples.add(errand, stream, now, values)
        news = Samples(errand=errand, stream=stream, rows=[Sample(at=now, values=values)])
        for client in tuple(self._clients):
            if stream in client.streams:
                client.forward(news)

    def reports(self, reports: list[DeviceReport]) -> None:
        """How the devices are, where that has changed."""
        if reports != self._told_reports:
            self._told_reports = reports
            self._send(Reports(at=self._clock.utcnow(), devices=reports))

    def live(self, errands: Sequence[Errand]) -> None:
        """How far each is that tells of progress."""
        for errand in errands:
            progress = errand.progress
            if progress.topic:
                self._send(
                    Live(
                        errand=errand.id,
                        at=self._clock.utcnow(),
                        topic=progress.topic,
                        words=progress.words,
                        initial=progress.initial,
                        current=progress.current,
                        target=progress.target,
                        unit=progress.unit,
                    )
                )

    def _send(self, news: News) -> None:
        for client in tuple(self._clients):
            client.forward(news)
