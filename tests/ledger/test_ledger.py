"""The ledger: events and frames, committed, whole."""

import asyncio
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path
from threading import Barrier
from typing import Any

import pytest

from vigil.documents.events import Event, Kind
from vigil.documents.night import fold_all
from vigil.ledger.counts import frames_taken
from vigil.ledger.ledger import Ledger
from vigil.ledger.store import LedgerError, LedgerStore

START = datetime(2027, 1, 12, 17, tzinfo=UTC)
RIG = {"rig_id": "heron", "evening": "2027-01-12"}
FRAME = {
    "frame_id": "n1-0001", "path": "/frames/1.fits", "kind": "light", "block": "b", "line": "x",
    "target": "IC 405", "filter": "Ha", "exposure_s": 180.0, "started_at": START.isoformat(),
    "temperature_c": -10.0, "focus_position": 6000, "number": 1,
}  # fmt: skip
FIGURES = {
    "hfr_px": 1.31, "fwhm_px": 2.4, "elongation": 1.02, "stars": 900, "background_adu": 510.0,
    "noise_adu": 4.0, "saturated": 3,
}  # fmt: skip


def event(what: Kind, /, night: str = "n1", seconds: float = 0, **values: Any) -> Event:
    return Event(
        night=night, at=START + timedelta(seconds=seconds), kind=what, values=values, reason="because"
    )


def test_events_come_back_in_order_with_their_ids(tmp_path: Path) -> None:
    store = LedgerStore(tmp_path / "ledger.sqlite")
    sent = [
        store.add(event(Kind.NIGHT_STARTED, **RIG)),
        store.add(event(Kind.NIGHT_STARTED, night="other", **RIG | {"rig_id": "wren"})),
        store.add(event(Kind.HELD, seconds=1.5, why={"numbers": [1, 2.5, None], "text": "Larch · 3′"})),
    ]
    assert [e.id for e in sent] == [1, 2, 3]
    again = LedgerStore(tmp_path / "ledger.sqlite")
    assert again.events("n1") == [sent[0], sent[2]]
    assert again.events("n1", after=1) == [sent[2]]
    assert again.events("none") == []


def test_frames_with_their_figures() -> None:
    store = LedgerStore(None)
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    store.add(event(Kind.FRAME_SAVED, **FRAME))
    (frame,) = store.frames("n1")
    assert frame["path"] == "/frames/1.fits" and frame["hfr_px"] is None
    store.add(event(Kind.FRAME_MEASURED, frame_id="n1-0001", **FIGURES))
    (frame,) = store.frames("n1")
    assert {key: frame[key] for key in FIGURES} == FIGURES


def test_an_event_is_stored_whole_or_not_at_all() -> None:
    store = LedgerStore(None)
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    store.add(event(Kind.FRAME_SAVED, **FRAME))
    with pytest.raises(LedgerError, match="frame_saved"):
        store.add(event(Kind.FRAME_SAVED, **FRAME))  # the same frame twice
    assert len(store.events("n1")) == 2
    store.add(event(Kind.HELD))
    assert len(store.events("n1")) == 3


def test_the_unfinished_night_of_a_rig() -> None:
    store = LedgerStore(None)
    assert store.unfinished("heron") is None
    assert store.next_name("heron", "2027-01-12") == "2027-01-12-heron-1"
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    assert store.unfinished("heron") == "n1"
    assert store.unfinished("wren") is None
    assert store.next_name("heron", "2027-01-12") == "2027-01-12-heron-2"
    store.add(event(Kind.NIGHT_OVER))
    assert store.unfinished("heron") is None


def test_it_survives_a_crash_by_design(tmp_path: Path) -> None:
    path = tmp_path / "ledger.sqlite"
    LedgerStore(path)
    database = sqlite3.connect(path)
    assert database.execute("PRAGMA journal_mode").fetchone() == ("wal",)
    # what a store has committed another connection sees at once, without the store being closed
    store = LedgerStore(path)
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    assert database.execute("SELECT COUNT(*) FROM events").fetchone() == (1,)


