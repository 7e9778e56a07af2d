"""The ledger read for its views: one statement each, beside whoever writes it."""

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

_WAIT_S = 5.0
NIGHTS = """
SELECT e.errand, e.rig, e.evening, e.began_at, e.over_at, e.outcome,
       count(f.frame_id), coalesce(sum(f.exposure_s), 0.0),
       coalesce(sum(CASE WHEN f.standing = 'kept' THEN f.exposure_s END), 0.0),
       coalesce(sum(f.standing = 'doubtful'), 0), coalesce(sum(f.standing = 'rejected'), 0),
       coalesce(group_concat(DISTINCT f.target), '')
FROM errands e LEFT JOIN frames f ON f.errand = e.errand AND f.kind = 'light'
WHERE e.kind = 'night' GROUP BY e.errand ORDER BY e.began_at DESC
"""
HOURS = """
SELECT target, coalesce(filter, ''), rig, standing, count(*), sum(exposure_s), max(evening)
FROM frames WHERE kind = 'light' GROUP BY 1, 2, 3, 4
"""
YIELDS = """
SELECT target, rig, evening, sum(CASE WHEN standing = 'kept' THEN exposure_s ELSE 0 END)
FROM frames WHERE kind = 'light' GROUP BY 1, 2, 3
"""
TRENDS = """
SELECT evening, rig, coalesce(filter, ''), started_at, fwhm_px, hfr_px, elongation, stars, background_adu,
       guide_rms_arcsec, tube_c, air_mass, focus_position, standing, exposure_s, target
FROM frames WHERE kind = 'light' ORDER BY started_at
"""
FRAME_COLUMNS = (
    "frame_id", "errand", "rig", "evening", "path", "missing", "kind", "target", "filter", "exposure_s",
    "started_at", "gain", "offset", "binning", "temperature_c", "set_point_c", "focus_position", "tube_c",
    "air_mass", "hfr_px", "fwhm_px", "elongation", "stars", "background_adu", "noise_adu", "saturated",
    "bright_flux_adu", "pixel_noise_adu", "trail_sigma", "guide_rms_arcsec", "off_arcsec",
    "position_angle_deg", "ra_deg", "dec_deg", "electrons_per_adu", "camera", "standing", "because",
    "doubtful", "verdict",
)  # fmt: skip
"""As `frames` gives them, and as `vigil ledger export` writes them."""


class LedgerUnread(RuntimeError):
    """The ledger can't be read; the message says which file and why."""


@dataclass(frozen=True, slots=True)
class NightRow:
    """A night as the ledger lists it. Times are ISO text, UTC."""

    errand: str
    rig: str
    evening: str
    began_at: str
    over_at: str | None
    outcome: str | None
    frames: int
    taken_h: float
    kept_h: float
    doubtful: int
    rejected: int
    targets: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class HoursRow:
    """What there is of a target through a filter with a rig, of one standing."""

    target: str
    filter: str
    rig: str
    standing: str
    frames: int
    hours: float
    last_evening: str


@dataclass(frozen=True, slots=True)
class YieldRow:
    """What an evening kept of a target."""

    target: str
    rig: str
    evening: str
    kept_h: float


@dataclass(frozen=True, slots=True)
class Sought:
    """Which frames are asked for; empty asks nothing."""

    rig: str = ""
    targets: tuple[str, ...] = ()
    filter: str | None = None
    evening: str = ""
    errand: str = ""
    standing: str = ""
    kind: str = "light"
    only_missing: bool = False
    ids: tuple[str, ...] = field(default=())


@contextmanager
def reading(ledger: Path) -> Iterator[sqlite3.Connection]:
    """A connection that can only read. Raises LedgerUnread, also for what goes wrong inside."""
    if not ledger.is_file():
        raise LedgerUnread(f"{ledger}: there is no ledger yet; it begins with the first night")
    try:
        with closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True, timeout=_WAIT_S)) as base:
            yield base
    except sqlite3.Error as problem:
        raise LedgerUnread(f"{ledger}: it can't be read ({problem})") from None


