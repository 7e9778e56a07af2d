"""Events of one errand: into the ledger first, then into its state, then to whoever listens."""

import asyncio
import logging
from collections.abc import Callable
from typing import Any, Generic, TypeVar

from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import new_event
from vigil.documents.night import NightState, fold
from vigil.ledger.ledger import Ledger
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)
Listener = Callable[[Event], None]
State = TypeVar("State")


class Recorder(Generic[State]):
    """The one way by which an errand's events come about. `fold` makes the next state of a state and an
    event."""

    def __init__(
        self, errand: str, ledger: Ledger, clock: Clock, state: State, fold: Callable[[State, Event], State]
    ) -> None:
        self.errand = errand
        self.clock = clock
        self._ledger = ledger
        self._fold = fold
        self._listeners: list[Listener] = []
        self._turn = asyncio.Lock()
        self.state = state

    def listen(self, listener: Listener) -> None:
        self._listeners.append(listener)

    def take(self, event: Event) -> None:
        """One that is on record already. Raises NotAllowed, BadValues."""
        self.state = self._fold(self.state, event)

    async def record(self, kind: Kind, values: dict[str, Any], reason: str = "") -> Event:
        """Commit an event; only then is it part of the state and told.

        Raises LedgerError, NotAllowed, and BadValues for what its kind doesn't have."""
        # one at a time, so that the state and the listeners see the ledger's order; begun, it is finished
        return await asyncio.shield(asyncio.ensure_future(self._record(kind, values, reason)))

    async def record_if_possible(self, kind: Kind, values: dict[str, Any], reason: str = "") -> Event | None:
        """For guards, the closing and people: a ledger that can't be written is logged and never stops
        them."""
        try:
            return await self.record(kind, values, reason)
        except Exception:  # whatever it is: shutting and parking go on
            log.exception("%s could not be recorded: %s", kind, reason)
            return None

    async def _record(self, kind: Kind, values: dict[str, Any], reason: str) -> Event:
        async with self._turn:
            event = new_event(self.errand, self.clock.utcnow(), kind, values, reason)
            self._fold(self.state, event)  # one that isn't allowed must not reach the ledger
            event = await self._ledger.add(event)
            self.state = self._fold(self.state, event)
            for listener in tuple(self._listeners):
                try:
                    listener(event)
                except Exception:
                    log.exception("a listener failed and is switched off")
                    self._listeners.remove(listener)
            return event


NightRecorder = Recorder[NightState]


def night_recorder(name: str, ledger: Ledger, clock: Clock, state: NightState | None = None) -> NightRecorder:
    """A night's, new or with what was done of it before."""
    return Recorder(name, ledger, clock, state or NightState(night=name), fold)
