"""The span of every time axis: noon to noon, the dark hours wide."""

from bisect import bisect_right
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from vigil.sky.night import NightSky

_EDGE = timedelta(minutes=40)
_DAY_SHARE = 0.055
_LEAST_LABEL_PX = 34.0


@dataclass(frozen=True, slots=True)
class TimeAxis:
    """Moments to shares 0…1 of a picture's width and back; straight between its knots."""

    knots_s: tuple[float, ...]
    shares: tuple[float, ...]
    zone: str

    @classmethod
    def of(cls, sky: NightSky, zone: str) -> "TimeAxis":
        """From the night's noon to the next, what lies well before sunset and after sunrise drawn narrow."""
        start = sky.noon.timestamp()
        end = start + 86400.0
        if sky.sun.sunset is None or sky.sun.sunrise is None:
            return cls((start, end), (0.0, 1.0), zone)
        dusk, dawn = (sky.sun.sunset - _EDGE).timestamp(), (sky.sun.sunrise + _EDGE).timestamp()
        return cls((start, dusk, dawn, end), (0.0, _DAY_SHARE, 1.0 - _DAY_SHARE, 1.0), zone)

    @property
    def begins(self) -> datetime:
        return datetime.fromtimestamp(self.knots_s[0], UTC)

    @property
    def ends(self) -> datetime:
        return datetime.fromtimestamp(self.knots_s[-1], UTC)

    def share(self, moment: datetime) -> float:
        """Where a moment lies, held within 0…1."""
        return self.share_of_s(moment.timestamp())

    def share_of_s(self, seconds: float) -> float:
        """The same for POSIX seconds."""
        return _interpolated(seconds, self.knots_s, self.shares)

    def moment(self, share: float) -> datetime:
        """The moment at a share of the width, in UTC."""
        return datetime.fromtimestamp(_interpolated(share, self.shares, self.knots_s), UTC)

    def holds(self, moment: datetime) -> bool:
        return self.knots_s[0] <= moment.timestamp() <= self.knots_s[-1]

    def hours(self, width_px: float) -> list[tuple[float, str]]:
        """(share, label) of the local hours that have room."""
        zone = ZoneInfo(self.zone)
        hour = self.begins.astimezone(zone).replace(minute=0, second=0, microsecond=0)
        labels: list[tuple[float, str]] = []
        last_px = 0.0
        for _ in range(26):
            hour = (hour.astimezone(UTC) + timedelta(hours=1)).astimezone(zone)
            share = self.share(hour)
            here_px = share * width_px
            if not self.holds(hour) or here_px > width_px - _LEAST_LABEL_PX / 2:
                break
            wide = len(self.knots_s) == 2 or self.knots_s[1] <= hour.timestamp() <= self.knots_s[2]
            if wide and here_px - last_px >= _LEAST_LABEL_PX:
                labels.append((share, f"{hour:%H}"))
                last_px = here_px
        return labels


def _interpolated(value: float, knots: tuple[float, ...], values: tuple[float, ...]) -> float:
    if value <= knots[0]:
        return values[0]
    if value >= knots[-1]:
        return values[-1]
    i = bisect_right(knots, value) - 1
    along = (value - knots[i]) / (knots[i + 1] - knots[i])
    return values[i] + along * (values[i + 1] - values[i])
