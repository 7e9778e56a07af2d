"""Lights' verdicts kept in the ledger: what has come since is judged before anybody looks."""

import sqlite3
from collections.abc import Callable
from contextlib import closing
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.documents.project import VerdictLimits
from vigil.ledger.reading import LedgerUnread
from vigil.ledger.store import LedgerStore
from vigil.verdicts.judging import Judged, Lights, Limits, judge

_MODEL = 1
"""Counted up when `verdicts.judging` judges otherwise: everything is judged anew then."""
_GROUPS = """
SELECT f.target, coalesce(f.filter, ''), f.rig, f.exposure_s, f.binning, count(*), count(f.stars), g.by
FROM frames f LEFT JOIN judged_groups g
  ON g.target = f.target AND g.filter = coalesce(f.filter, '') AND g.rig = f.rig
  AND g.exposure_s = f.exposure_s AND g.binning = f.binning
WHERE f.kind = 'light' GROUP BY f.target, f.filter, f.rig, f.exposure_s, f.binning
"""
_GROUP = """
SELECT rowid, evening, started_at, coalesce(fwhm_px, hfr_px), stars, bright_flux_adu, elongation,
       background_adu, guide_rms_arcsec, air_mass, trail_sigma, noise_adu
FROM frames WHERE kind = 'light' AND target = ? AND coalesce(filter, '') = ? AND rig = ?
  AND exposure_s = ? AND binning = ? ORDER BY started_at
"""
LimitsOf = Callable[[str], VerdictLimits]
"""By a frame's target."""


def judge_new(ledger: Path, limits_of: LimitsOf = lambda _: VerdictLimits()) -> int:
    """Judge every series of lights that has grown, or whose limits have changed, since it was judged; how
    many series that were. Each is one short transaction. Raises LedgerUnread."""
    if not ledger.is_file():
        return 0
    try:
        LedgerStore(ledger).close()  # of an older schema it is brought up first
        with closing(sqlite3.connect(ledger, timeout=30, isolation_level=None)) as base:
            base.execute("PRAGMA synchronous = NORMAL")  # it can be judged again
            done = 0
            for *key, frames, measured, by in base.execute(_GROUPS).fetchall():
                limits = limits_of(key[0])
                now = f"{_MODEL}/{frames}/{measured}/{limits.model_dump_json()}"
                if by != now:
                    _judge_group(base, key, limits, now)
                    done += 1
            return done
    except sqlite3.Error as problem:
        raise LedgerUnread(f"{ledger}: its lights can't be judged ({problem})") from None


def _judge_group(base: sqlite3.Connection, key: list[Any], limits: VerdictLimits, by: str) -> None:
    rows = base.execute(_GROUP, key).fetchall()
    verdicts = judge(_lights(rows), _limits(limits))
    base.execute("BEGIN IMMEDIATE")
    try:
        base.executemany(
            "UPDATE frames SET judged = ?, because = ? WHERE rowid = ?",
            [(*_kept_as(v, row), row[0]) for row, v in zip(rows, verdicts, strict=True)],
        )
        base.execute("INSERT OR REPLACE INTO judged_groups VALUES (?, ?, ?, ?, ?, ?)", (*key, by))
        base.execute("COMMIT")
    except BaseException:
        base.execute("ROLLBACK")
        raise


def _kept_as(verdict: Judged, row: tuple[Any, ...]) -> tuple[str | None, str | None]:
    if row[4] is None:  # not measured yet, or never: nothing is known against it
        return None, None
    return (verdict.standing.value, verdict.because or None)


def _limits(limits: VerdictLimits) -> Limits:
    def share(percent: float | None) -> float:
        return float("inf") if percent is None else percent / 100

    return Limits(
        grown=share(limits.grown_percent),
        fewer=min(share(limits.fewer_percent), 0.999999),
        longer=float("inf") if limits.longer is None else limits.longer,
        brighter=share(limits.brighter_percent),
        guide_arcsec=float("nan") if limits.guide_arcsec is None else limits.guide_arcsec,
        trails=limits.trails,
    )


def _lights(rows: list[tuple[Any, ...]]) -> Lights:
    def column(number: int) -> NDArray[np.float64]:
        return np.array([np.nan if row[number] is None else row[number] for row in rows], dtype=np.float64)

    evenings = {evening: n for n, evening in enumerate(dict.fromkeys(row[1] for row in rows))}
    # a frame that was not measured is not without stars
    stars = np.array([np.nan if row[4] is None else row[4] for row in rows], dtype=np.float64)
    return Lights(
        night=np.array([evenings[row[1]] for row in rows], dtype=np.int64),
        at_s=np.array([datetime.fromisoformat(row[2]).timestamp() for row in rows]),
        size_px=column(3),
        stars=stars,
        flux_adu=column(5),
        noise_adu=column(11),
        elongation=column(6),
        background_adu=column(7),
        guide_rms_arcsec=column(8),
        air_mass=column(9),
        trail_sigma=np.nan_to_num(column(10), nan=0.0),
    )
