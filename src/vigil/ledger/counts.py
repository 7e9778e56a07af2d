"""What a ledger has of targets, read beside the keeper that writes it."""

import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True, slots=True)
class TakenFrame:
    """A light in the ledger. `started_at` is ISO text, UTC."""

    path: Path
    target: str
    filter: str
    exposure_s: float
    started_at: str


def frames_taken(ledger: Path, rig_id: str) -> dict[tuple[str, str], int]:
    """A rig's lights that count, by target and filter; nothing when there is no ledger yet, or it can't be
    read."""
    rows = _read(
        ledger,
        "SELECT target, coalesce(filter, ''), count(*) FROM frames "
        "WHERE rig = ? AND kind = 'light' AND counts GROUP BY 1, 2",
        rig_id,
    )
    return {(target, name): count for target, name, count in rows}


def lights(ledger: Path, rig_id: str, most: int = 500) -> list[TakenFrame]:
    """A rig's last lights, newest first."""
    rows = _read(
        ledger,
        "SELECT path, target, coalesce(filter, ''), exposure_s, started_at FROM frames "
        f"WHERE rig = ? AND kind = 'light' ORDER BY started_at DESC LIMIT {int(most)}",
        rig_id,
    )
    return [TakenFrame(Path(path), *rest) for path, *rest in rows]


def earlier_of(ledger: Path, rig_id: str, target: str, most: int = 30) -> list[TakenFrame]:
    """A target's lights to match, newest first: the last of each evening through each filter whose file is
    there. Frames after midnight (UTC) may count as an evening of their own."""
    found: dict[tuple[str, str, str], TakenFrame] = {}
    for light in lights(ledger, rig_id, 5000):
        if light.target == target or light.target.startswith(f"{target} "):
            key = light.target, light.filter, light.started_at[:10]
            if key not in found and light.path.exists():
                found[key] = light
        if len(found) == most:
            break
    return list(found.values())


def _read(ledger: Path, query: str, *values: str) -> list[tuple[Any, ...]]:
    if not ledger.is_file():
        return []
    try:
        with closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True, timeout=2)) as base:
            return base.execute(query, values).fetchall()
    except sqlite3.Error:
        return []
