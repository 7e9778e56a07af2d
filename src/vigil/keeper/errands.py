"""The errands that are under way: begun, found, stopped, told of; and those that a dead keeper left."""

import asyncio
import contextlib
import logging
from collections.abc import Callable, Coroutine
from typing import Any

from vigil.documents.errands import NIGHT, Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import BadValues
from vigil.documents.messages import ErrandReport, OpenQuestion
from vigil.documents.rig import Rig
from vigil.engine.errand import Errand, ErrandRecorder, PlainErrand, errand_recorder, evening_of
from vigil.engine.errands import kinds
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import ErrandRow, LedgerError
from vigil.runtime.clock import Clock

log = logging.getLogger(__name__)
_NAME_LIMIT_S = 2.0


class NoErrand(ValueError):
    """No errand is called so; the message says which there are."""


class Errands:
    """Several at once. `tell` gets every event of theirs."""

    def __init__(
        self, rig: Callable[[], Rig], ledger: Ledger, clock: Clock, tell: Callable[[Event], None]
    ) -> None:
        self._rig, self._ledger, self._clock, self._tell = rig, ledger, clock, tell
        self._under_way: dict[str, tuple[Errand, asyncio.Task[None]]] = {}
        self._numbers: dict[tuple[str, str], int] = {}
        self._naming = asyncio.Lock()

    def under_way(self) -> list[Errand]:
        """In the order in which they were begun."""
        return [errand for errand, _ in self._under_way.values() if not errand.over]

    # -- beginning ----------------------------------------------------------------------------------

    async def name(self, kind: str) -> str:
        """An id for a new errand: EVENING-RIG-KIND-NUMBER, of a night EVENING-RIG-NUMBER."""
        rig = self._rig()
        evening = evening_of(rig, self._clock.utcnow())
        async with self._naming:
            key = evening, kind
            if key not in self._numbers:
                self._numbers[key] = await self._ledger.next_number(rig.id, evening, kind)
            number = self._numbers[key]
            self._numbers[key] += 1
        word = "" if kind == NIGHT else f"{kind.replace(' ', '-')}-"
        return f"{evening}-{rig.id}-{word}{number}"

    async def recorder(self, kind: str) -> ErrandRecorder:
        """Of a new errand of any kind but a night."""
        try:
            async with asyncio.timeout(_NAME_LIMIT_S):
                name = await self.name(kind)
        except (LedgerError, TimeoutError):  # what must be done is done though nothing can be written
            log.exception("the ledger can't be asked for a name")
            name = f"{self._clock.utcnow():%Y-%m-%dT%H%M%S}-{self._rig().id}-{kind.replace(' ', '-')}"
        recorder = errand_recorder(name, self._ledger, self._clock)
        recorder.listen(self._tell)
        return recorder

    async def begin(self, errand: PlainErrand) -> None:
        """Start it; returns once its beginning is on record, or it has failed before."""
        self.start(errand, errand.run())
        await errand.begun.wait()

    def start(self, errand: Errand, run: Coroutine[Any, Any, None]) -> "asyncio.Task[None]":
        """Carry an errand out by `run`; it is under way until that returns."""
        task = asyncio.ensure_future(run)
        self._under_way[errand.id] = errand, task
        task.add_done_callback(lambda done: self._over(errand, done))
        return task

    def _over(self, errand: Errand, task: "asyncio.Task[None]") -> None:
        self._under_way.pop(errand.id, None)
        if not task.cancelled() and (problem := task.exception()) is not None:
            log.error("%s failed", errand.id, exc_info=problem)

    # -- asking -------------------------------------------------------------------------------------

    def find(self, wanted: str) -> Errand:
        """By its id or the end of it, its kind or words; without any the only one that is no night, which
        nobody ends by a word left out. Raises NoErrand."""
        running = [e for e in self.under_way() if wanted or e.KIND != NIGHT]
        small = wanted.casefold()
        found = [e for e in running if e.id == wanted] or [
            e
            for e in running
            if not small or e.id.casefold().endswith(f"-{small}") or small in (e.KIND, e.words.casefold())
        ]
        if len(found) == 1:
            return found[0]
        there = "; ".join(f"{e.id} ({e.words})" for e in (found or running)) or "none"
        if found:
            raise NoErrand(f"several are meant by {wanted!r}: {there}" if wanted else f"say which: {there}")
        if wanted and running:
            raise NoErrand(f"nothing under way is called {wanted!r}; there is {there}")
        beside = " beside the night" if self.under_way() else ""
        raise NoErrand(f"nothing is under way{beside}")

    def reports(self) -> list[ErrandReport]:
        """How each stands, for clients."""
        return [
            ErrandReport(
                id=errand.id,
                kind=errand.KIND,
                words=errand.words,
                because=errand.because,
                began=errand.began,
                claims=sorted(errand.claims),
                questions=[
                    OpenQuestion(
                        number=q.number,
                        words=q.words,
                        answers=list(q.answers),
                        until=q.until,
                        otherwise=q.otherwise,
                    )
                    for q in errand.open_questions.values()
                ],
            )
            for errand in self.under_way()
        ]

    # -- ending -------------------------------------------------------------------------------------

    def stop_all_but_nights(self, why: str) -> None:
        for errand in self.under_way():
            if errand.KIND != NIGHT:
                errand.stop(why)

    async def until_over(self, errand: Errand) -> None:
        """Whatever it ends with."""
        found = self._under_way.get(errand.id)
        if found is not None:
            await asyncio.wait({found[1]})

    async def until_nights_are_over(self) -> None:
        """Also those that are begun meanwhile."""
        while tasks := [task for errand, task in self._under_way.values() if errand.KIND == NIGHT]:
            await asyncio.wait(tasks)

    async def leave(self, why: str) -> None:
        """No errand outlives the keeper: each is stopped, and waited for; a night closes first."""
        for errand, task in tuple(self._under_way.values()):
            if errand.KIND == NIGHT:
                task.cancel()
            else:
                errand.stop(why)
        tasks = [task for _, task in self._under_way.values()]
        await asyncio.gather(*tasks, return_exceptions=True)

    # -- after a crash ------------------------------------------------------------------------------

    async def cut_off(self, left: ErrandRow) -> tuple[str, dict[str, Any]] | None:
        """Put on record that a dead keeper had this under way: it is over now. Returns what goes on in its
        place: its kind, and what that is begun with."""
        recorder = errand_recorder(left.errand, self._ledger, self._clock)
        events = await self._ledger.events(left.errand)
        for event in events:
            with contextlib.suppress(BadValues):  # it is over all the same
                recorder.take(event)
        recorder.listen(self._tell)
        await recorder.record_if_possible(
            Kind.ERRAND_ENDED,
            {"outcome": Outcome.CUT_OFF.value},
            f"{left.words}: cut off, the keeper was gone",
        )
        kind = kinds().get(left.kind)
        if kind is None or not kind.RESUMES:
            return None
        return left.kind, kind.goes_on(dict(recorder.state.given), events)
