"""Guide records as tables (CSV)."""

import math
from pathlib import Path

import numpy as np

from vigil.files.tables import read_table
from vigil.guiding.record import USUAL_RATE_ARCSEC_S, AxisRecord, BadRecord, GuideRecord

_MOST_BYTES, _MOST_ROWS = 50_000_000, 200_000
_NEEDED = ("time_s", "ra_arcsec", "dec_arcsec")
_PULSES = ("ra_pulse_ms", "dec_pulse_ms")
_RATES = ("ra_rate_arcsec_s", "dec_rate_arcsec_s")
COLUMNS = (*_NEEDED, *_PULSES, "snr", *_RATES)
_RIGHT = f"write a CSV with the columns {','.join((*_NEEDED, *_PULSES, 'snr'))}"


def read_guide_record(path: Path) -> GuideRecord:
    """Of a CSV with a row a frame: `time_s` of the exposure's middle, the star from its first place
    (`ra_arcsec` on the sky, `dec_arcsec`), the pulses after it (`ra_pulse_ms`, `dec_pulse_ms`; 0 where
    missing), `snr`; where a column says what a second of pulse does (`ra_rate_arcsec_s`, `dec_…`), its first
    value counts. In rows without a place the star was not seen. Raises BadRecord."""
    try:
        rows = read_table(path, _NEEDED, _RIGHT, _MOST_BYTES, _MOST_ROWS)
    except ValueError as problem:
        raise BadRecord(str(problem)) from None
    return _record(path, [_values(path, number, cells) for number, cells in rows])


def _values(path: Path, number: int, cells: dict[str, str]) -> dict[str, float]:
    found = {}
    for name in COLUMNS:
        said = cells.get(name, "").strip()
        if not said and name != "time_s":
            found[name] = 0.0 if name in _PULSES else math.nan
            continue
        try:
            value = float(said)
        except ValueError:
            raise BadRecord(f"{path}, row {number}: {name} {said!r} is no number") from None
        if not abs(value) < 1e9:
            raise BadRecord(f"{path}, row {number}: {name} {said} is out of all reason")
        found[name] = value
    return found


def _record(path: Path, table: list[dict[str, float]]) -> GuideRecord:
    seen: list[dict[str, float]] = []
    for row in table:
        if math.isfinite(row["ra_arcsec"]) and math.isfinite(row["dec_arcsec"]):
            seen.append(dict(row))
        elif seen:  # what was sent blindly moved the star all the same
            for name in _PULSES:
                seen[-1][name] += row[name]
    columns = {name: np.array([row[name] for row in seen]) for name in COLUMNS}
    rates = []
    for name in _RATES:
        given = columns[name][np.isfinite(columns[name])] if seen else np.empty(0)
        rates.append(float(given[0]) if given.size else USUAL_RATE_ARCSEC_S)
        if rates[-1] <= 0:
            raise BadRecord(f"{path}: {name} {rates[-1]:g} must be over 0")
    try:
        return GuideRecord(
            *(
                AxisRecord(columns["time_s"], columns[f"{axis}_arcsec"], columns[f"{axis}_pulse_ms"], rate)
                for axis, rate in zip(("ra", "dec"), rates, strict=True)
            ),
            snr=columns["snr"],
        )
    except BadRecord as problem:
        raise BadRecord(f"{path}: {problem}") from None
