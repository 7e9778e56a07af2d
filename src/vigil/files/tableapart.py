"""Making the sky table in a process of its own: it takes a minute or two, and holds the interpreter."""

from collections.abc import Callable
from multiprocessing import get_context
from multiprocessing.connection import Connection
from pathlib import Path

from vigil.files.skytable import Cancelled, make_table
from vigil.files.starcatalogue import star_catalogue

_LOOK_S = 0.2
_LEAVE_S = 5.0


def make_table_apart(
    cache: Path, progress: Callable[[float], None], stopped: Callable[[], bool] = lambda: False
) -> None:
    """As `make_table`. Raises Cancelled once `stopped` says so, OSError when it can't be written."""
    context = get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=_work, args=(theirs, cache), daemon=True)
    process.start()
    theirs.close()
    try:
        outcome = _listen(ours, progress, stopped)
    finally:
        ours.close()
        process.join(_LEAVE_S)
        if process.is_alive():
            process.kill()
            process.join()
    if outcome is not None:
        raise outcome


def _listen(
    ours: Connection, progress: Callable[[float], None], stopped: Callable[[], bool]
) -> Exception | None:
    """Until the other side is done; its trouble, if any."""
    asked = False
    while True:
        if stopped() and not asked:
            ours.send("stop")
            asked = True
        if not ours.poll(_LOOK_S):
            continue
        try:
            told = ours.recv()
        except EOFError:
            return OSError("the process that made the sky table ended")
        if not isinstance(told, float):
            return told if isinstance(told, Exception) else None
        progress(told)


def _work(theirs: Connection, cache: Path) -> None:
    outcome: Exception | None = None
    try:
        make_table(cache, star_catalogue(), theirs.send, theirs.poll)
    except (OSError, Cancelled) as problem:
        outcome = problem
    theirs.send(outcome)
