"""The SQLite database itself; every call commits before it returns."""

import fcntl
import json
import logging
import os
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC
from pathlib import Path
from typing import Any

from vigil.documents.events import Event, Kind

log = logging.getLogger(__name__)
_SCHEMA = 2
_EVENTS = """
CREATE TABLE events (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    night TEXT NOT NULL,
    at TEXT NOT NULL,
    kind TEXT NOT NULL,
    body TEXT NOT NULL,
    reason TEXT NOT NULL
);
CREATE INDEX events_of_night ON events (night, id);
"""
_DERIVED = """
DROP TABLE IF EXISTS frames;
DROP TABLE IF EXISTS nights;
CREATE TABLE nights (
    night TEXT PRIMARY KEY,
    rig TEXT NOT NULL,
    evening TEXT NOT NULL,
    started_at TEXT NOT NULL,
    over_at TEXT
);
CREATE TABLE frames (
    frame_id TEXT PRIMARY KEY,
    night TEXT NOT NULL REFERENCES nights (night),
    path TEXT NOT NULL,
    kind TEXT NOT NULL,
    block TEXT NOT NULL,
    line TEXT NOT NULL,
    target TEXT NOT NULL,
    filter TEXT,
    exposure_s REAL NOT NULL,
    started_at TEXT NOT NULL,
    temperature_c REAL,
    focus_position INTEGER,
    hfr_px REAL,
    fwhm_px REAL,
    elongation REAL,
    stars INTEGER,
    background_adu REAL,
    noise_adu REAL,
    saturated INTEGER,
    doubtful TEXT,
    verdict TEXT
);
"""
"""Made of the events, and made anew of them for a new schema: that is all the migration there is."""
_SAVED = (
    "frame_id", "path", "kind", "block", "line", "target", "filter",
    "exposure_s", "started_at", "temperature_c", "focus_position", "doubtful",
)  # fmt: skip
_MEASURED = ("hfr_px", "fwhm_px", "elongation", "stars", "background_adu", "noise_adu", "saturated")


class LedgerError(RuntimeError):
    """The ledger can't be opened or written; the message says which file and why."""


@contextmanager
def _alone(path: Path | None) -> Iterator[None]:
    """Keeper and window may open a new ledger at the same moment, and SQLite's own wait doesn't cover the
    change to WAL: its folder is locked meanwhile, by the kernel, so a dead process holds nothing."""
    if path is None:
        yield
        return
    folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(folder, fcntl.LOCK_EX)
        yield
    finally:
        os.close(folder)


