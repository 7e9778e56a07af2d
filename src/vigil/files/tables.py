"""Tables (CSV) that people bring: their rows with the head's names, or a clear refusal."""

import csv
from collections.abc import Sequence
from pathlib import Path
from textwrap import shorten

from vigil.files.trouble import why


def read_table(
    path: Path, needed: Sequence[str], right: str, most_bytes: int, most_rows: int
) -> list[tuple[int, dict[str, str]]]:
    """Each row that holds anything, by its number in the file, as texts by the head's names in small letters.
    `right` says what the file should be. Raises ValueError with the file, the place and what would be right.
    """
    try:
        if path.stat().st_size > most_bytes:
            raise ValueError(f"{path}: over {most_bytes / 1e6:.0f} MB, too large; {right}")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as problem:
        raise ValueError(f"{path}: {why(problem)}") from None
    except UnicodeDecodeError:
        raise ValueError(f"{path}: no text; {right}") from None
    rows = [row for row in csv.reader(text.splitlines()) if any(cell.strip() for cell in row)]
    if not rows:
        raise ValueError(f"{path}: empty; {right}")
    names = [cell.strip().casefold() for cell in rows[0]]
    for name in needed:
        if name not in names:
            there = shorten(", ".join(names), 80, placeholder=" …")
            raise ValueError(f"{path}, row 1: no column {name!r}, only {there}; {right}")
    if len(rows) > most_rows:
        raise ValueError(f"{path}: over {most_rows} rows")
    return [(number, dict(zip(names, row, strict=False))) for number, row in enumerate(rows[1:], start=2)]
