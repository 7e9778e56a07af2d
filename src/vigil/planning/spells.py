"""Stretches of a night in which something holds that is reckoned minute by minute: moon, hour angle,
clock."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.bodies import moon_illumination, observe_moon
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_unix
from vigil.sky.site import Site

_STEP_S = 60.0
_MOONRISE_DEG = -0.583
"""Altitude of the moon's middle at its rising without refraction reckoned in: 34′ of it and 16′ of radius,
less the parallax, which `observe_moon` has."""

Bools = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Interval:
    """From `opens` until `closes`."""

    opens: datetime
    closes: datetime


@dataclass(frozen=True, slots=True)
class Minutes:
    """Every minute between two moments, POSIX seconds."""

    unix_s: NDArray[np.float64]

    @classmethod
    def between(cls, begins: datetime, ends: datetime) -> "Minutes":
        count = max(2, int(np.ceil((ends - begins).total_seconds() / _STEP_S)) + 1)
        return cls(np.linspace(begins.timestamp(), ends.timestamp(), count))

    def moon_up(self, site: Site) -> Bools:
        seen = observe_moon(from_unix(self.unix_s), site.airless())
        return np.asarray(seen.altitude_deg > _MOONRISE_DEG)

    def moon_apart_deg(self, ra_deg: float, dec_deg: float, site: Site) -> NDArray[np.float64]:
        """Of a direction from the moon."""
        instants = from_unix(self.unix_s)
        moon, there = observe_moon(instants, site), observe(ra_deg, dec_deg, instants, site)
        return np.asarray(
            separation_deg(there.hour_angle_deg, there.dec_deg, moon.hour_angle_deg, moon.dec_deg)
        )

    def moon_percent(self) -> float:
        """Of its disc that is lit, half way."""
        return 100 * float(moon_illumination(from_unix(np.array([self.unix_s.mean()])))[0])

    def hour_angle_h(self, ra_deg: float, dec_deg: float, site: Site) -> NDArray[np.float64]:
        seen = observe(ra_deg, dec_deg, from_unix(self.unix_s), site.airless())
        return np.asarray(wrap_180(seen.hour_angle_deg) / 15)

    def intervals(self, holds: Bools) -> tuple[Interval, ...]:
        """Where it holds, edges half way between the minutes."""
        edges = np.flatnonzero(np.diff(holds.astype(np.int8)))
        times = (self.unix_s[edges] + self.unix_s[edges + 1]) / 2
        moments = [float(self.unix_s[0]), *times.tolist(), float(self.unix_s[-1])]
        first = 0 if holds[0] else 1
        return tuple(
            Interval(_moment(moments[k]), _moment(moments[k + 1])) for k in range(first, len(moments) - 1, 2)
        )


def clock_moment(noon: datetime, at: time) -> datetime:
    """A local clock time of the night that begins at a noon, in UTC: differences of moments in one zone are
    reckoned by its clock, wrongly on the nights on which that is changed."""
    zone = noon.tzinfo
    assert isinstance(zone, ZoneInfo)
    day = noon.date() if at >= time(12) else noon.date() + timedelta(days=1)
    return datetime.combine(day, at, zone).astimezone(UTC)


def both(one: Iterable[Interval], other: Iterable[Interval]) -> tuple[Interval, ...]:
    """Where both hold."""
    others = tuple(other)
    found = (Interval(max(a.opens, b.opens), min(a.closes, b.closes)) for a in one for b in others)
    return tuple(i for i in found if i.opens < i.closes)


def _moment(unix_s: float) -> datetime:
    return datetime.fromtimestamp(unix_s, UTC)
