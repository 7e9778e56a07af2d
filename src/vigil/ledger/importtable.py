"""Frames out of a table (CSV) taken into the ledger: what `vigil ledger export frames` wrote, or a list of
one's own."""

import csv
import hashlib
import io
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from vigil.documents.events import Kind
from vigil.documents.eventvalues import BadValues
from vigil.documents.rig import Rig
from vigil.files.names import evening_date
from vigil.ledger.importing import Intake, Known
from vigil.ledger.reading import FRAME_COLUMNS

NEEDED = ("target", "exposure_s", "started_at")
_TEXT = {"frame_id", "path", "kind", "target", "filter", "started_at", "camera", "evening"}
_WHOLE = {"gain", "offset", "binning", "focus_position", "stars", "saturated"}
_SAVED = (
    "path",
    "kind",
    "target",
    "filter",
    "exposure_s",
    "started_at",
    "temperature_c",
    "focus_position",
    "tube_c",
    "guide_rms_arcsec",
    "gain",
    "offset",
    "binning",
    "set_point_c",
    "electrons_per_adu",
    "ra_deg",
    "dec_deg",
    "air_mass",
    "evening",
    "camera",
)
_MEASURED = (
    "stars",
    "hfr_px",
    "fwhm_px",
    "elongation",
    "background_adu",
    "noise_adu",
    "saturated",
    "bright_flux_adu",
    "pixel_noise_adu",
    "trail_sigma",
    "off_arcsec",
    "position_angle_deg",
)


@dataclass(frozen=True, slots=True)
class TableTaken:
    """`left_out` names lines with the reason; `unknown` are columns that say nothing here."""

    taken: int
    left_out: tuple[str, ...]
    unknown: tuple[str, ...]


def import_table(ledger: Path, text: str, rig: Rig, now: datetime) -> TableTaken:
    """Take in every line that says enough: the columns are those of the export, in any order, of which
    `target exposure_s started_at` are needed; a person's `verdict` comes along. Raises ValueError for a table
    without them, and LedgerError."""
    reader = csv.DictReader(io.StringIO(text))
    columns = [name.strip() for name in reader.fieldnames or ()]
    if missing := [name for name in NEEDED if name not in columns]:
        raise ValueError(
            f"the table has no column {', '.join(missing)}; it has {', '.join(columns) or 'none'}"
        )
    known = Known(ledger)
    left: list[str] = []
    with Intake(ledger, rig, now, "frames from a table") as intake:
        for number, row in enumerate(reader, start=2):
            try:
                saved, measured = _values(row, rig)
                at = datetime.fromisoformat(saved["started_at"])
                place = Path(saved["path"])
                if why := known.twin(saved["frame_id"], place, saved["camera"], saved["exposure_s"], at):
                    raise ValueError(why)
                intake.add(Kind.FRAME_SAVED, saved, f"taken in from line {number}")
            except (ValueError, BadValues) as problem:
                left.append(f"line {number}: {problem}")
                continue
            if measured is not None:
                intake.add(Kind.FRAME_MEASURED, measured, "as the table has it")
            if (row.get("verdict") or "").strip() in ("kept", "rejected"):
                word = {"frame_id": saved["frame_id"], "verdict": str(row["verdict"]).strip()}
                intake.add(Kind.FRAME_JUDGED, word, "as the table has it")
            known.add(saved)
    return TableTaken(intake.frames, tuple(left), tuple(c for c in columns if c not in FRAME_COLUMNS))


def _values(row: Mapping[str, str | None], rig: Rig) -> tuple[dict[str, Any], dict[str, Any] | None]:
    """Of frame_saved and frame_measured. Raises ValueError with the column that is wrong."""
    told = {name: _read(name, row.get(name)) for name in FRAME_COLUMNS}
    for name in NEEDED:
        if told[name] is None:
            raise ValueError(f"{name} is empty")
    try:
        at = datetime.fromisoformat(told["started_at"])
    except ValueError:
        raise ValueError(f"started_at {told['started_at']!r} is no moment, as 2027-01-12T21:30:00Z") from None
    at = at.replace(tzinfo=UTC) if at.tzinfo is None else at.astimezone(UTC)
    saved = {name: told[name] for name in _SAVED if told[name] is not None}
    saved |= {
        "started_at": at.isoformat(),
        "evening": told["evening"] or evening_date(at, rig.site.time_zone),
    }
    saved.setdefault("path", "")
    saved.setdefault("camera", "")
    stamp = f"{at.isoformat()} {told['camera']} {told['exposure_s']} {told['filter']} {told['target']}"
    saved["frame_id"] = told["frame_id"] or f"table-{hashlib.sha256(stamp.encode()).hexdigest()[:16]}"
    if told["stars"] is None:
        return saved, None
    measured = {name: told[name] for name in _MEASURED if told[name] is not None}
    return saved, {**measured, "frame_id": saved["frame_id"], "filter": told["filter"]}


def _read(name: str, text: str | None) -> Any:
    """A cell's value; None where it is empty."""
    bare = (text or "").strip()
    if not bare:
        return None
    if name in _TEXT:
        return bare
    if name in ("errand", "rig", "missing", "standing", "because", "doubtful", "verdict"):
        return None
    try:
        return int(bare) if name in _WHOLE else float(bare)
    except ValueError:
        raise ValueError(f"{name} {bare!r} is no number") from None
