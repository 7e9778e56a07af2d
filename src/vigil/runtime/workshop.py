"""Heavy image work, off the loop's thread.

Detection libraries hold the interpreter lock, so work goes to spawned processes; large arrays pass
through shared memory. On virtual time the work runs in place: the clock stands still meanwhile.
"""

import asyncio
import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from functools import partial
from multiprocessing import shared_memory
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")
_LARGE_BYTES = 1 << 20
GIVES_WAY = 5
"""Niceness of what does image work."""


@dataclass(frozen=True, slots=True)
class _Shared:
    """An array that travels as the name of a shared memory block."""

    name: str
    shape: tuple[int, ...]
    dtype: str


class WorkerDied(RuntimeError):
    """A job's worker process ended without a result, twice."""


class Workshop:
    """Runs functions of modules on arrays and values; with 0 processes, in place. Unless it is `urgent` its
    processes give way to everything that waits for a processor: a guide pulse, the window."""

    def __init__(self, processes: int, urgent: bool = False) -> None:
        self._processes, self._urgent = processes, urgent
        self._pool = self._new_pool() if processes > 0 else None

    @property
    def inline(self) -> bool:
        """Whether it works in place, without processes."""
        return self._processes == 0

    def _new_pool(self) -> ProcessPoolExecutor:
        context = multiprocessing.get_context("spawn")
        niceness = 0 if self._urgent else GIVES_WAY
        return ProcessPoolExecutor(
            self._processes, mp_context=context, initializer=_begin_worker, initargs=(niceness,)
        )

    async def run(self, function: Callable[..., T], *args: Any) -> T:
        """The function's result. Cancelled, the result is dropped; the job itself runs out.

        When a worker dies the pool is made anew and the job tried once more; raises WorkerDied after that.
        """
        if self._pool is None:
            await asyncio.sleep(0)
            return function(*args)
        for _ in range(2):
            pool = self._pool
            try:
                return await self._run_in(pool, function, *args)
            except BrokenProcessPool:
                if self._pool is pool:
                    self._pool = self._new_pool()
        raise WorkerDied(f"a worker process died twice at {function.__name__}: is memory short?")

    async def _run_in(self, pool: ProcessPoolExecutor, function: Callable[..., T], *args: Any) -> T:
        packed, blocks = _pack(args)
        loop = asyncio.get_running_loop()
        future = loop.run_in_executor(pool, partial(_work, function, packed))
        # blocks live until the worker is done with them, also when nobody waits any more
        future.add_done_callback(lambda _: _release(blocks))
        try:
            return _take(await asyncio.shield(future))
        except asyncio.CancelledError:
            future.add_done_callback(_drop_result)
            raise

    def close(self, wait: bool = True) -> None:
        """End the workers once their jobs are done; without waiting for that where time is short."""
        if self._pool is not None:
            self._pool.shutdown(wait=wait, cancel_futures=True)


def _begin_worker(niceness: int) -> None:
    """A worker outlives a killed parent otherwise: it would wait on its queue for ever."""
    os.nice(niceness)

    def watch() -> None:
        parent = multiprocessing.parent_process()
        if parent is not None:
            parent.join()
            os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _work(function: Callable[..., Any], args: tuple[Any, ...]) -> Any:
    attached: list[shared_memory.SharedMemory] = []
    unpacked = []
    for arg in args:
        if isinstance(arg, _Shared):
            block = shared_memory.SharedMemory(arg.name)
            attached.append(block)
            unpacked.append(np.ndarray(arg.shape, arg.dtype, buffer=block.buf))
        else:
            unpacked.append(arg)
    try:
        result = function(*unpacked)
        packed, blocks = _pack((result,))
        for block in blocks:
            block.close()
        return packed[0]
    finally:
        del unpacked
        for block in attached:
            block.close()


def _pack(values: tuple[Any, ...]) -> tuple[tuple[Any, ...], list[shared_memory.SharedMemory]]:
    packed: list[Any] = []
    blocks = []
    for value in values:
        if isinstance(value, np.ndarray) and value.nbytes >= _LARGE_BYTES:
            block = shared_memory.SharedMemory(create=True, size=value.nbytes)
            np.ndarray(value.shape, value.dtype, buffer=block.buf)[...] = value
            packed.append(_Shared(block.name, value.shape, value.dtype.str))
            blocks.append(block)
        else:
            packed.append(value)
    return tuple(packed), blocks


def _take(result: Any) -> Any:
    if not isinstance(result, _Shared):
        return result
    block = shared_memory.SharedMemory(result.name)
    try:
        return np.ndarray(result.shape, result.dtype, buffer=block.buf).copy()
    finally:
        _release([block])


def _release(blocks: list[shared_memory.SharedMemory]) -> None:
    for block in blocks:
        block.close()
        block.unlink()


def _drop_result(future: "asyncio.Future[Any]") -> None:
    if not future.cancelled() and future.exception() is None:
        _take(future.result())
