"""What one night offers a direction of the sky."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from vigil.documents.plan import Block, ExposureLine, Span, Target
from vigil.documents.rig import Rig
from vigil.planning.flip import flip_moment, rule_for
from vigil.planning.spans import block_intervals, local_noon_before
from vigil.planning.spells import Interval
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon
from vigil.sky.events import transits
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes


@dataclass(frozen=True, slots=True)
class Tonight:
    """When a direction can be exposed, and what is in the way."""

    intervals: tuple[Interval, ...]
    transit: datetime | None
    transit_altitude_deg: float
    moon_apart_deg: float
    moon_illumination: float
    flip: datetime | None = None
    """When a german mount changes sides, where that falls within an interval."""

    @property
    def usable_h(self) -> float:
        """Hours within the intervals."""
        return sum((i.closes - i.opens) / timedelta(hours=1) for i in self.intervals)


def tonight(ra_deg: float, dec_deg: float, rig: Rig, at: datetime, span: Span | None = None) -> Tonight:
    """The night that a moment belongs to, by a span (else a new block's)."""
    line = ExposureLine(id="trial", exposure_s=1, count=1)
    target = Target(name="trial", ra_deg=ra_deg % 360, dec_deg=dec_deg)
    block = Block(id="trial", target=target, span=span or Span(), lines=[line])
    noon, site = local_noon_before(at, rig.site.time_zone), rig.site.place()
    passing = transits(ra_deg, dec_deg, noon, noon + timedelta(days=1), site)
    transit = passing[0] if passing else None
    middle = from_datetimes(noon + timedelta(hours=12))
    moon = observe_moon(middle, site)
    there = observe(ra_deg, dec_deg, middle, site)
    intervals = block_intervals(block, rig, at)
    flip = _flip(transit, rig)
    return Tonight(
        intervals=intervals,
        transit=transit,
        transit_altitude_deg=(
            float(observe(ra_deg, dec_deg, from_datetimes(transit), site).altitude_deg) if transit else np.nan
        ),
        moon_apart_deg=float(
            separation_deg(there.hour_angle_deg, there.dec_deg, moon.hour_angle_deg, moon.dec_deg)
        ),
        moon_illumination=float(moon_illumination(middle)),
        flip=flip if flip and any(i.opens <= flip <= i.closes for i in intervals) else None,
    )


def _flip(transit: datetime | None, rig: Rig) -> datetime | None:
    """At the preferred moment of the flip window, else the earliest; at the meridian without a window."""
    if transit is None or rig.mount is None or rig.mount.kind != "german":
        return None
    rule = rule_for(rig)
    return transit if rule is None else flip_moment(transit, rule)
