"""When a block may run tonight."""

from dataclasses import dataclass
from datetime import datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from vigil.documents.plan import Block, SunMoment
from vigil.documents.rig import Rig
from vigil.sky.events import Twilights, above_line_deg, line_crossings, twilights
from vigil.sky.instants import from_datetimes


@dataclass(frozen=True, slots=True)
class Interval:
    """From `opens` until `closes`."""

    opens: datetime
    closes: datetime


def local_noon_before(moment: datetime, zone: str) -> datetime:
    """The noon at which the night of a moment began, in the site's zone."""
    local = moment.astimezone(ZoneInfo(zone))
    day = local.date() if local.hour >= 12 else local.date() - timedelta(days=1)
    return datetime.combine(day, time(12), ZoneInfo(zone))


def site_time(moment: datetime, rig: Rig) -> str:
    """A moment as people at the site write it, for sentences."""
    return f"{moment.astimezone(ZoneInfo(rig.site.time_zone)):%H:%M}"


def block_intervals(block: Block, rig: Rig, at: datetime) -> tuple[Interval, ...]:
    """The block's span tonight: between its sun moments, above altitude and horizon; empty when never."""
    site = rig.site.place()
    noon = local_noon_before(at, rig.site.time_zone)
    sun = twilights(noon, site)
    dusk, dawn = _moment(sun, block.span.opens, "dusk"), _moment(sun, block.span.closes, "dawn")
    if dusk is None or dawn is None or dusk >= dawn:
        return ()
    line = rig.site.sky_line(block.span.minimum_altitude_deg)
    where = block.target.ra_deg, block.target.dec_deg
    edges = line_crossings(*where, dusk, dawn, site, line)
    moments = [dusk, *(c.at for c in edges), dawn]
    up = bool(above_line_deg(*where, from_datetimes(dusk), site, line) >= 0)
    pieces = []
    for opens, closes in pairwise(moments):
        if up:
            pieces.append(Interval(opens, closes))
        up = not up
    return tuple(pieces)


def _moment(sun: Twilights, wanted: SunMoment, side: str) -> datetime | None:
    named: datetime | None = getattr(sun, f"{wanted.moment}_{side}")
    return None if named is None else named + timedelta(minutes=wanted.minutes)
