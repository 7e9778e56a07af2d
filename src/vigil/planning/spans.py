"""When a block may run tonight."""

from datetime import datetime, time, timedelta
from functools import lru_cache
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np

from vigil.documents.plan import Block, MoonIs, NightPlan, Span
from vigil.documents.rig import Rig
from vigil.documents.rig.site import SitePart
from vigil.planning.spells import Bools, Interval, Minutes, both, clock_moment
from vigil.sky.events import above_line_deg, line_crossings, twilights
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes, from_unix
from vigil.sky.site import Site

_HIGHEST_SPARE_DEG = 0.3
"""Under the mount's highest altitude: aims lie beside targets, and its limit stops it."""


def local_noon_before(moment: datetime, zone: str) -> datetime:
    """The noon at which the night of a moment began, in the site's zone."""
    local = moment.astimezone(ZoneInfo(zone))
    day = local.date() if local.hour >= 12 else local.date() - timedelta(days=1)
    return datetime.combine(day, time(12), ZoneInfo(zone))


def site_time(moment: datetime, rig: Rig) -> str:
    """A moment as people at the site write it, for sentences."""
    return f"{moment.astimezone(ZoneInfo(rig.site.time_zone)):%H:%M}"


def block_intervals(block: Block, rig: Rig, at: datetime) -> tuple[Interval, ...]:
    """The block's span tonight: between its sun moments and clock times and never by day, above altitude and
    horizon, under the mount's highest altitude, with moon and hour angle as it says; empty when never."""
    noon = local_noon_before(at, rig.site.time_zone)
    target = block.target
    highest = rig.mount.highest_altitude_deg if rig.mount is not None else 90.0
    return _intervals(target.ra_deg, target.dec_deg, block.span, rig.site.model_dump_json(), noon, highest)


@lru_cache(maxsize=512)
def _intervals(
    ra_deg: float, dec_deg: float, span: Span, site_text: str, noon: datetime, highest_deg: float
) -> tuple[Interval, ...]:
    """Asked for again whenever a timetable is made, many times a night."""
    part = SitePart.model_validate_json(site_text)
    site = part.place()
    sun = twilights(noon, site)
    opening, closing = sun.lower_than(span.opens.moment), sun.lower_than(span.closes.moment)
    night = sun.lower_than("civil")  # before and after it is day for the gear: nothing stands open then
    if opening is None or closing is None or night is None:
        return ()
    dusk = max(night[0], opening[0] + timedelta(minutes=span.opens.minutes))
    dawn = min(night[1], closing[1] + timedelta(minutes=span.closes.minutes))
    if span.from_clock is not None:
        dusk = max(dusk, clock_moment(noon, span.from_clock))
    if span.until_clock is not None:
        dawn = min(dawn, clock_moment(noon, span.until_clock))
    if dusk >= dawn:
        return ()
    line = part.sky_line(span.minimum_altitude_deg)
    where = ra_deg, dec_deg
    edges = line_crossings(*where, dusk, dawn, site, line)
    moments = [dusk, *(c.at for c in edges), dawn]
    up = bool(above_line_deg(*where, from_datetimes(dusk), site, line) >= 0)
    pieces = []
    for opens, closes in pairwise(moments):
        if up:
            pieces.append(Interval(opens, closes))
        up = not up
    minutes = Minutes.between(dusk, dawn)
    if highest_deg < 90:
        reached = observe(*where, from_unix(minutes.unix_s), site).altitude_deg
        pieces = list(both(pieces, minutes.intervals(np.asarray(reached < highest_deg - _HIGHEST_SPARE_DEG))))
    return both(pieces, _allowed(span, where, minutes, site))


def line_intervals(plan: NightPlan, rig: Rig, at: datetime) -> dict[str, tuple[Interval, ...]]:
    """Tonight's intervals of every block, and of those lines that have a condition of their own, by id."""
    found = {}
    for block in plan.blocks:
        found[block.id] = block_intervals(block, rig, at)
        for line in block.lines:
            if line.moon != "anywhere" and found[block.id]:
                whole = Minutes.between(found[block.id][0].opens, found[block.id][-1].closes)
                moon = whole.intervals(_moon_is(line.moon, whole, rig.site.place()))
                found[line.id] = both(found[block.id], moon)
            elif line.moon != "anywhere":
                found[line.id] = ()
    return found


def _allowed(span: Span, where: tuple[float, float], minutes: Minutes, site: Site) -> tuple[Interval, ...]:
    """Where what a span says of moon and hour angle holds."""
    holds = _moon_is(span.moon, minutes, site)
    if span.moon_apart_deg is not None:
        holds &= ~minutes.moon_up(site) | (minutes.moon_apart_deg(*where, site) >= span.moon_apart_deg)
    if span.moon_percent_at_most is not None and minutes.moon_percent() > span.moon_percent_at_most:
        holds &= ~minutes.moon_up(site)
    first, last = span.hour_angle_from_h, span.hour_angle_until_h
    if first is not None or last is not None:
        here = minutes.hour_angle_h(*where, site)
        holds &= (here >= (-12 if first is None else first)) & (here <= (12 if last is None else last))
    return minutes.intervals(holds)


def _moon_is(wanted: MoonIs, minutes: Minutes, site: Site) -> Bools:
    if wanted == "anywhere":
        return np.ones(len(minutes.unix_s), dtype=bool)
    up = minutes.moon_up(site)
    return up if wanted == "up" else ~up
