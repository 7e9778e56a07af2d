"""An event loop for simulated nights: time runs at a speed, or jumps.

At a finite speed it is a loop whose waiting is shortened. At infinite speed ("virtual") it jumps to
the next thing due when nothing is ready: a night of ten hours takes seconds, in a fixed order. Either
way time stands still while a job in a thread or a worker process is under way, so that no time-out ever
sees the time that drawing a frame takes, and no timer runs ahead of it.
"""

import asyncio
import math
import selectors
import time
from collections.abc import Callable, Coroutine
from concurrent.futures import Executor
from typing import Any, TypeVar

T = TypeVar("T")


class SimulatedLoop(asyncio.SelectorEventLoop):
    """An asyncio loop on simulated time, starting at 0."""

    def __init__(self, speed: float = math.inf) -> None:
        self._simulated_s = 0.0
        self._jobs = 0
        self._speed = _checked(speed)
        self._skipping = False
        super().__init__(_PacedSelector(self))

    @property
    def speed(self) -> float:
        """Simulated seconds a second; infinite when it jumps."""
        return self._speed

    @speed.setter
    def speed(self, speed: float) -> None:
        self._speed = _checked(speed)

    def skip(self) -> None:
        """Jump until `event_happened` is called, then go on at the speed set."""
        self._skipping = True

    def event_happened(self) -> None:
        """Ends a skip."""
        self._skipping = False

    @property
    def jumps(self) -> bool:
        return self._skipping or math.isinf(self._speed)

    @property
    def job_under_way(self) -> bool:
        return self._jobs > 0

    def time(self) -> float:
        return self._simulated_s

    def run_in_executor(  # type: ignore[override]
        self, executor: Executor | None, func: Callable[..., T], *args: Any
    ) -> asyncio.Future[T]:
        future: asyncio.Future[T] = super().run_in_executor(executor, func, *args)
        self._jobs += 1
        future.add_done_callback(self._job_done)
        return future

    def _job_done(self, _: asyncio.Future[Any]) -> None:
        self._jobs -= 1

    def _pass(self, seconds: float) -> None:
        self._simulated_s += seconds


class _PacedSelector(selectors.DefaultSelector):
    """Where the loop waits, simulated time passes: in step with a shortened wait, or in a jump.

    Only waiting counts. At × 300 a callback that takes 20 ms would else cost six seconds, and fire the
    time-out of a device that did nothing wrong.
    """

    def __init__(self, loop: SimulatedLoop) -> None:
        super().__init__()
        self._loop = loop

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        loop = self._loop
        ready = super().select(0)
        if ready or (timeout is not None and timeout <= 0):
            return ready
        if loop.job_under_way:
            return super().select(None)
        if loop.jumps:
            if timeout is None:
                return super().select(None)
            loop._pass(timeout)
            return []
        began_s = time.monotonic()
        ready = super().select(None if timeout is None else timeout / loop.speed)
        passed = (time.monotonic() - began_s) * loop.speed
        loop._pass(passed if timeout is None else min(passed, timeout))
        return ready


def _checked(speed: float) -> float:
    if not speed > 0:
        raise ValueError(f"a speed of {speed} is not possible: it must be above 0")
    return speed


def simulated_loop() -> SimulatedLoop:
    """The running loop, which must be one of these."""
    loop = asyncio.get_running_loop()
    assert isinstance(loop, SimulatedLoop)
    return loop


def run_virtual(main: Coroutine[Any, Any, T]) -> T:
    """Run a coroutine to its end on a loop of its own that jumps."""
    with asyncio.Runner(loop_factory=SimulatedLoop) as runner:
        return runner.run(main)
