"""The site."""

from collections.abc import Iterator
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from vigil.documents.rig import Rig
from vigil.planning.muster.finding import Finding, Known

_MOST_ZONE_OFF_H = 3.5
_SKY_LEFT_DEG = 70.0


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about where the rig stands."""
    site = rig.site
    if site.latitude_deg == 0 and site.longitude_deg == 0:
        yield Finding(
            ("site", "latitude_deg"),
            "The site stands at 0°, 0°, in the sea off Africa: enter where it really is.",
        )
        return
    at = known.at or datetime(2027, 1, 1, tzinfo=UTC)
    offset = at.astimezone(ZoneInfo(site.time_zone)).utcoffset()
    by_clock_h, by_sun_h = (offset.total_seconds() / 3600 if offset else 0.0), site.longitude_deg / 15
    apart_h = abs((by_clock_h - by_sun_h + 12) % 24 - 12)
    if apart_h > _MOST_ZONE_OFF_H:
        yield Finding(
            ("site", "time_zone"),
            f"{site.time_zone} is {by_clock_h:+.1f} h from UTC, the sun at longitude {site.longitude_deg:g}° "
            f"{by_sun_h:+.1f} h: {apart_h:.1f} h apart.",
        )
    if site.horizon and min(p.altitude_deg for p in site.horizon) > _SKY_LEFT_DEG:
        lowest = min(p.altitude_deg for p in site.horizon)
        yield Finding(
            ("site", "horizon"),
            f"The horizon stands at {lowest:g}° or more all round: no sky is left to speak of.",
        )
