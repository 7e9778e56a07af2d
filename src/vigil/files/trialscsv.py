"""Trial flats as a table (CSV)."""

import math
from pathlib import Path

from vigil.files.tables import read_table
from vigil.levels.trials import Trial

_NEEDED = ("filter", "level", "exposure_s", "mean_adu")
_RIGHT = f"write a CSV with the columns {','.join(_NEEDED)}, a row a trial"
_MOST_BYTES, _MOST_ROWS = 2_000_000, 20_000


def read_trials(path: Path) -> list[Trial]:
    """In the order of the file. Raises ValueError with the place and what would be right."""
    trials = []
    for number, cells in read_table(path, _NEEDED, _RIGHT, _MOST_BYTES, _MOST_ROWS):
        name = (cells.get("filter") or "").strip()
        if not name:
            raise ValueError(f"{path}, row {number}: no filter; {_RIGHT}")
        values = {key: _number(path, number, key, cells.get(key) or "") for key in _NEEDED[1:]}
        level = values["level"]
        if level != round(level) or level < 0:
            raise ValueError(f"{path}, row {number}: level {level:g} is no whole step from 0 on")
        if not 0 < values["exposure_s"] <= 86400:
            raise ValueError(f"{path}, row {number}: exposure_s {values['exposure_s']:g} must be above 0")
        trials.append(Trial(name, round(level), values["exposure_s"], values["mean_adu"]))
    return trials


def _number(path: Path, row: int, key: str, said: str) -> float:
    try:
        value = float(said)
    except ValueError:
        raise ValueError(f"{path}, row {row}: {key} {said!r} is no number") from None
    if not math.isfinite(value) or abs(value) > 1e9:
        raise ValueError(f"{path}, row {row}: {key} {said} is out of all reason")
    return value
