"""What an errand asks a person: on record when it is asked and when it is answered."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from datetime import datetime, timedelta
from typing import Any

from vigil.documents.events import Event, Kind
from vigil.documents.night import NotAllowed
from vigil.runtime.clock import Clock

Record = Callable[[Kind, dict[str, Any], str], Awaitable[Event | None]]


def nobody_asks(clock: Clock) -> "Questions":
    """Where nothing is on record, and nobody is there to answer."""

    async def nothing(kind: Kind, values: dict[str, Any], reason: str) -> None:
        return None

    return Questions(nothing, clock)


class AskedQuestion:
    """One that stands open. `answer` is None until somebody has spoken."""

    def __init__(self, number: int, words: str, answers: tuple[str, ...], clock: Clock) -> None:
        self.number, self.words, self.answers = number, words, answers
        self.answer: str | None = None
        self._clock = clock
        self._answered = asyncio.Event()

    def take(self, answer: str) -> None:
        self.answer = answer
        self._answered.set()

    async def wait(self, until: datetime) -> str | None:
        """The answer, or None when nobody has given one by then."""
        seconds = max(0.0, (until - self._clock.utcnow()).total_seconds())
        try:
            async with asyncio.timeout(seconds):
                await self._answered.wait()
        except TimeoutError:
            pass
        return self.answer


class Questions:
    """Those of one errand."""

    def __init__(self, record: Record, clock: Clock) -> None:
        self._record, self._clock = record, clock
        self._open: dict[int, AskedQuestion] = {}
        self._last = 0

    @asynccontextmanager
    async def ask(
        self, words: str, answers: tuple[str, ...], wait: timedelta, otherwise: str
    ) -> AsyncIterator[AskedQuestion]:
        """A question that stands open for the length of the block. `otherwise` says what follows when nobody
        answers within `wait`; waiting for it is the caller's."""
        until = self._clock.utcnow() + wait
        self._last += 1
        question = AskedQuestion(self._last, words, answers, self._clock)
        values = {"question": question.number, "words": words, "answers": list(answers)}
        await self._record(
            Kind.QUESTION_ASKED, {**values, "until": until.isoformat(), "otherwise": otherwise}, words
        )
        self._open[question.number] = question
        try:
            yield question
        finally:
            del self._open[question.number]
            given = question.answer
            said = f"{words}: {given}" if given is not None else f"{words}: nobody has answered"
            await self._record(
                Kind.QUESTION_ANSWERED, {"question": question.number, "answer": given or ""}, said
            )

    def answer(self, answer: str = "", number: int | None = None) -> str:
        """A person's word: to the one that stands open, or to one of them; without a word its first answer.
        Raises NotAllowed."""
        waiting = [q for q in self._open.values() if q.answer is None and number in (None, q.number)]
        if not waiting:
            raise NotAllowed("nothing is asked")
        if len(waiting) > 1:
            numbers = ", ".join(str(q.number) for q in waiting)
            raise NotAllowed(f"more than one question is open: say which one of {numbers}")
        question = waiting[0]
        found = [a for a in question.answers if a.casefold().startswith(answer.casefold())]
        if not found:
            raise NotAllowed(f"{answer!r} is no answer to that; there is {', '.join(question.answers)}")
        question.take(found[0])
        return f"{question.words}: {found[0]}"
