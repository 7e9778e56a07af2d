"""A disk that is full at any write: what was there stays, the night ends safely, nothing taken is lost."""

import errno
import sqlite3
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_plan, quick_rig, short_plan
from campaigns.night import play
from vigil.documents.events import Event, Kind
from vigil.documents.namedfiles import NamedFiles
from vigil.documents.plan import NightPlan
from vigil.documents.store import load, save
from vigil.files import atomic
from vigil.ledger.store import LedgerError, LedgerStore

_AT_THE_END = (Kind.CLOSING_STARTED, Kind.CLOSING_PART, Kind.NIGHT_OVER)
FULL = OSError(errno.ENOSPC, "No space left on device")


@pytest.mark.parametrize("at", [1, 5, 20, 34, 50])
def test_a_ledger_that_is_full_at_some_event_leaves_the_gear_safe(
    at: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From that event on nothing more can be written: the night closes, and says why in its log."""
    add, count = LedgerStore.add, 0

    def full(self: LedgerStore, event: Event) -> Event:
        nonlocal count
        count += 1
        # it is full for as long as anything but the end is to be written
        if count > at and event.kind not in _AT_THE_END:
            raise LedgerError(f"the ledger could not take {event.kind} (database or disk is full)")
        return add(self, event)

    monkeypatch.setattr(LedgerStore, "add", full)
    played = play(quick_rig(), short_plan(count=2), tmp_path, seed=2, quick=True)
    assert played.truth.gear.state.parked
    over = played.events[-1]
    assert over.kind is Kind.NIGHT_OVER and "database or disk is full" in over.reason
    saved = {e.values["frame_id"] for e in played.of(Kind.FRAME_SAVED)}
    ended = [e.values for e in played.of(Kind.EXPOSURE_ENDED) if e.values["outcome"] == "done"]
    assert len(saved) >= len(ended) - 1, "the last frame's event may be the one that found no room"


def test_sqlite_that_is_full_is_said_and_takes_nothing_half(tmp_path: Path) -> None:
    store = LedgerStore(tmp_path / "ledger.sqlite")
    at = demo_event()
    first = store.add(at)
    pages = store._db.execute("PRAGMA page_count").fetchone()[0]
    store._db.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(LedgerError, match="full"):
        for _ in range(2000):
            store.add(at.model_copy(update={"reason": "x" * 500}))
    assert not store._db.in_transaction
    told = store.events("n")
    assert told[0] == first and all(event.reason for event in told[1:])
    assert isinstance(store._db, sqlite3.Connection)
    store.close()


def demo_event() -> Event:
    from datetime import UTC, datetime

    return Event(errand="n", at=datetime(2027, 1, 12, tzinfo=UTC), kind=Kind.WAITING, values={}, reason="y")


def _no_room(monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: Any) -> None:
        raise FULL

    monkeypatch.setattr(atomic.os, "fsync", full)


def test_a_plan_that_finds_no_room_leaves_the_one_before(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path, plan = tmp_path / "plan.json", demo_plan()
    save(plan, path)
    plans = NamedFiles(tmp_path / "plans", NightPlan, "plan")
    plans.keep(plan)
    _no_room(monkeypatch)
    changed = plan.model_copy(update={"name": "another"})
    with pytest.raises(OSError, match="No space left"):
        save(changed, path)
    with pytest.raises(OSError, match="No space left"):
        plans.keep(changed)
    monkeypatch.undo()
    assert load(NightPlan, path) == plan and [p.name for p in plans.all()] == [plan.name]
    assert not list(tmp_path.rglob("*.part")) and not list(tmp_path.rglob("*.tmp"))
