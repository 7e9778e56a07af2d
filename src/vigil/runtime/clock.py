"""The one clock. Vigil's code cannot tell which kind it has."""

import asyncio
from datetime import UTC, datetime, timedelta
from typing import Protocol


class Clock(Protocol):
    """What time it is, and waiting. All waiting goes through the running loop's time."""

    def utcnow(self) -> datetime: ...

    async def sleep(self, seconds: float) -> None: ...


class RealClock:
    """The computer's own time."""

    def utcnow(self) -> datetime:
        return datetime.now(UTC)

    async def sleep(self, seconds: float) -> None:
        await asyncio.sleep(max(0.0, seconds))


class ScenarioClock:
    """A made-up date that runs as the event loop's time runs: in seconds, or in jumps on a virtual loop.

    To be made inside the running loop.
    """

    def __init__(self, start: datetime) -> None:
        self._start = start
        self._loop = asyncio.get_running_loop()
        self._origin_s = self._loop.time()

    def utcnow(self) -> datetime:
        return self._start + timedelta(seconds=self._loop.time() - self._origin_s)

    async def sleep(self, seconds: float) -> None:
        await asyncio.sleep(max(0.0, seconds))
