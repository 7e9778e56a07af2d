"""What muster finds, and what it may know beside the rig."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from vigil.documents.messages import DeviceReport
from vigil.documents.rig.change import Path


@dataclass(frozen=True, slots=True)
class Remedy:
    """One click: a value for a field, or with `device` something to do with a device."""

    words: str
    value: Any = None
    device: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """Something wrong, or with `doubt` something that may be meant so. `path` leads to the field."""

    path: Path
    words: str
    doubt: bool = False
    remedy: Remedy | None = None


@dataclass(frozen=True, slots=True)
class Known:
    """What is known beside the document; what is None is not looked at."""

    at: datetime | None = None
    ambient_c: float | None = None
    free_bytes: int | None = None
    longest_exposure_s: float | None = None
    reports: Sequence[DeviceReport] | None = None

    @property
    def outside_c(self) -> float | None:
        """The air: as given, else by the weather station, else by the focuser's probe."""
        if self.ambient_c is not None:
            return self.ambient_c
        by_name = {report.name: report.state for report in self.reports or ()}
        for name in ("weather station", "focuser"):
            value = by_name.get(name, {}).get("temperature_c")
            if isinstance(value, int | float):
                return float(value)
        return None
