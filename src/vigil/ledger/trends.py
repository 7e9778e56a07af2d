"""Figures of all lights, of the camera's darks and of lost time, as columns to be held against each other."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.documents.figures import signed
from vigil.files.camerahealth import DarkDay
from vigil.ledger.accounts import NightLost

Floats = NDArray[np.float64]
_COLUMNS = (
    "evening", "rig", "filter", "started_at", "fwhm_px", "hfr_px", "elongation", "stars", "background_adu",
    "guide_rms_arcsec", "tube_c", "air_mass", "focus_position", "standing",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Trends:
    """Every light's figures as columns, and each night's lost time."""

    numbers: dict[str, Floats]
    filters: tuple[str, ...]
    which: NDArray[np.int64]
    """Each light's filter, by its place in `filters`."""
    lost: tuple[NightLost, ...]

    def __len__(self) -> int:
        return len(self.which)


def trends_of(rows: Sequence[tuple[Any, ...]], lost: Sequence[NightLost], rig: str = "") -> Trends:
    """Out of the ledger's rows; for a worker thread."""
    mine = [row for row in rows if (not rig or row[1] == rig) and row[13] != "rejected"]
    numbers: dict[str, Floats] = {}
    for name in ("fwhm_px", "tube_c", "air_mass", "guide_rms_arcsec", "background_adu", "focus_position"):
        at = _COLUMNS.index(name)
        numbers[name] = np.array([np.nan if r[at] is None else r[at] for r in mine], dtype=np.float64)
    numbers["day"] = np.array([_day(r[0]) for r in mine], dtype=np.float64)
    filters = tuple(dict.fromkeys(str(r[2]) for r in mine))
    place = {name: n for n, name in enumerate(filters)}
    which = np.array([place[str(r[2])] for r in mine], dtype=np.int64)
    return Trends(numbers, filters, which, tuple(n for n in lost if not rig or n.rig == rig))


def darks_of(days: Sequence[DarkDay]) -> Trends:
    """The camera's darks, in the same shape; what tells them apart is their temperature."""
    told = ["–" if day.temperature_c is None else f"{signed(day.temperature_c, 0)} °C" for day in days]
    kinds = tuple(dict.fromkeys(told))
    numbers = {
        "day": np.array([float(day.at.date().toordinal()) for day in days]),
        "dark_e_s": np.array([day.dark_e_s for day in days]),
        "hot_percent": np.array([100 * day.hot_share for day in days]),
    }
    which = np.array([kinds.index(one) for one in told], dtype=np.int64)
    return Trends(numbers, kinds, which, ())


def _day(evening: str) -> float:
    return float(date.fromisoformat(evening).toordinal()) if evening else float("nan")


def theil_slope(x: Floats, y: Floats) -> float | None:
    """Theil's slope (1950): the median of those between pairs; of many lights an even sample."""
    good = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    if good.size < 12 or np.ptp(x[good]) == 0:
        return None
    some = good[:: max(1, good.size // 400)]
    dx, dy = x[some][:, None] - x[some], y[some][:, None] - y[some]
    apart = np.abs(dx) > 0.2 * np.std(x[some])
    return float(np.median(dy[apart] / dx[apart])) if apart.any() else None
