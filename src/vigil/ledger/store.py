"""The SQLite database itself; every call commits before it returns."""

import fcntl
import json
import logging
import os
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vigil.documents.errands import NIGHT, Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.eventvalues import (
    ErrandEnded,
    ErrandStarted,
    FrameJudged,
    FrameLocated,
    FrameMeasured,
    FrameSaved,
    NightOver,
    NightStarted,
    values_of,
)
from vigil.documents.focusruns import FocusRun, runs_of
from vigil.documents.night import counts
from vigil.files.trouble import why

log = logging.getLogger(__name__)
SCHEMA = 7
_EVENTS = """
CREATE TABLE events (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    errand TEXT NOT NULL,
    at TEXT NOT NULL,
    kind TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1,
    body TEXT NOT NULL,
    reason TEXT NOT NULL
);
CREATE INDEX events_of_errand ON events (errand, id);
"""
_OF_NIGHTS_ONLY = """
DROP INDEX IF EXISTS events_of_night;
ALTER TABLE events RENAME COLUMN night TO errand;
ALTER TABLE events ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
CREATE INDEX IF NOT EXISTS events_of_errand ON events (errand, id);
"""
"""What schemas 1 and 2 lack in the one table that isn't derived."""
_KEPT = """
CREATE TABLE IF NOT EXISTS taken_over (
    source TEXT PRIMARY KEY,
    events INTEGER NOT NULL
);
CREATE TABLE IF NOT EXISTS samples (
    errand TEXT NOT NULL,
    stream TEXT NOT NULL,
    at TEXT NOT NULL,
    body TEXT NOT NULL
);
CREATE INDEX IF NOT EXISTS samples_of_errand ON samples (errand, stream);
"""
"""Neither events nor made of them."""
_DERIVED = """
DROP TABLE IF EXISTS frames;
DROP TABLE IF EXISTS focus_runs;
DROP TABLE IF EXISTS polar_records;
DROP TABLE IF EXISTS nights;
DROP TABLE IF EXISTS judged_groups;
DROP TABLE IF EXISTS night_accounts;
DROP TABLE IF EXISTS errands;
CREATE TABLE errands (
    errand TEXT PRIMARY KEY,
    kind TEXT NOT NULL,
    rig TEXT NOT NULL,
    evening TEXT NOT NULL,
    words TEXT NOT NULL,
    began_at TEXT NOT NULL,
    over_at TEXT,
    outcome TEXT
);
CREATE INDEX errands_of_rig ON errands (rig, evening);
CREATE TABLE frames (
    frame_id TEXT PRIMARY KEY,
    errand TEXT NOT NULL REFERENCES errands (errand),
    rig TEXT NOT NULL,
    path TEXT NOT NULL,
    missing INTEGER NOT NULL DEFAULT 0,
    evening TEXT NOT NULL,
    kind TEXT NOT NULL,
    block TEXT NOT NULL,
    line TEXT NOT NULL,
    target TEXT NOT NULL,
    filter TEXT,
    exposure_s REAL NOT NULL,
    started_at TEXT NOT NULL,
    temperature_c REAL,
    focus_position INTEGER,
    tube_c REAL,
    guide_rms_arcsec REAL,
    gain INTEGER,
    offset INTEGER,
    binning INTEGER NOT NULL DEFAULT 1,
    set_point_c REAL,
    electrons_per_adu REAL,
    ra_deg REAL,
    dec_deg REAL,
    air_mass REAL,
    camera TEXT NOT NULL DEFAULT '',
    hfr_px REAL,
    fwhm_px REAL,
    elongation REAL,
    stars INTEGER,
    background_adu REAL,
    noise_adu REAL,
    saturated INTEGER,
    bright_flux_adu REAL,
    pixel_noise_adu REAL,
    trail_sigma REAL,
    off_arcsec REAL,
    position_angle_deg REAL,
    doubtful TEXT,
    verdict TEXT,
    counts INTEGER NOT NULL,
    judged TEXT,
    because TEXT,
    standing TEXT GENERATED ALWAYS AS (
        CASE WHEN verdict IS NOT NULL THEN verdict
             WHEN doubtful IS NOT NULL THEN 'doubtful'
             ELSE coalesce(judged, 'kept') END
    ) VIRTUAL
);
CREATE INDEX frames_of_errand ON frames (errand);
CREATE INDEX frames_for_hours ON frames
    (kind, target, filter, rig, exposure_s, binning, standing, evening, stars);
CREATE INDEX frames_of_evening ON frames (evening, rig);
CREATE TABLE judged_groups (
    target TEXT NOT NULL,
    filter TEXT NOT NULL,
    rig TEXT NOT NULL,
    exposure_s REAL NOT NULL,
    binning INTEGER NOT NULL,
    by TEXT NOT NULL,
    PRIMARY KEY (target, filter, rig, exposure_s, binning)
);
CREATE TABLE night_accounts (
    errand TEXT PRIMARY KEY,
    upto INTEGER NOT NULL,
    account TEXT NOT NULL
);
CREATE TABLE focus_runs (
    ended INTEGER PRIMARY KEY,
    errand TEXT NOT NULL,
    rig TEXT NOT NULL,
    ended_at TEXT NOT NULL,
    filter TEXT NOT NULL,
    accepted INTEGER NOT NULL,
    figures TEXT NOT NULL
);
CREATE INDEX focus_runs_of_rig ON focus_runs (rig, ended);
CREATE TABLE polar_records (
    told INTEGER PRIMARY KEY,
    errand TEXT NOT NULL,
    rig TEXT NOT NULL,
    record TEXT NOT NULL
);
CREATE INDEX polar_records_of_rig ON polar_records (rig, told);
"""
"""Made of the events, and made anew of them for a new schema: that is all the migration there is."""
_SAVED = (
    "frame_id", "path", "kind", "block", "line", "target", "filter",
    "exposure_s", "started_at", "temperature_c", "focus_position", "guide_rms_arcsec",
    "tube_c", "gain", "offset", "binning", "set_point_c", "electrons_per_adu", "ra_deg", "dec_deg",
    "air_mass", "camera", "doubtful",
)  # fmt: skip
_MEASURED = (
    "hfr_px", "fwhm_px", "elongation", "stars", "background_adu", "noise_adu", "saturated",
    "bright_flux_adu", "pixel_noise_adu", "trail_sigma", "off_arcsec", "position_angle_deg",
)  # fmt: skip
Row = tuple[str, str, str, int, str, str]
"""An event as it is kept: errand, moment, kind, version, values as JSON, reason."""
_DERIVES = frozenset(
    {
        Kind.ERRAND_STARTED,
        Kind.ERRAND_ENDED,
        Kind.NIGHT_STARTED,
        Kind.NIGHT_OVER,
        Kind.FRAME_SAVED,
        Kind.FRAME_MEASURED,
        Kind.FRAME_JUDGED,
        Kind.FRAME_LOCATED,
    }
)
"""The others say nothing of the tables, and need not be understood for them."""
_ENDS_RUNS = frozenset({Kind.ACTIVITY_ENDED, Kind.ERRAND_STEP, Kind.ERRAND_ENDED})
"""What a focus run may end with: an activity, an errand, or one of the several runs of an errand."""
_TELLS_POLAR = frozenset({Kind.ACTIVITY_STEP, Kind.ERRAND_STEP})
"""Where a measurement of the polar axis stands: one step each, whatever it is part of."""
_COLUMNS = "id, errand, at, kind, version, body, reason"


