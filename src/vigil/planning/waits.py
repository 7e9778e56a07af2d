"""When a wait's moment comes."""

from datetime import datetime, timedelta

from vigil.documents.rig.site import SitePart
from vigil.documents.steps import WaitUntil
from vigil.planning.spans import local_noon_before
from vigil.planning.spells import Minutes, clock_moment
from vigil.sky.events import sun_crossings, twilights

_NIGHT = timedelta(days=1)


def moment_of(step: WaitUntil, site: SitePart, at: datetime) -> datetime | None:
    """Of the night that `at` belongs to; None when it doesn't come in it."""
    noon = local_noon_before(at, site.time_zone)
    if step.clock is not None:
        return clock_moment(noon, step.clock)
    if step.sun_altitude_deg is not None:
        found = sun_crossings(noon, noon + _NIGHT, site.place(), step.sun_altitude_deg)
        return next((c.at for c in found if not c.upward), None)
    assert step.moment is not None
    if step.moment in ("moonrise", "moonset"):
        moment = _moon(step.moment == "moonrise", site, noon)
    else:
        moment = getattr(twilights(noon, site.place()), step.moment.replace(" ", "_"))
    return None if moment is None else moment + timedelta(minutes=step.minutes)


def _moon(rises: bool, site: SitePart, noon: datetime) -> datetime | None:
    minutes = Minutes.between(noon, noon + _NIGHT)
    up = minutes.intervals(minutes.moon_up(site.place()))
    edges = [i.opens if rises else i.closes for i in up]
    # up at noon already, or still up at the next: no rising, no setting in between
    return next((e for e in edges if noon < e < noon + _NIGHT), None)
