"""Star sizes against focuser positions, from a table of numbers."""

from pathlib import Path

from vigil.files.tables import read_table
from vigil.focusing.fit import Point

_MOST_BYTES, _MOST_ROWS = 1_000_000, 10_000
_COLUMNS = ("position", "size", "scatter")
_RIGHT = "write a CSV with the columns position,size"


class BadTable(ValueError):
    """A table that can't be used; the message says what was wrong, where, and what would be right."""


def read_points(path: Path) -> list[Point]:
    """Of a CSV with the columns position, size and, if there is one, scatter. Raises BadTable."""
    try:
        rows = read_table(path, _COLUMNS[:2], _RIGHT, _MOST_BYTES, _MOST_ROWS)
    except ValueError as problem:
        raise BadTable(str(problem)) from None
    return [_point(path, number, values) for number, values in rows]


def _point(path: Path, number: int, values: dict[str, str]) -> Point:
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