class LedgerError(RuntimeError):
    """The ledger can't be opened or written; the message says which file and why."""


@dataclass(frozen=True, slots=True)
class FocusRow:
    """A focus run as the ledger lists it; `ended` is its number, `figures` what its end told."""

    ended: int
    errand: str
    ended_at: str
    filter: str
    accepted: bool
    figures: dict[str, Any]


@dataclass(frozen=True, slots=True)
class ErrandRow:
    """An errand as the ledger lists it. Times are ISO text, UTC."""

    errand: str
    kind: str
    words: str
    began_at: str
    over_at: str | None
    outcome: str | None


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
            self._db.create_function("frame_counts", 2, _frame_counts, deterministic=True)
            with _alone(path):
                self._db.execute("PRAGMA journal_mode = WAL")
                self._prepare(name)
            self._db.execute("PRAGMA synchronous = FULL")
        except (OSError, sqlite3.DatabaseError) as problem:
            raise LedgerError(f"{name}: the ledger can't be opened: {why(problem)}") from None

    def _prepare(self, name: str) -> None:
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        if version == 0:
            self._db.executescript(
                f"BEGIN; {_EVENTS} {_DERIVED} {_KEPT} PRAGMA user_version = {SCHEMA}; COMMIT;"
            )
        elif 0 < version < SCHEMA:
            self._rebuild(version)
        elif version != SCHEMA:
            raise LedgerError(f"{name}: ledger of schema {version}; this Vigil knows schema {SCHEMA}")

    def _rebuild(self, version: int) -> None:
        """Derive everything anew from the events, which stay as they are; whole or not at all."""
        with self._whole():
            before = _OF_NIGHTS_ONLY if version < 3 else ""
            for statement in filter(None, map(str.strip, f"{before}{_KEPT}{_DERIVED}".split(";"))):
                self._db.execute(statement)
            rows = self._db.execute(f"SELECT {_COLUMNS} FROM events ORDER BY id")
            for row in rows.fetchall():
                self._derive_if_readable(row)
            self._db.execute(f"PRAGMA user_version = {SCHEMA}")

    def _derive_if_readable(self, row: tuple[Any, ...]) -> None:
        try:
            self._derive(_event(row), int(row[0]))
        except ValueError as problem:
            log.error("event %s of %s can't be read and is passed over (%s)", row[0], row[1], problem)

    @contextmanager
    def _whole(self) -> Iterator[None]:
        """A transaction that other connections wait for."""
        self._db.execute("BEGIN IMMEDIATE")
        try:
            yield
            self._db.execute("COMMIT")
        except BaseException:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise

    def add(self, event: Event) -> Event:
        """Store an event, and what it says of errands and frames, in one transaction; gives it its id."""
        try:
            with self._whole():
                return self._add(event)
        except sqlite3.DatabaseError as problem:
            raise LedgerError(f"the ledger could not take {event.kind}: {why(problem)}") from problem

    def _add(self, event: Event) -> Event:
        cursor = self._db.execute(
            "INSERT INTO events (errand, at, kind, version, body, reason) VALUES (?, ?, ?, ?, ?, ?)",
            (
                event.errand,
                event.at.astimezone(UTC).isoformat(),
                event.kind.value,
                event.version,
                json.dumps(event.values, ensure_ascii=False),
                event.reason,
            ),
        )
        self._derive(event, int(cursor.lastrowid or 0))
        return event.model_copy(update={"id": cursor.lastrowid})

    def _derive(self, event: Event, number: int) -> None:
        """Raises BadValues for an event that doesn't say what its kind does."""
        if event.kind in _ENDS_RUNS and isinstance(run := event.values.get("run"), dict):
            self._focus_run(event, number, run)
        if event.kind in _TELLS_POLAR and isinstance(record := event.values.get("polar"), dict):
            self._db.execute(
                "INSERT INTO polar_records (told, errand, rig, record) VALUES "
                "(?, ?, coalesce((SELECT rig FROM errands WHERE errand = ?), ''), ?)",
                (number, event.errand, event.errand, json.dumps(record, ensure_ascii=False)),
            )
        if event.kind not in _DERIVES:
            return
        values, at = values_of(event), event.at.astimezone(UTC).isoformat()
        match values:
            case ErrandStarted():
                self._begin(event, values.kind, values.rig_id, values.evening, values.words)
            case NightStarted():
                self._begin(event, NIGHT, values.rig_id, values.evening, event.reason)
            case ErrandEnded() | NightOver():
                outcome = values.outcome if isinstance(values, ErrandEnded) else Outcome.DONE.value
                self._db.execute(
                    "UPDATE errands SET over_at = ?, outcome = ? WHERE errand = ?",
                    (at, outcome, event.errand),
                )
            case FrameSaved():
                self._db.execute(
                    f"INSERT INTO frames (errand, rig, evening, {', '.join(_SAVED)}, counts) VALUES (?, "
                    "coalesce((SELECT rig FROM errands WHERE errand = ?), ''), "
                    "coalesce(?, (SELECT evening FROM errands WHERE errand = ?), '')"
                    f"{', ?' * len(_SAVED)}, frame_counts(NULL, ?))",
                    (
                        event.errand,
                        event.errand,
                        values.evening or None,
                        event.errand,
                        *(getattr(values, name) for name in _SAVED),
                        values.doubtful,
                    ),
                )
            case FrameMeasured():
                self._db.execute(
                    f"UPDATE frames SET {', '.join(f'{name} = ?' for name in _MEASURED)}, "
                    "doubtful = coalesce(?, doubtful), "
                    "counts = frame_counts(verdict, coalesce(?, doubtful)) WHERE frame_id = ?",
                    (
                        *(getattr(values, name) for name in _MEASURED),
                        values.doubtful,
                        values.doubtful,
                        values.frame_id,
                    ),
                )
            case FrameJudged():
                verdict = None if values.verdict == "undecided" else values.verdict
                self._db.execute(
                    "UPDATE frames SET verdict = ?, counts = frame_counts(?, doubtful) WHERE frame_id = ?",
                    (verdict, verdict, values.frame_id),
                )
            case FrameLocated():
                self._db.execute(
                    "UPDATE frames SET path = coalesce(?, path), missing = ? WHERE frame_id = ?",
                    (values.path or None, not values.path, values.frame_id),
                )

    def _begin(self, event: Event, kind: str, rig_id: str, evening: str, words: str) -> None:
        self._db.execute(
            "INSERT INTO errands (errand, kind, rig, evening, words, began_at) VALUES (?, ?, ?, ?, ?, ?)",
            (event.errand, kind, rig_id, evening, words, event.at.astimezone(UTC).isoformat()),
        )

    def _focus_run(self, event: Event, number: int, run: dict[str, Any]) -> None:
        self._db.execute(
            "INSERT INTO focus_runs (ended, errand, rig, ended_at, filter, accepted, figures) VALUES "
            "(?, ?, coalesce((SELECT rig FROM errands WHERE errand = ?), ''), ?, ?, ?, ?)",
            (
                number,
                event.errand,
                event.errand,
                event.at.astimezone(UTC).isoformat(),
                str(run.get("filter", "")),
                bool(run.get("accepted")),
                json.dumps(run, ensure_ascii=False),
            ),
        )

    def focus_runs(self, rig_id: str, most: int = 200) -> list[FocusRow]:
        """A rig's last focus runs, newest first."""
        rows = self._db.execute(
            "SELECT ended, errand, ended_at, filter, accepted, figures FROM focus_runs WHERE rig = ? "
            "ORDER BY ended DESC LIMIT ?",
            (rig_id, most),
        )
        return [
            FocusRow(ended, errand, at, through, bool(accepted), json.loads(figures))
            for ended, errand, at, through, accepted, figures in rows
        ]

    def focus_run(self, ended: int) -> FocusRun | None:
        """One of them with its frames, by the number of its row."""
        row = self._db.execute("SELECT errand FROM focus_runs WHERE ended = ?", (ended,)).fetchone()
        if row is None:
            return None
        events = self._read("errand = ? AND id <= ?", (row[0], ended))
        return next((run for run in reversed(runs_of(events)) if run.number == ended), None)

    def polar_records(self, rig_id: str, most: int = 100) -> list[dict[str, Any]]:
        """A rig's last measurements of its polar axis, newest first, as `documents.polar.PolarRecord`."""
        rows = self._db.execute(
            "SELECT record FROM polar_records WHERE rig = ? ORDER BY told DESC LIMIT ?", (rig_id, most)
        )
        return [json.loads(record) for (record,) in rows]

    def events(self, errand: str, after: int = 0) -> list[Event]:
        """An errand's events in order, those after an id."""
        return self._read("errand = ? AND id > ?", (errand, after))

    def last_id(self) -> int:
        """Of the last event of all; 0 while there is none."""
        row = self._db.execute("SELECT coalesce(max(id), 0) FROM events").fetchone()
        return int(row[0])

    def told(
        self, rig_id: str, night: str, between: tuple[datetime, datetime], after: int = 0
    ) -> list[Event]:
        """What somebody who looks at a rig now has to hear, in order, after an id: the night's events, and
        those of all errands that are under way or ended between two moments."""
        moments = [moment.astimezone(UTC).isoformat() for moment in between]
        return self._read(
            "(errand = ? OR errand IN (SELECT errand FROM errands WHERE rig = ? AND kind != ? "
            "AND (over_at IS NULL OR over_at BETWEEN ? AND ?))) AND id > ?",
            (night, rig_id, NIGHT, *moments, after),
        )

    def _read(self, where: str, values: tuple[Any, ...]) -> list[Event]:
        rows = self._db.execute(f"SELECT {_COLUMNS} FROM events WHERE {where} ORDER BY id", values)
        found = []
        for row in rows:
            try:
                found.append(_event(row))
            except ValueError:  # of a kind that a newer Vigil knows, or damaged: the others are worth having
                log.error("event %s of %s can't be read and is passed over", row[0], row[1])
        return found

    def errands(self, rig_id: str, most: int = 100) -> list[ErrandRow]:
        """A rig's last errands of every kind, newest first."""
        rows = self._db.execute(
            "SELECT errand, kind, words, began_at, over_at, outcome FROM errands WHERE rig = ? "
            "ORDER BY rowid DESC LIMIT ?",
            (rig_id, most),
        )
        return [ErrandRow(*row) for row in rows]

    def unfinished(self, rig_id: str) -> list[ErrandRow]:
        """What a dead keeper left of a rig, oldest first. Of nights only the latest can be taken up."""
        rows = self._db.execute(
            "SELECT errand, kind, words, began_at, over_at, outcome FROM errands WHERE rig = ? "
            "AND over_at IS NULL AND (kind != ? OR rowid = (SELECT max(rowid) FROM errands "
            "WHERE rig = ? AND kind = ?)) ORDER BY rowid",
            (rig_id, NIGHT, rig_id, NIGHT),
        )
        return [ErrandRow(*row) for row in rows]

    def open_errands(self) -> list[tuple[str]]:
        """The names of all that has no end yet, of whatever rig."""
        return self._db.execute("SELECT errand FROM errands WHERE over_at IS NULL").fetchall()

    def last_night(self, rig_id: str) -> str | None:
        """The latest night of a rig, over or not."""
        row = self._db.execute(
            "SELECT errand FROM errands WHERE rig = ? AND kind = ? ORDER BY rowid DESC LIMIT 1",
            (rig_id, NIGHT),
        ).fetchone()
        return row[0] if row else None

    def next_number(self, rig_id: str, evening: str, kind: str) -> int:
        """Which one of its kind a new errand of an evening is, from 1."""
        rows = self._db.execute(
            "SELECT errand FROM errands WHERE rig = ? AND evening = ? AND kind = ?", (rig_id, evening, kind)
        )
        numbers = (row[0].rpartition("-")[2] for row in rows)
        return max((int(number) for number in numbers if number.isdigit()), default=0) + 1

    def frames(self, errand: str) -> list[dict[str, Any]]:
        """An errand's frames with their figures, in order of time."""
        cursor = self._db.execute("SELECT * FROM frames WHERE errand = ? ORDER BY started_at", (errand,))
        names: Sequence[str] = [column[0] for column in cursor.description]
        return [dict(zip(names, row, strict=True)) for row in cursor]

    # -- ledgers of earlier versions, one a rig ---------------------------------------------------------

    def frame_folders(self, rig_id: str) -> list[str]:
        """Where frames of a rig were put, by their paths."""
        rows = self._db.execute(
            "SELECT DISTINCT rtrim(path, replace(path, '/', '')) FROM frames WHERE rig = ?", (rig_id,)
        )
        return sorted(str(row[0]) for row in rows)

    def has_taken_over(self, source: str) -> bool:
        """Whether another ledger's events are here already."""
        row = self._db.execute("SELECT 1 FROM taken_over WHERE source = ?", (source,)).fetchone()
        return row is not None

    def take_over(self, source: str, rows: Iterable[Row]) -> int:
        """Add another ledger's events, all of them or none, those too that can't be read today; returns how
        many. Raises LedgerError where they contradict what is here."""
        count = 0
        try:
            with self._whole():
                for row in rows:
                    self._db.execute(
                        "INSERT INTO events (errand, at, kind, version, body, reason) "
                        "VALUES (?, ?, ?, ?, ?, ?)",
                        row,
                    )
                    self._derive_if_readable((0, *row))
                    count += 1
                self._db.execute("INSERT INTO taken_over (source, events) VALUES (?, ?)", (source, count))
        except sqlite3.DatabaseError as problem:
            raise LedgerError(f"{source}: its events can't be taken over: {why(problem)}") from problem
        return count

    def close(self) -> None:
        self._db.close()


def _frame_counts(verdict: str | None, doubtful: str | None) -> bool:
    """What counts is decided where a night decides it."""
    return counts({"verdict": verdict, "doubtful": doubtful})


def _event(row: tuple[Any, ...]) -> Event:
    number, errand, at, kind, version, body, reason = row
    return Event(
        id=number,
        errand=errand,
        at=at,
        kind=Kind(kind),
        version=version,
        values=json.loads(body),
        reason=reason,
    )
