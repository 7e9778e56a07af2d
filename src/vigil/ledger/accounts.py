"""What each night lost its time to: reckoned once a night out of its events, and kept."""

import json
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from vigil.ledger.reading import LedgerUnread
from vigil.ledger.store import LedgerStore
from vigil.planning.account import SpellLog

_STALE = """
SELECT e.errand, (SELECT coalesce(max(id), 0) FROM events v WHERE v.errand = e.errand), a.upto
FROM errands e LEFT JOIN night_accounts a ON a.errand = e.errand WHERE e.kind = 'night'
"""
_KEPT = """
SELECT e.evening, e.rig, a.account FROM errands e JOIN night_accounts a ON a.errand = e.errand
ORDER BY e.evening
"""


@dataclass(frozen=True, slots=True)
class NightLost:
    """Seconds by what they were lost to, and shutter-open seconds."""

    evening: str
    rig: str
    lost_s: dict[str, float]
    exposed_s: float


def lost_by_night(ledger: Path) -> list[NightLost]:
    """Of all nights, in order; what is new is reckoned first. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    try:
        store = LedgerStore(ledger)
        try:
            with closing(sqlite3.connect(ledger, timeout=30, isolation_level=None)) as base:
                for errand, last, upto in base.execute(_STALE).fetchall():
                    if last != upto:
                        log = SpellLog(store.events(errand))
                        exposed = sum(s.seconds for s in log.spells if s.kind == "exposure")
                        told = json.dumps({"lost_s": log.lost_s(), "exposed_s": exposed}, ensure_ascii=False)
                        base.execute(
                            "INSERT OR REPLACE INTO night_accounts VALUES (?, ?, ?)", (errand, last, told)
                        )
                rows = base.execute(_KEPT).fetchall()
        finally:
            store.close()
    except sqlite3.Error as problem:
        raise LedgerUnread(f"{ledger}: its nights can't be added up ({problem})") from None
    return [NightLost(evening, rig, **json.loads(account)) for evening, rig, account in rows]
