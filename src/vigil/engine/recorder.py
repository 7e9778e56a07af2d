"""Events: into the ledger first, then into the state, then to whoever listens."""

import asyncio
import logging
from collections.abc import Callable
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.night import NightState, fold
from vigil.ledger.ledger import Ledger
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)
Listener = Callable[[Event], None]


class Recorder:
    """The one way by which events come about."""

    def __init__(self, ledger: Ledger, clock: Clock, state: NightState) -> None:
        self._ledger = ledger
        self._clock = clock
        self._listeners: list[Listener] = []
        self._turn = asyncio.Lock()
        self.state = state

    def listen(self, listener: Listener) -> None:
        self._listeners.append(listener)

    async def record(self, kind: Kind, values: dict[str, Any], reason: str = "") -> Event:
        """Commit an event; only then is it part of the state and told. Raises LedgerError, NotAllowed."""
        # one at a time, so that the state and the listeners see the ledger's order; begun, it is finished
        return await asyncio.shield(asyncio.ensure_future(self._record(kind, values, reason)))

    async def record_if_possible(self, kind: Kind, values: dict[str, Any], reason: str = "") -> None:
        """For guards and the closing: a ledger that can't be written is logged and never stops it."""
        try:
            await self.record(kind, values, reason)
        except Exception:  # whatever it is: shutting and parking go on
            log.exception("%s could not be recorded: %s", kind, reason)

    async def _record(self, kind: Kind, values: dict[str, Any], reason: str) -> Event:
        async with self._turn:
            event = Event(
                night=self.state.night, at=self._clock.utcnow(), kind=kind, values=values, reason=reason
            )
            fold(self.state, event)  # a transition that isn't allowed must not reach the ledger
            event = await self._ledger.add(event)
            self.state = fold(self.state, event)
            for listener in tuple(self._listeners):
                try:
                    listener(event)
                except Exception:
                    log.exception("a listener failed and is switched off")
                    self._listeners.remove(listener)
            return event
