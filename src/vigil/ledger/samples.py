"""Streams: what comes too often for events, as a guider's corrections.

Batches go into a table of their own over a connection of their own, so that no event ever waits for them.
The last seconds may be lost to a crash.
"""

import asyncio
import json
import logging
import sqlite3
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

log = logging.getLogger(__name__)
_BATCH_ROWS = 200
_BATCH_S = 2.0
_ADD = "INSERT INTO samples (errand, stream, at, body) VALUES (?, ?, ?, ?)"
Row = tuple[str, str, str, str]


class SampleWriter:
    """Collects samples, and writes them now and then. Not for rehearsals: a ledger in memory keeps none."""

    def __init__(self, ledger: Path | None) -> None:
        """The ledger must exist: its events are what samples belong to."""
        self._ledger = ledger
        self._waiting: list[Row] = []
        self._due: asyncio.TimerHandle | None = None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="samples") if ledger is not None else None

    def add(self, errand: str, stream: str, at: datetime, values: Mapping[str, Any]) -> None:
        """Takes no time; `values` are numbers and short texts."""
        if self._thread is None:
            return
        moment = at.astimezone(UTC).isoformat()
        self._waiting.append((errand, stream, moment, json.dumps(values, ensure_ascii=False)))
        if len(self._waiting) >= _BATCH_ROWS:
            self.flush()
        elif self._due is None:
            self._due = asyncio.get_running_loop().call_later(_BATCH_S, self.flush)

    def flush(self) -> None:
        """Send what has come to the disk; that is not waited for."""
        if self._due is not None:
            self._due.cancel()
            self._due = None
        if self._waiting and self._thread is not None:
            rows, self._waiting = self._waiting, []
            self._thread.submit(self._write, rows)

    def close(self) -> None:
        """All of it is on disk afterwards."""
        self.flush()
        if self._thread is not None:
            self._thread.shutdown(wait=True)

    def _write(self, rows: list[Row]) -> None:
        assert self._ledger is not None
        try:
            with closing(sqlite3.connect(self._ledger, timeout=30, isolation_level=None)) as base:
                # events are what must not be lost, and have a connection that waits for the disk
                base.execute("PRAGMA synchronous = NORMAL")
                base.execute("BEGIN IMMEDIATE")
                base.executemany(_ADD, rows)
                base.execute("COMMIT")
        except sqlite3.Error:
            log.exception("%d samples could not be written", len(rows))


def samples_of(ledger: Path, errand: str, stream: str) -> list[tuple[datetime, dict[str, Any]]]:
    """A stream's samples in order; none when there is no ledger. Raises sqlite3.Error."""
    if not ledger.is_file():
        return []
    with closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True, timeout=2)) as base:
        rows = base.execute(
            "SELECT at, body FROM samples WHERE errand = ? AND stream = ? ORDER BY rowid", (errand, stream)
        )
        return [(datetime.fromisoformat(at), json.loads(body)) for at, body in rows]


@dataclass(frozen=True, slots=True)
class KeptStream:
    """What there is of a stream: of which errand, of what kind, since when, how much."""

    errand: str
    kind: str
    began: datetime
    samples: int


def kept_streams(ledger: Path, rig_id: str, stream: str, most: int = 20) -> list[KeptStream]:
    """A rig's latest errands that have a stream, the newest first; none when there is no ledger. Raises
    sqlite3.Error."""
    if not ledger.is_file():
        return []
    with closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True, timeout=2)) as base:
        rows = base.execute(
            "SELECT errand, kind, began_at, (SELECT count(*) FROM samples "
            "WHERE samples.errand = errands.errand AND stream = ?) AS many FROM errands "
            "WHERE rig = ? AND many > 0 ORDER BY rowid DESC LIMIT ?",
            (stream, rig_id, most),
        )
        return [KeptStream(name, kind, datetime.fromisoformat(at), many) for name, kind, at, many in rows]
