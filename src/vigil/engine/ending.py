"""Work that must not be cut short."""

import asyncio
from collections.abc import Coroutine
from typing import Any, TypeVar

T = TypeVar("T")


async def to_the_end(work: Coroutine[Any, Any, T]) -> T:
    """Wait for `work` however often the waiting is cancelled; the cancellation is passed on afterwards."""
    task = asyncio.ensure_future(work)
    cancelled = False
    while not task.done():
        try:
            await asyncio.wait({task})
        except asyncio.CancelledError:
            cancelled = True
    if cancelled and not task.cancelled() and task.exception() is None:
        raise asyncio.CancelledError
    return task.result()
