"""File and folder names that sort and explain themselves."""

import re
from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo


def evening_date(moment: datetime, zone: str) -> str:
    """The date that a night carries: from local noon to noon it is the evening's."""
    return (moment.astimezone(ZoneInfo(zone)) - timedelta(hours=12)).date().isoformat()


def safe(text: str) -> str:
    """Text fit for any file system: letters, digits, dot, plus, minus; the rest becomes a hyphen."""
    return re.sub(r"[^\w.+-]+", "-", text.strip()).strip("-.") or "unnamed"


def light_path(
    folder: Path,
    *,
    date: str,
    target: str,
    rig: str,
    filter_name: str,
    exposure_s: float,
    number: int,
    frame_id: str,
) -> Path:
    """DATE/TARGET/FILTER/TARGET_RIG_FILTER_EXPOSURE_NUMBER_ID.fits; the id makes it unique."""
    name = (
        f"{safe(target)}_{safe(rig)}_light_{safe(filter_name)}_{exposure_s:g}s_"
        f"{number:04d}_{safe(frame_id)}.fits"
    )
    return folder / date / safe(target) / safe(filter_name) / name
