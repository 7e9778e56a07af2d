"""Instants on the time scales that positions need, made once from UTC."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

import erfa
import numpy as np
from numpy.typing import NDArray

from vigil.sky.ut1_table import FIRST_MJD, STEP_DAYS, UT1_UTC_S

Floats = NDArray[np.float64]
_UNIX_EPOCH_JD = 2440587.5
_UT1_MJD = FIRST_MJD + STEP_DAYS * np.arange(len(UT1_UTC_S))


@dataclass(frozen=True, slots=True)
class Instants:
    """Instants of any shape as two-part Julian dates (ERFA's convention, sum = date).

    Between the parts the larger comes first. `dut1_s` is UT1−UTC from the bundled table, 0 outside it.
    """

    utc1: Floats
    utc2: Floats
    tt1: Floats
    tt2: Floats
    ut11: Floats
    ut12: Floats
    dut1_s: Floats


def from_unix(unix_s: float | Floats) -> Instants:
    """Instants from POSIX seconds, an array of any shape. Leap seconds are as POSIX has them: unseen."""
    seconds = np.asarray(unix_s, dtype=float)
    days = np.floor(seconds / 86400.0)
    utc1 = _UNIX_EPOCH_JD + days
    utc2 = seconds / 86400.0 - days
    dut1_s = ut1_minus_utc_s(utc1 - 2400000.5 + utc2)
    tai1, tai2 = erfa.utctai(utc1, utc2)
    tt1, tt2 = erfa.taitt(tai1, tai2)
    ut11, ut12 = erfa.utcut1(utc1, utc2, dut1_s)
    return Instants(utc1, utc2, tt1, tt2, ut11, ut12, dut1_s)


def from_datetimes(moments: datetime | Iterable[datetime]) -> Instants:
    """Instants from one aware datetime (scalar arrays) or several. Raises ValueError for a naive one."""
    if isinstance(moments, datetime):
        return _one_instant(unix_s(moments))
    return from_unix(np.array([unix_s(m) for m in moments]))


@lru_cache(maxsize=64)
def _one_instant(seconds: float) -> Instants:
    """Everything in a night asks for the same `now`, one after the other."""
    return from_unix(seconds)


def unix_s(moment: datetime) -> float:
    """POSIX seconds of an aware datetime."""
    if moment.tzinfo is None:
        raise ValueError(f"{moment} has no time zone: give an aware datetime, in UTC")
    return moment.timestamp()


def to_datetime(seconds: float) -> datetime:
    """The aware UTC datetime of POSIX seconds."""
    return datetime.fromtimestamp(float(seconds), UTC)


def ut1_minus_utc_s(mjd: float | Floats) -> Floats:
    """UT1−UTC in seconds, linear between the rows of the bundled table and 0 outside it."""
    return np.asarray(np.interp(mjd, _UT1_MJD, UT1_UTC_S, left=0.0, right=0.0))
