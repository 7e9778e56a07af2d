"""Star sizes against focuser positions, from a table of numbers."""

import csv
from collections.abc import Sequence
from pathlib import Path
from textwrap import shorten

from vigil.files.trouble import why
from vigil.focusing.fit import Point

_MOST_BYTES, _MOST_ROWS = 1_000_000, 10_000
_COLUMNS = ("position", "size", "scatter")


class BadTable(ValueError):
    """A table that can't be used; the message says what was wrong, where, and what would be right."""


def read_points(path: Path) -> list[Point]:
    """Of a CSV with the columns position, size and, if there is one, scatter. Raises BadTable."""
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise BadTable(f"{path}: over {_MOST_BYTES / 1e6:.0f} MB, too large for a table of positions")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as problem:
        raise BadTable(f"{path}: {why(problem)}") from None
    except UnicodeDecodeError:
        raise BadTable(f"{path}: no text; write a CSV with the columns position,size") from None
    rows = [row for row in csv.reader(text.splitlines()) if any(cell.strip() for cell in row)]
    if not rows:
        raise BadTable(f"{path}: empty; write a CSV with the columns position,size")
    names = [cell.strip().casefold() for cell in rows[0]]
    for needed in _COLUMNS[:2]:
        if needed not in names:
            there = shorten(", ".join(names), 80, placeholder=" …")
            raise BadTable(f"{path}, row 1: no column {needed!r}, only {there}; position,size are needed")
    if len(rows) > _MOST_ROWS:
        raise BadTable(f"{path}: over {_MOST_ROWS} rows")
    return [_point(path, number, names, row) for number, row in enumerate(rows[1:], start=2)]


def _point(path: Path, number: int, names: Sequence[str], row: Sequence[str]) -> Point:
    values = dict(zip(names, row, strict=False))
    found = []
    for name in _COLUMNS:
        said = values.get(name, "").strip()
        if not said and name == "scatter":
            found.append(0.0)
            continue
        try:
            value = float(said)
        except ValueError:
            raise BadTable(f"{path}, row {number}: {name} {said!r} is no number") from None
        if not (abs(value) < 1e9 and (name == "position" or value >= 0) and (name != "size" or value > 0)):
            right = {"position": "up to a thousand million", "size": "over 0", "scatter": "0 or more"}[name]
            raise BadTable(f"{path}, row {number}: {name} {said} must be {right}")
        found.append(value)
    return Point(*found)