class LedgerStore:
    """One connection; to be used from one thread at a time. Path None keeps it in memory."""

    def __init__(self, path: Path | None) -> None:
        name = ":memory:" if path is None else str(path)
        try:
            self._db = sqlite3.connect(name, check_same_thread=False, isolation_level=None)
            self._db.execute("PRAGMA busy_timeout = 30000")
            with _alone(path):
                self._db.execute("PRAGMA journal_mode = WAL")
                self._prepare(name)
            self._db.execute("PRAGMA synchronous = FULL")
        except (OSError, sqlite3.DatabaseError) as problem:
            raise LedgerError(f"{name}: the ledger can't be opened ({problem})") from None

    def _prepare(self, name: str) -> None:
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        if version == 0:
            self._db.executescript(f"BEGIN; {_EVENTS} {_DERIVED} PRAGMA user_version = {_SCHEMA}; COMMIT;")
        elif 0 < version < _SCHEMA:
            self._rebuild()
        elif version != _SCHEMA:
            raise LedgerError(f"{name}: ledger of schema {version}; this Vigil knows schema {_SCHEMA}")

    def _rebuild(self) -> None:
        """Derive everything anew from the events, which stay as they are; whole or not at all."""
        self._db.execute("BEGIN IMMEDIATE")
        try:
            for statement in filter(None, map(str.strip, _DERIVED.split(";"))):
                self._db.execute(statement)
            rows = self._db.execute("SELECT id, night, at, kind, body, reason FROM events ORDER BY id")
            for row in rows.fetchall():
                try:
                    self._derive(_event(row), row[2])
                except (ValueError, KeyError):
                    log.error("event %s can't be read and is passed over", row[0])
            self._db.execute(f"PRAGMA user_version = {_SCHEMA}")
            self._db.execute("COMMIT")
        except BaseException:
            self._db.execute("ROLLBACK")
            raise

    def add(self, event: Event) -> Event:
        """Store an event, and what it says of nights and frames, in one transaction; gives it its id."""
        at = event.at.astimezone(UTC).isoformat()
        try:
            self._db.execute("BEGIN IMMEDIATE")
            cursor = self._db.execute(
                "INSERT INTO events (night, at, kind, body, reason) VALUES (?, ?, ?, ?, ?)",
                (
                    event.night,
                    at,
                    event.kind.value,
                    json.dumps(event.values, ensure_ascii=False),
                    event.reason,
                ),
            )
            self._derive(event, at)
            self._db.execute("COMMIT")
        except sqlite3.DatabaseError as problem:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise LedgerError(f"the ledger could not take {event.kind} ({problem})") from problem
        return event.model_copy(update={"id": cursor.lastrowid})

    def _derive(self, event: Event, at: str) -> None:
        values = event.values
        if event.kind is Kind.NIGHT_STARTED:
            self._db.execute(
                "INSERT INTO nights (night, rig, evening, started_at) VALUES (?, ?, ?, ?)",
                (event.night, values["rig_id"], values["evening"], at),
            )
        elif event.kind is Kind.NIGHT_OVER:
            self._db.execute("UPDATE nights SET over_at = ? WHERE night = ?", (at, event.night))
        elif event.kind is Kind.FRAME_SAVED:
            self._db.execute(
                f"INSERT INTO frames (night, {', '.join(_SAVED)}) VALUES (?{', ?' * len(_SAVED)})",
                (event.night, *(values.get(name) for name in _SAVED)),
            )
        elif event.kind is Kind.FRAME_MEASURED:
            self._db.execute(
                f"UPDATE frames SET {', '.join(f'{name} = ?' for name in _MEASURED)}, "
                "doubtful = coalesce(?, doubtful) WHERE frame_id = ?",
                (*(values[name] for name in _MEASURED), values.get("doubtful"), values["frame_id"]),
            )
        elif event.kind is Kind.FRAME_JUDGED:
            self._db.execute(
                "UPDATE frames SET verdict = ? WHERE frame_id = ?", (values["verdict"], values["frame_id"])
            )

    def events(self, night: str, after: int = 0) -> list[Event]:
        """A night's events in order, those after an id."""
        rows = self._db.execute(
            "SELECT id, night, at, kind, body, reason FROM events WHERE night = ? AND id > ? ORDER BY id",
            (night, after),
        )
        found = []
        for row in rows:
            try:
                found.append(_event(row))
            except ValueError:  # of a kind that a newer Vigil knows, or damaged: the others are worth having
                log.error("event %s of %s can't be read and is passed over", row[0], night)
        return found

    def unfinished(self, rig_id: str) -> str | None:
        """The latest night of a rig if it isn't over."""
        row = self._db.execute(
            "SELECT night, over_at FROM nights WHERE rig = ? ORDER BY rowid DESC LIMIT 1", (rig_id,)
        ).fetchone()
        return row[0] if row and row[1] is None else None

    def last_night(self, rig_id: str) -> str | None:
        """The latest night of a rig, over or not."""
        row = self._db.execute(
            "SELECT night FROM nights WHERE rig = ? ORDER BY rowid DESC LIMIT 1", (rig_id,)
        ).fetchone()
        return row[0] if row else None

    def next_name(self, rig_id: str, evening: str) -> str:
        """A name for a new night: EVENING-RIG-NUMBER."""
        count = self._db.execute(
            "SELECT COUNT(*) FROM nights WHERE rig = ? AND evening = ?", (rig_id, evening)
        ).fetchone()[0]
        return f"{evening}-{rig_id}-{count + 1}"

    def frames(self, night: str) -> list[dict[str, Any]]:
        """A night's frames with their figures, in order of time."""
        cursor = self._db.execute("SELECT * FROM frames WHERE night = ? ORDER BY started_at", (night,))
        names: Sequence[str] = [column[0] for column in cursor.description]
        return [dict(zip(names, row, strict=True)) for row in cursor]

    def close(self) -> None:
        self._db.close()


def _event(row: tuple[Any, ...]) -> Event:
    number, night, at, kind, body, reason = row
    return Event(id=number, night=night, at=at, kind=Kind(kind), values=json.loads(body), reason=reason)