def test_what_is_no_ledger_is_refused_and_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "ledger.sqlite"
    path.write_text("not a database, but somebody's notes " * 50)
    with pytest.raises(LedgerError, match="can't be opened"):
        LedgerStore(path)
    assert path.read_text().startswith("not a database")
    newer = tmp_path / "newer.sqlite"
    database = sqlite3.connect(newer)
    database.execute("PRAGMA user_version = 99")
    database.commit()
    with pytest.raises(LedgerError, match="schema 99"):
        LedgerStore(newer)


def test_awaited_calls_keep_their_order(tmp_path: Path) -> None:
    async def main() -> list[str]:
        ledger = Ledger(tmp_path / "deep" / "ledger.sqlite")
        await ledger.add(event(Kind.NIGHT_STARTED, **RIG))
        await asyncio.gather(*(ledger.add(event(Kind.WAITING, n=str(n))) for n in range(20)))
        found = [e.values["n"] for e in (await ledger.events("n1"))[1:]]
        ledger.close()
        return found

    assert asyncio.run(main()) == [str(n) for n in range(20)]


def test_many_who_open_a_new_ledger_at_once_all_can(tmp_path: Path) -> None:
    together = Barrier(4)

    def opened(path: Path) -> str | None:
        together.wait()
        store = LedgerStore(path)
        last = store.last_night("heron")
        store.close()
        return last

    with ThreadPoolExecutor(4) as pool:
        for number in range(25):
            assert list(pool.map(opened, [tmp_path / f"{number}.sqlite"] * 4)) == [None] * 4


def test_what_counts_is_what_the_night_counts(tmp_path: Path) -> None:
    """Cut short, off its target, rejected, kept after all: the database and the fold say the same."""
    path = tmp_path / "ledger.sqlite"
    store = LedgerStore(path)
    told = [event(Kind.NIGHT_STARTED, **RIG)]
    for n, (saved, measured, verdict) in enumerate(
        [
            ({}, {}, None),
            ({"doubtful": "30 of 180 s"}, {}, None),
            ({}, {"doubtful": "12′ off its target"}, None),
            ({}, {}, "rejected"),
            ({"doubtful": "30 of 180 s"}, {}, "kept"),
            ({}, {}, "kept"),
        ]
    ):
        name = f"n1-{n:04d}"
        told.append(event(Kind.FRAME_SAVED, **{**FRAME, "frame_id": name, **saved}))
        where = {"block": "b", "line": "x", "filter": "Ha"}
        told.append(event(Kind.FRAME_MEASURED, frame_id=name, **FIGURES, **where, **measured))
        if verdict:
            told.append(event(Kind.FRAME_JUDGED, frame_id=name, verdict=verdict))
    for one in told:
        store.add(one)
    assert fold_all(told).good == 3
    assert frames_taken(path) == {("IC 405", "Ha"): 3}


def test_a_ledger_of_an_earlier_schema_is_derived_anew_from_its_events(tmp_path: Path) -> None:
    path = tmp_path / "ledger.sqlite"
    store = LedgerStore(path)
    told = [
        event(Kind.NIGHT_STARTED, **RIG),
        event(Kind.FRAME_SAVED, **FRAME),
        event(Kind.FRAME_SAVED, **{**FRAME, "frame_id": "n1-0002", "doubtful": "30 of 180 s"}),
        event(Kind.FRAME_JUDGED, frame_id="n1-0001", verdict="rejected"),
    ]
    sent = [store.add(one) for one in told]
    store.close()
    database = sqlite3.connect(path)
    database.executescript(
        "ALTER TABLE frames DROP COLUMN doubtful; ALTER TABLE frames DROP COLUMN verdict; "
        "DELETE FROM frames; PRAGMA user_version = 1;"
    )
    database.close()
    again = LedgerStore(path)
    assert again.events("n1") == sent and again.unfinished("heron") == "n1"
    assert [(f["doubtful"], f["verdict"]) for f in again.frames("n1")] == [
        (None, "rejected"),
        ("30 of 180 s", None),
    ]
    assert frames_taken(path) == {}