def nights(ledger: Path, rig: str = "") -> list[NightRow]:
    """All nights, or a rig's, newest first; none without a ledger. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    with reading(ledger) as base:
        found = [_night(row) for row in base.execute(NIGHTS)]
    return [night for night in found if not rig or night.rig == rig]


def _night(row: tuple[Any, ...]) -> NightRow:
    errand, rig, evening, began, over, outcome, frames, taken_s, kept_s, doubtful, rejected, targets = row
    told = errand, rig, evening, began, over, outcome
    return NightRow(*told, frames, taken_s / 3600, kept_s / 3600, doubtful, rejected, _names(targets))


def _names(text: str) -> tuple[str, ...]:
    return tuple(name for name in text.split(",") if name)


def hours(ledger: Path) -> list[HoursRow]:
    """What there is of everything; none without a ledger. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    with reading(ledger) as base:
        return [
            HoursRow(target, through, rig, standing, frames, seconds / 3600, last)
            for target, through, rig, standing, frames, seconds, last in base.execute(HOURS)
        ]


def yields(ledger: Path) -> list[YieldRow]:
    """What each evening kept of each target; none without a ledger. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    with reading(ledger) as base:
        return [
            YieldRow(target, rig, evening, seconds / 3600)
            for target, rig, evening, seconds in base.execute(YIELDS)
        ]


def frames(ledger: Path, sought: Sought = Sought(), most: int = -1, skip: int = 0) -> list[dict[str, Any]]:
    """Frames in order of time, each with `FRAME_COLUMNS`; `most` −1 is all. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    where, values = _where(sought)
    query = (
        f"SELECT {', '.join(FRAME_COLUMNS)} FROM frames WHERE {where} ORDER BY started_at LIMIT ? OFFSET ?"
    )
    with reading(ledger) as base:
        return [
            dict(zip(FRAME_COLUMNS, row, strict=True)) for row in base.execute(query, (*values, most, skip))
        ]


def count(ledger: Path, sought: Sought = Sought()) -> int:
    """How many frames that would be. Raises LedgerUnread."""
    if not ledger.is_file():
        return 0
    where, values = _where(sought)
    with reading(ledger) as base:
        return int(base.execute(f"SELECT count(*) FROM frames WHERE {where}", values).fetchone()[0])


def trends(ledger: Path) -> list[tuple[Any, ...]]:
    """Every light's figures as `TRENDS` names them, in order of time. Raises LedgerUnread."""
    if not ledger.is_file():
        return []
    with reading(ledger) as base:
        return base.execute(TRENDS).fetchall()


def query(ledger: Path, statement: str) -> tuple[list[str], list[tuple[Any, ...]]]:
    """Somebody's own question: the columns' names, and the rows. Only reading is possible. Raises
    LedgerUnread."""
    with reading(ledger) as base:
        cursor = base.execute(statement)
        return [column[0] for column in cursor.description or ()], cursor.fetchall()


def _where(sought: Sought) -> tuple[str, tuple[Any, ...]]:
    parts, values = ["1"], list[Any]()

    def ask(column: str, value: Any) -> None:
        if value:
            parts.append(f"{column} = ?")
            values.append(value)

    def among(column: str, wanted: Sequence[str]) -> None:
        if wanted:
            parts.append(f"{column} IN ({', '.join('?' * len(wanted))})")
            values.extend(wanted)

    ask("kind", sought.kind)
    ask("rig", sought.rig)
    ask("evening", sought.evening)
    ask("errand", sought.errand)
    ask("standing", sought.standing)
    if sought.filter is not None:
        parts.append("coalesce(filter, '') = ?")
        values.append(sought.filter)
    if sought.only_missing:
        parts.append("missing")
    among("target", sought.targets)
    among("frame_id", sought.ids)
    return " AND ".join(parts), tuple(values)
