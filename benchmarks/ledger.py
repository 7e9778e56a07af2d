"""The ledger's views on 100,000 lights and five million guide samples, against the bare statements."""

import atexit
import json
import resource
import shutil
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Callable
from contextlib import closing
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

import numpy as np

from benchmarks.ratio import Ratio, compare
from campaigns.demo import demo_rig
from vigil.cli.files import demo_file
from vigil.documents.project import Project
from vigil.documents.store import load
from vigil.ledger.accounts import lost_by_night
from vigil.ledger.projecthours import all_progress
from vigil.ledger.reading import FRAME_COLUMNS, HOURS, NIGHTS, TRENDS, YIELDS, Sought, frames, nights, trends
from vigil.ledger.standings import judge_new
from vigil.ledger.store import LedgerStore
from vigil.ledger.trends import trends_of

LIGHTS, SAMPLES, A_NIGHT = 100_000, 5_000_000, 200
_LIMIT = 4.0
_BEGAN = datetime(2024, 1, 1, 20, tzinfo=UTC)
_FILTERS = ("L", "R", "G", "B", "Ha", "O3", "S2")
_MOST = 5000


@cache
def big_ledger() -> Path:
    """Made once for a run; it is gone when the process ends."""
    folder = tempfile.mkdtemp()
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    path = Path(folder) / "ledger.sqlite"
    LedgerStore(path).close()
    rng = np.random.default_rng(4)
    count = LIGHTS // A_NIGHT
    with closing(sqlite3.connect(path)) as base:
        base.execute("PRAGMA synchronous = OFF")
        for night in range(count):
            _night(base, night, rng)
        base.commit()
        each = SAMPLES // count
        body = json.dumps({"error": [0.31, -0.2], "pulse_ms": [40, 0], "snr": 41.0, "rates": [6.2, 7.5]})
        for night in range(count):
            at = (_BEGAN + timedelta(days=night)).isoformat()
            rows = ((f"night-{night}", "guide", at, body) for _ in range(each))
            base.executemany("INSERT INTO samples VALUES (?, ?, ?, ?)", rows)
        base.commit()
    judge_new(path, lambda _: project().limits)
    lost_by_night(path)
    return path


def _night(base: sqlite3.Connection, night: int, rng: np.random.Generator) -> None:
    begun = _BEGAN + timedelta(days=night)
    evening, name = f"{begun:%Y-%m-%d}", f"night-{night}"
    base.execute(
        "INSERT INTO errands VALUES (?, 'night', 'heron-480', ?, '', ?, ?, 'done')",
        (name, evening, begun.isoformat(), (begun + timedelta(hours=9)).isoformat()),
    )
    base.execute(
        "INSERT INTO night_accounts VALUES (?, 0, ?)",
        (name, json.dumps({"lost_s": {"held: too few stars": 600.0}, "exposed_s": 20_000.0})),
    )
    target = "IC 405" if night % 2 else "NGC 2403"
    through = _FILTERS[night % len(_FILTERS)]
    for k in range(A_NIGHT):
        base.execute(
            "INSERT INTO frames (frame_id, errand, rig, path, evening, kind, block, line, target, filter, "
            "exposure_s, started_at, temperature_c, focus_position, tube_c, guide_rms_arcsec, gain, offset, "
            "binning, air_mass, camera, hfr_px, fwhm_px, elongation, stars, background_adu, noise_adu, "
            "saturated, bright_flux_adu, pixel_noise_adu, trail_sigma, counts) VALUES "
            "(?, ?, 'heron-480', ?, ?, 'light', 'b', 'x', ?, ?, 120.0, ?, -10.0, 6012, ?, ?, 100, 50, 1, ?, "
            "'Wren 9M', ?, ?, ?, ?, ?, 8.1, 3, ?, 8.0, 4.0, 1)",
            (
                f"{name}-{k:04d}", name, f"/frames/{name}/{k:04d}.fits", evening, target, through,
                (begun + timedelta(seconds=130 * k)).isoformat(), float(rng.normal(4, 3)),
                float(abs(rng.normal(0.6, 0.1))), 1.2, float(rng.normal(1.4, 0.1)),
                float(rng.normal(2.4, 0.2)), float(rng.normal(1.08, 0.02)), int(rng.normal(900, 60)),
                float(rng.normal(520, 10)), float(rng.normal(20_000, 900)),
            ),
        )  # fmt: skip


@cache
def project() -> Project:
    return load(Project, demo_file("projects") / "ngc-2403.json")


@cache
def _projects() -> tuple[Project, ...]:
    return tuple(load(Project, path) for path in sorted(demo_file("projects").glob("*.json")))


def _bare(*statements: str) -> Callable[[], None]:
    def run() -> None:
        with closing(sqlite3.connect(f"file:{big_ledger()}?mode=ro", uri=True)) as base:
            for statement in statements:
                base.execute(statement).fetchall()

    return run


def _doubtful() -> str:
    columns = ", ".join(FRAME_COLUMNS)
    where = "kind = 'light' AND standing = 'doubtful'"
    return f"SELECT {columns} FROM frames WHERE {where} ORDER BY started_at LIMIT {_MOST}"


def view_projects() -> None:
    rig = demo_rig()
    all_progress(big_ledger(), _projects(), {rig.id: rig}, rig, datetime(2027, 1, 12, 17, tzinfo=UTC))


def view_nights() -> None:
    nights(big_ledger())
    lost_by_night(big_ledger())


def view_verdicts() -> None:
    frames(big_ledger(), Sought(standing="doubtful"), _MOST)


def view_trends() -> None:
    trends_of(trends(big_ledger()), lost_by_night(big_ledger()), "heron-480")


def projects() -> Ratio:
    """The projects' picture; the statements are those for hours and nights' yields."""
    big_ledger()
    return compare("ledger: projects", view_projects, _bare(HOURS, YIELDS), _LIMIT)


def all_nights() -> Ratio:
    big_ledger()
    return compare("ledger: nights", view_nights, _bare(NIGHTS), _LIMIT)


def verdicts() -> Ratio:
    big_ledger()
    return compare("ledger: verdicts", view_verdicts, _bare(_doubtful()), _LIMIT)


def across() -> Ratio:
    big_ledger()
    return compare("ledger: across nights", view_trends, _bare(TRENDS), _LIMIT)


def memory() -> Ratio:
    """All views opened ten times over against once, in processes of their own: peak memory."""
    path = big_ledger()

    def peak(times: int) -> float:
        done = subprocess.run(
            [sys.executable, "-m", "benchmarks.ledger", str(path), str(times)],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        return float(done.stdout)

    return Ratio("ledger: memory, ten openings", peak(10) / 1024, peak(1) / 1024, 1.1, "MB")


if __name__ == "__main__":
    there = Path(sys.argv[1])
    big_ledger = lambda: there  # type: ignore[assignment]  # noqa: E731
    for _ in range(int(sys.argv[2])):
        for view in (view_projects, view_nights, view_verdicts, view_trends):
            view()
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
