"""When things happen: twilights, risings and settings, transits."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Literal

import numpy as np

from vigil.sky.bodies import observe_sun
from vigil.sky.horizon import Horizon
from vigil.sky.horizontal import observe
from vigil.sky.instants import Floats, Instants, from_unix, to_datetime, unix_s
from vigil.sky.site import Site

SUNSET_ALTITUDE_DEG = -0.8333
"""Airless altitude of the sun's centre when its upper limb touches the horizon (34′ refraction, 16′
radius): the convention of the almanacs."""
Twilight = Literal["civil", "nautical", "astronomical"]
TWILIGHTS_DEG: dict[Twilight, float] = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}


@dataclass(frozen=True, slots=True)
class Crossing:
    """A moment at which something passes a level."""

    at: datetime
    upward: bool


@dataclass(frozen=True, slots=True)
class Twilights:
    """The evening's and the morning's moments of one night; None where the sun does not pass. Lengths of time
    are asked of `lower_than`, which knows nights on which the sun stays down."""

    noon: datetime
    noons_deg: tuple[float, float]
    """The sun's altitude at the night's noon and at the next."""

    sunset: datetime | None
    civil_dusk: datetime | None
    nautical_dusk: datetime | None
    astronomical_dusk: datetime | None
    astronomical_dawn: datetime | None
    nautical_dawn: datetime | None
    civil_dawn: datetime | None
    sunrise: datetime | None

    def lower_than(self, twilight: Twilight) -> tuple[datetime, datetime] | None:
        """From when until when the sun is under a twilight's level; from or to a noon at which it is there
        too, as in polar winter. None where it never gets so low."""
        dusk: datetime | None = getattr(self, f"{twilight}_dusk")
        dawn: datetime | None = getattr(self, f"{twilight}_dawn")
        level = TWILIGHTS_DEG[twilight]
        if dusk is None and self.noons_deg[0] < level:
            dusk = self.noon
        if dawn is None and self.noons_deg[1] < level:
            dawn = self.noon + timedelta(days=1)
        return (dusk, dawn) if dusk is not None and dawn is not None and dusk < dawn else None


def crossings(
    value_at: Callable[[Floats], Floats],
    start: datetime,
    end: datetime,
    level: float = 0.0,
    step_s: float = 300.0,
) -> list[Crossing]:
    """Where a function of POSIX seconds passes a level, in order of time, to 0.05 s.

    `value_at` takes and gives arrays of one shape. Two passes within one step are not seen.
    """
    return crossings_of_levels(value_at, start, end, (level,), step_s)[0]


def crossings_of_levels(
    value_at: Callable[[Floats], Floats],
    start: datetime,
    end: datetime,
    levels: tuple[float, ...],
    step_s: float = 300.0,
) -> list[list[Crossing]]:
    """The same for several levels at once, a list for each: the function is sampled once for all."""
    t0, t1 = unix_s(start), unix_s(end)
    if t1 <= t0:
        raise ValueError(f"the end {end} is not after the start {start}")
    times = np.linspace(t0, t1, max(2, int(np.ceil((t1 - t0) / step_s)) + 1))
    above = value_at(times) >= np.array(levels)[:, np.newaxis]
    which, before = np.nonzero(above[:, 1:] != above[:, :-1])
    found: list[list[Crossing]] = [[] for _ in levels]
    if before.size == 0:
        return found
    low, high, upward = times[before], times[before + 1], above[which, before + 1]
    level = np.array(levels)[which]
    while np.max(high - low) > 0.05:
        middle = (low + high) / 2
        reached = (value_at(middle) >= level) == upward
        low, high = np.where(reached, low, middle), np.where(reached, middle, high)
    for row, t, u in zip(which, (low + high) / 2, upward, strict=True):
        found[int(row)].append(Crossing(to_datetime(float(t)), bool(u)))
    return found


def sun_crossings(start: datetime, end: datetime, site: Site, altitude_deg: float) -> list[Crossing]:
    """When the sun's centre passes an airless altitude."""
    bare = site.airless()
    return crossings(lambda t: observe_sun(from_unix(t), bare).altitude_deg, start, end, altitude_deg)


@lru_cache(maxsize=64)
def twilights(noon: datetime, site: Site) -> Twilights:
    """Sunset to sunrise of the night that follows a noon (any moment by day will do)."""
    bare = site.airless()
    levels = (SUNSET_ALTITUDE_DEG, *TWILIGHTS_DEG.values())
    start, end = noon.astimezone(UTC), noon.astimezone(UTC) + timedelta(days=1)

    def altitude_deg(times: Floats) -> Floats:
        return observe_sun(from_unix(times), bare).altitude_deg

    passes = crossings_of_levels(altitude_deg, start, end, levels, 600.0)
    first, last = altitude_deg(np.array([start.timestamp(), end.timestamp()]))
    dusks = [next((c.at for c in found if not c.upward), None) for found in passes]
    dawns = [next((c.at for c in found if c.upward), None) for found in passes]
    return Twilights(start, (float(first), float(last)), *dusks, *reversed(dawns))


def above_line_deg(ra_deg: float, dec_deg: float, instants: Instants, site: Site, line: Horizon) -> Floats:
    """How far an ICRS direction stands above a horizon, refraction included."""
    seen = observe(ra_deg, dec_deg, instants, site)
    return np.asarray(seen.altitude_deg - line.altitude_deg(seen.azimuth_deg))


def line_crossings(
    ra_deg: float, dec_deg: float, start: datetime, end: datetime, site: Site, line: Horizon
) -> list[Crossing]:
    """When an ICRS direction rises or sets over a horizon."""
    return crossings(lambda t: above_line_deg(ra_deg, dec_deg, from_unix(t), site, line), start, end)


def transits(ra_deg: float, dec_deg: float, start: datetime, end: datetime, site: Site) -> list[datetime]:
    """When an ICRS direction crosses the upper meridian."""
    found = crossings(
        # the sine keeps the jump from +180° to −180° from looking like a transit
        lambda t: np.sin(np.radians(observe(ra_deg, dec_deg, from_unix(t), site).hour_angle_deg)),
        start,
        end,
    )
    return [c.at for c in found if c.upward]
