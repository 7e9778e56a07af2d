"""Ledgers as they were kept once, one a rig: their events become part of the one ledger."""

import logging
import sqlite3
from contextlib import closing
from pathlib import Path

from vigil.files.trouble import why
from vigil.ledger.store import LedgerError, LedgerStore, Row

log = logging.getLogger(__name__)
_BEHIND = ".taken-over"
"""Added to the name of a ledger whose events are in the one ledger; it is kept."""


def take_over(ledger: Path, old: Path) -> int:
    """Bring an old ledger's events into `ledger`, then put it aside; returns how many they were. Cut off in
    the middle, it is begun anew or only put aside. Nobody may be writing to the old one.

    Raises LedgerError when that can't be; then both are as they were.
    """
    if not old.is_file():
        return 0
    rows = _rows(old)
    store = LedgerStore(ledger)
    try:
        count = 0 if store.has_taken_over(str(old)) else store.take_over(str(old), rows)
    finally:
        store.close()
    old.replace(old.with_name(old.name + _BEHIND))
    log.info("%s: %d events taken over", old, count)
    return count


def _rows(old: Path) -> list[Row]:
    try:
        with closing(sqlite3.connect(old, timeout=30)) as base:
            columns = {row[1] for row in base.execute("PRAGMA table_info(events)")}
            errand = "errand" if "errand" in columns else "night"
            version = "version" if "version" in columns else "1"
            return base.execute(
                f"SELECT {errand}, at, kind, {version}, body, reason FROM events ORDER BY id"
            ).fetchall()
    except sqlite3.Error as problem:
        raise LedgerError(f"{old}: the ledger can't be read: {why(problem)}") from None
