"""Work over a tenth of a second, off the window's thread: newest of a kind wins, results come as signals."""

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal


class Jobs(QObject):
    """A few threads. A newer job of the same `kind` makes the older one's result unwanted."""

    _done = pyqtSignal(object, object, object)

    def __init__(self, threads: int = 2) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="window job")
        self._newest: dict[str, Future[Any]] = {}
        self.stopped = False
        self._done.connect(self._deliver)

    def run(
        self,
        kind: str,
        work: Callable[[], Any],
        then: Callable[[Any], None],
        otherwise: Callable[[Exception], None],
    ) -> None:
        """Call `then` with the result, or `otherwise` with what went wrong, in the window's thread."""
        if self.stopped:
            return
        older = self._newest.get(kind)
        if older is not None:
            older.cancel()
        future = self._pool.submit(work)
        self._newest[kind] = future
        future.add_done_callback(lambda f: self._done.emit(kind, f, (then, otherwise)))

    def busy(self, kind: str) -> bool:
        return kind in self._newest

    @property
    def busy_at_all(self) -> bool:
        return bool(self._newest)

    def _deliver(self, kind: str, future: "Future[Any]", ways: Any) -> None:
        if self._newest.get(kind) is not future or future.cancelled():
            return
        del self._newest[kind]
        then, otherwise = ways
        problem = future.exception()
        if problem is None:
            then(future.result())
        elif isinstance(problem, Exception):
            otherwise(problem)

    def stop(self) -> None:
        """The window goes: nothing more is begun."""
        self.stopped = True
        self._newest.clear()
        self._pool.shutdown(wait=False, cancel_futures=True)
