"""The ledger: events and frames, committed, whole."""

import asyncio
import gzip
import sqlite3
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from threading import Barrier
from typing import Any, ClassVar

import pytest

from campaigns.demo import quick_rig
from vigil.documents import eventvalues
from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import BadValues, FrameMeasured, read
from vigil.documents.night import RunState, fold_all
from vigil.ledger import store as store_module
from vigil.ledger.counts import frames_taken
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.ledger import Ledger
from vigil.ledger.samples import kept_streams, samples_of
from vigil.ledger.store import SCHEMA, LedgerError, LedgerStore
from vigil.ledger.takeover import take_over

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
        errand=night, at=START + timedelta(seconds=seconds), kind=what, values=values, reason="because"
    )


def test_events_come_back_in_order_with_their_ids(tmp_path: Path) -> None:
    store = LedgerStore(tmp_path / "ledger.sqlite")
    sent = [
        store.add(event(Kind.NIGHT_STARTED, **RIG)),
        store.add(event(Kind.NIGHT_STARTED, night="other", **RIG | {"rig_id": "wren"})),
        store.add(
            event(Kind.ERRAND_STEP, seconds=1.5, why={"numbers": [1, 2.5, None], "text": "Larch · 3′"})
        ),
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


def begun(name: str, kind: str = "by hand", rig: str = "heron") -> Event:
    values = {"kind": kind, "words": "park", "rig_id": rig, "evening": "2027-01-12"}
    return event(Kind.ERRAND_STARTED, night=name, **values)


def test_what_is_unfinished_of_a_rig_and_which_number_comes_next() -> None:
    store = LedgerStore(None)

    def unfinished(rig: str) -> list[str]:
        return [row.errand for row in store.unfinished(rig)]

    assert unfinished("heron") == [] and store.next_number("heron", "2027-01-12", "night") == 1
    store.add(event(Kind.NIGHT_STARTED, night="2027-01-12-heron-4", **RIG))
    store.add(begun("hand-1"))
    store.add(begun("hand-2"))
    store.add(begun("other-1", rig="wren"))
    assert unfinished("heron") == ["2027-01-12-heron-4", "hand-1", "hand-2"]
    assert unfinished("wren") == ["other-1"]
    # a number that was never used stays unused: names are not given twice
    assert store.next_number("heron", "2027-01-12", "night") == 5
    assert store.next_number("heron", "2027-01-12", "by hand") == 3
    store.add(event(Kind.ERRAND_ENDED, night="hand-1", outcome="failed"))
    store.add(event(Kind.NIGHT_OVER, night="2027-01-12-heron-4"))
    assert unfinished("heron") == ["hand-2"]
    assert [(row.errand, row.outcome) for row in store.errands("heron")] == [
        ("hand-2", None), ("hand-1", "failed"), ("2027-01-12-heron-4", "done"),
    ]  # fmt: skip


def test_who_attaches_hears_the_night_and_the_day_s_other_errands() -> None:
    store = LedgerStore(None)
    hour = timedelta(hours=1)
    store.add(begun("long-ago"))
    store.add(event(Kind.ERRAND_ENDED, night="long-ago", seconds=-20 * 3600, outcome="done"))
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    store.add(begun("over"))
    store.add(begun("not-over"))
    store.add(begun("other", rig="wren"))
    store.add(event(Kind.ERRAND_ENDED, night="over", seconds=60, outcome="done"))
    told = store.told("heron", "n1", (START - 5 * hour, START + hour))
    assert [e.errand for e in told] == ["n1", "over", "not-over", "over"]
    assert [e.errand for e in store.told("heron", "n1", (START, START + hour), told[1].id)] == [
        "not-over",
        "over",
    ]


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
        await asyncio.gather(*(ledger.add(event(Kind.ERRAND_STEP, n=str(n))) for n in range(20)))
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
    assert frames_taken(path, "heron") == {("IC 405", "Ha"): 3}
    assert frames_taken(path, "wren") == {}


# -- schemas --------------------------------------------------------------------------------------------


def old_ledger(folder: Path) -> Path:
    """A ledger as it was kept before there was one for all rigs: of a night of two targets, four frames."""
    path = folder / "heron-480" / "ledger.sqlite"
    path.parent.mkdir(parents=True)
    path.write_bytes(gzip.decompress((Path(__file__).parent / "of-schema-2.sqlite.gz").read_bytes()))
    return path


def rows_of(path: Path, query: str) -> list[tuple[Any, ...]]:
    with closing(sqlite3.connect(path)) as base:
        return base.execute(query).fetchall()


def test_a_ledger_of_the_schema_before_is_taken_over_whole(tmp_path: Path) -> None:
    old, ledger = old_ledger(tmp_path), tmp_path / "ledger.sqlite"
    events = rows_of(old, "SELECT night, at, kind, body, reason FROM events ORDER BY id")
    frames = rows_of(old, "SELECT frame_id, path, filter, exposure_s, hfr_px, stars FROM frames")
    store = LedgerStore(ledger)
    store.add(begun("of-this-schema"))
    assert take_over(ledger, old) == len(events) == 66
    assert (
        rows_of(ledger, "SELECT errand, at, kind, body, reason FROM events WHERE id > 1 ORDER BY id")
        == events
    )
    assert rows_of(ledger, "SELECT frame_id, path, filter, exposure_s, hfr_px, stars FROM frames") == frames
    night = store.last_night("heron-480")
    assert night == "2027-01-12-heron-480-1"
    state = fold_all(store.events(night))
    assert state.run is RunState.OVER and state.good == 4 == sum(frames_taken(ledger, "heron-480").values())
    # done once: what was put aside is not read again, also when that was all that was missing
    assert not old.exists() and take_over(ledger, old) == 0
    (old.parent / "ledger.sqlite.taken-over").rename(old)
    assert take_over(ledger, old) == 0 and not old.exists()
    assert rows_of(ledger, "SELECT count(*) FROM events") == [(67,)]


def test_one_that_can_t_be_taken_over_stays_where_it_is(tmp_path: Path) -> None:
    old, ledger = old_ledger(tmp_path), tmp_path / "ledger.sqlite"
    store = LedgerStore(ledger)
    store.add(event(Kind.NIGHT_STARTED, night="2027-01-12-heron-480-1", **RIG))
    with pytest.raises(LedgerError, match="can't be taken over"):
        take_over(ledger, old)
    assert old.exists() and rows_of(ledger, "SELECT count(*) FROM events") == [(1,)]
    old.write_text("not a database " * 100)
    with pytest.raises(LedgerError, match="can't be read"):
        take_over(ledger, old)


def test_the_same_file_is_brought_to_today_s_schema_where_it_lies(tmp_path: Path) -> None:
    old = old_ledger(tmp_path)
    store = LedgerStore(old)
    assert rows_of(old, "PRAGMA user_version") == [(SCHEMA,)]
    assert fold_all(store.events("2027-01-12-heron-480-1")).good == 4
    store.add(begun("new"))


def test_a_second_schema_is_migrated_and_read_by_the_one_before(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Made up: frames get a tilt, worked out of the events that were there before."""
    path = tmp_path / "ledger.sqlite"
    store = LedgerStore(path)
    store.add(event(Kind.NIGHT_STARTED, **RIG))
    store.add(event(Kind.FRAME_SAVED, **FRAME))
    sent = store.add(event(Kind.FRAME_MEASURED, frame_id="n1-0001", **FIGURES))
    store.close()

    class Tilted(FrameMeasured):
        VERSION: ClassVar[int] = 2
        tilt_px: float

    def with_tilt(values: Mapping[str, Any]) -> dict[str, Any]:
        return {**values, "tilt_px": round(values["fwhm_px"] / 10, 2)}

    with monkeypatch.context() as newer:
        newer.setitem(eventvalues.MODELS, Kind.FRAME_MEASURED, Tilted)
        newer.setitem(eventvalues.UPGRADES, (Kind.FRAME_MEASURED, 1), with_tilt)
        newer.setattr(store_module, "SCHEMA", SCHEMA + 1)
        newer.setattr(
            store_module,
            "_DERIVED",
            store_module._DERIVED.replace("saturated INT", "tilt_px REAL, saturated INT"),
        )
        newer.setattr(store_module, "_MEASURED", (*store_module._MEASURED, "tilt_px"))
        again = LedgerStore(path)
        assert [f["tilt_px"] for f in again.frames("n1")] == [0.24]
        assert rows_of(path, "SELECT version FROM events WHERE kind = 'frame_measured'") == [(1,)]
        values = {"frame_id": "n1-0001", **FIGURES, "hfr_px": 1.5, "tilt_px": 0.9}
        again.add(eventvalues.new_event("n1", START, Kind.FRAME_MEASURED, values, "measured again"))
        assert [f["tilt_px"] for f in again.frames("n1")] == [0.9]
        again.close()
    # the Vigil of today doesn't touch a ledger of tomorrow, but knows what its events mean
    with pytest.raises(LedgerError, match=f"schema {SCHEMA + 1}"):
        LedgerStore(path)
    with closing(sqlite3.connect(path)) as base:
        base.execute("PRAGMA user_version = 2")
        base.execute("ALTER TABLE events RENAME COLUMN errand TO night")
        base.execute("ALTER TABLE events DROP COLUMN version")
    back = LedgerStore(path)
    assert [f["hfr_px"] for f in back.frames("n1")] == [1.5]
    assert back.events("n1")[2] == sent


def test_events_of_a_newer_vigil_are_read_as_far_as_they_are_known() -> None:
    newer = event(Kind.FRAME_MEASURED, frame_id="n1-0001", **FIGURES, tilt_px=0.9).model_copy(
        update={"version": 7}
    )
    assert read(newer, FrameMeasured).hfr_px == FIGURES["hfr_px"]
    with pytest.raises(BadValues, match="tilt_px"):
        eventvalues.new_event("n1", START, Kind.FRAME_MEASURED, newer.values, "")
    with pytest.raises(BadValues, match="frame_id"):
        read(event(Kind.FRAME_MEASURED), FrameMeasured)


# -- streams, and two who write -------------------------------------------------------------------------


def test_a_night_of_samples_beside_its_events(tmp_path: Path) -> None:
    path = tmp_path / "ledger.sqlite"

    async def main() -> None:
        ledger = Ledger(path)
        await ledger.add(event(Kind.NIGHT_STARTED, **RIG))
        for n in range(18_000):
            values = {"n": n, "ra_arcsec": 0.31}
            ledger.samples.add("n1", "guiding", START + timedelta(seconds=2 * n), values)
            if n % 3000 == 0:
                await ledger.add(event(Kind.WAITING))
        ledger.samples.add("n1", "focus", START, {"hfr_px": 1.2})
        assert len(await ledger.events("n1")) == 7
        ledger.close()

    asyncio.run(main())
    found = samples_of(path, "n1", "guiding")
    assert [values["n"] for _, values in found] == list(range(18_000))
    assert found[-1][0] == START + timedelta(seconds=2 * 17_999)
    assert samples_of(path, "n1", "focus") == [(START, {"hfr_px": 1.2})]
    assert samples_of(path, "n2", "guiding") == [] == samples_of(tmp_path / "none", "n1", "guiding")
    (kept,) = kept_streams(path, str(RIG["rig_id"]), "guiding")
    assert (kept.errand, kept.kind, kept.samples) == ("n1", "night", 18_000)
    assert kept_streams(path, "another", "guiding") == [] == kept_streams(tmp_path / "none", "a", "guiding")


def test_many_write_at_once_and_none_is_kept_waiting_for_good(tmp_path: Path) -> None:
    path = tmp_path / "ledger.sqlite"

    def write(who: int) -> list[int]:
        store = LedgerStore(path)
        store.add(event(Kind.NIGHT_STARTED, night=f"n{who}", **RIG | {"rig_id": f"rig-{who}"}))
        ids = [store.add(event(Kind.WAITING, night=f"n{who}")).id for _ in range(60)]
        store.close()
        return ids

    LedgerStore(path).close()
    with ThreadPoolExecutor(4) as pool:
        ids = list(pool.map(write, range(4)))
    assert sorted(i for each in ids for i in each) == sorted({i for each in ids for i in each})
    store = LedgerStore(path)
    assert [len(store.events(f"n{who}")) for who in range(4)] == [61] * 4


def test_frames_are_looked_for_where_the_ledger_says_that_they_were_put(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    elsewhere, own, gone = tmp_path / "disk" / "lights", tmp_path / "own", tmp_path / "gone"
    for folder in (elsewhere, own / "deeper"):
        folder.mkdir(parents=True)
    ledger = tmp_path / "ledger.sqlite"
    with closing(LedgerStore(ledger)) as store:
        store.add(event(Kind.NIGHT_STARTED, **RIG))
        for number, folder in enumerate((elsewhere, own / "deeper", gone)):
            frame = {**FRAME, "frame_id": f"n1-{number}", "path": f"{folder}/{number}.fits", "number": number}
            store.add(event(Kind.FRAME_SAVED, **frame))
        assert store.frame_folders("other") == []
    rig = quick_rig(id="heron")
    rig = rig.model_copy(update={"frames": rig.frames.model_copy(update={"libraries": [str(own)]})})
    assert folders_with_frames(rig, ledger) == [own, elsewhere]
    assert folders_with_frames(rig, tmp_path / "none.sqlite") == [own]
