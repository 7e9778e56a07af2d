"""What the ledger has, as CSV."""

import csv
import io
from collections.abc import Iterable
from dataclasses import fields
from pathlib import Path
from typing import Any

from vigil.ledger.reading import FRAME_COLUMNS, NightRow, Sought, frames, nights

NIGHT_COLUMNS = tuple(f.name for f in fields(NightRow))


def frames_csv(ledger: Path, sought: Sought) -> str:
    """Frames with `FRAME_COLUMNS`. Raises LedgerUnread."""
    return table(FRAME_COLUMNS, ([row[name] for name in FRAME_COLUMNS] for row in frames(ledger, sought)))


def nights_csv(ledger: Path, rig: str = "") -> str:
    """Nights with `NIGHT_COLUMNS`. Raises LedgerUnread."""
    return table(
        NIGHT_COLUMNS, ([_cell(getattr(n, name)) for name in NIGHT_COLUMNS] for n in nights(ledger, rig))
    )


def table(columns: Iterable[str], rows: Iterable[Iterable[Any]]) -> str:
    """Columns' names and rows; what isn't known is left empty."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    for row in rows:
        writer.writerow(["" if value is None else value for value in row])
    return out.getvalue()


def _cell(value: Any) -> Any:
    if isinstance(value, tuple):
        return "; ".join(value)
    return round(value, 4) if isinstance(value, float) else value
