"""A copy of the ledger that is whole though it is written meanwhile, and how one is brought back."""

import os
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from vigil.files.atomic import flush_folder
from vigil.ledger.store import SCHEMA, LedgerError

_PAGES = 2000
"""Copied at a time: whoever writes meanwhile waits no longer than that takes."""
_PAUSE_S = 0.01


def back_up(ledger: Path, copy: Path) -> int:
    """Copy the ledger as it stands to a file that isn't there yet; returns its number of events. The copy is
    checked before it gets its name. Raises LedgerError; nothing is left behind then."""
    if not ledger.is_file():
        raise LedgerError(f"{ledger}: there is no ledger yet to copy")
    if copy.exists():
        raise LedgerError(f"{copy}: there is such a file; a backup never takes another one's place")
    if not copy.parent.is_dir():
        raise LedgerError(f"{copy.parent}: there is no such folder")
    aside = copy.with_name(f".{copy.name}.{os.getpid()}.tmp")
    try:
        with (
            closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True, timeout=30)) as here,
            closing(sqlite3.connect(aside)) as there,
        ):
            here.backup(there, pages=_PAGES, sleep=_PAUSE_S)
            there.execute("PRAGMA journal_mode = DELETE")  # one file, to be carried away
        events = checked(aside)
        with aside.open("rb") as stream:
            os.fsync(stream.fileno())
        aside.replace(copy)
        flush_folder(copy.parent)
        return events
    except (OSError, sqlite3.Error) as problem:
        raise LedgerError(f"{copy}: the ledger could not be copied there ({problem})") from None
    finally:
        for left in (aside, aside.with_name(aside.name + "-journal")):
            left.unlink(missing_ok=True)


def checked(copy: Path) -> int:
    """The number of events of a ledger that is whole. Raises LedgerError for any other file."""
    if not copy.is_file():
        raise LedgerError(f"{copy}: there is no such file")
    try:
        with closing(sqlite3.connect(f"file:{copy}?mode=ro", uri=True)) as base:
            said = base.execute("PRAGMA integrity_check(1)").fetchone()[0]
            if said != "ok":
                raise LedgerError(f"{copy}: the copy is damaged ({said})")
            version = int(base.execute("PRAGMA user_version").fetchone()[0])
            if not 1 <= version <= SCHEMA:
                raise LedgerError(
                    f"{copy}: no ledger, or one of a newer Vigil (schema {version}; this one knows {SCHEMA})"
                )
            return int(base.execute("SELECT count(*) FROM events").fetchone()[0])
    except sqlite3.Error as problem:
        raise LedgerError(f"{copy}: it is no ledger ({problem})") from None


def restore(copy: Path, ledger: Path) -> tuple[int, Path | None]:
    """Put a backup in the ledger's place; returns its number of events, and where the ledger that stood there
    is kept now. No keeper may be running. Raises LedgerError; then everything is as it was."""
    events = checked(copy)
    ledger.parent.mkdir(parents=True, exist_ok=True)
    aside = ledger.with_name(f".{ledger.name}.{os.getpid()}.tmp")
    try:
        with (
            closing(sqlite3.connect(f"file:{copy}?mode=ro", uri=True)) as here,
            closing(sqlite3.connect(aside)) as there,
        ):
            here.backup(there)
        checked(aside)
        with aside.open("rb") as stream:
            os.fsync(stream.fileno())
        kept = None
        if ledger.exists():
            kept = _unused(ledger)
            _fold_in(ledger)
            ledger.replace(kept)
        aside.replace(ledger)
        flush_folder(ledger.parent)
        return events, kept
    except (OSError, sqlite3.Error) as problem:
        raise LedgerError(f"{ledger}: the backup could not be put there ({problem})") from None
    finally:
        aside.unlink(missing_ok=True)


def _fold_in(ledger: Path) -> None:
    """What still stands in the write-ahead log becomes part of the file that is put aside."""
    with closing(sqlite3.connect(ledger, timeout=5)) as base:
        base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        base.execute("PRAGMA journal_mode = DELETE")


def _unused(ledger: Path) -> Path:
    stamp = f"{datetime.now(UTC):%Y%m%dT%H%M%S}"
    number, kept = 1, ledger.with_name(f"{ledger.name}.before-{stamp}")
    while kept.exists():
        number += 1
        kept = ledger.with_name(f"{ledger.name}.before-{stamp}-{number}")
    return kept
