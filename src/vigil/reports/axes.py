"""The two axes of a course through a night, for page and PDF alike."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from vigil.reports.night import Course, NightReport


@dataclass(frozen=True, slots=True)
class Axes:
    """Ends of time and value, and what is written along them: (value, words), (POSIX seconds, words)."""

    from_s: float
    to_s: float
    low: float
    high: float
    values: tuple[tuple[float, str], ...]
    hours: tuple[tuple[float, str], ...]

    def share_of_time(self, unix_s: float) -> float:
        return (unix_s - self.from_s) / (self.to_s - self.from_s)

    def share_of_value(self, value: float) -> float:
        return min(1.0, max(0.0, (value - self.low) / (self.high - self.low)))


def axes_of(course: Course, report: NightReport) -> Axes:
    """Over the whole night; values with a little room, a wild one left at the edge."""
    every = sorted(value for series in course.series for value in series.values)
    middle = every[len(every) // 2]
    far = 6 * sorted(abs(v - middle) for v in every)[len(every) // 2] + 0.1 * abs(middle)
    low, high = max(every[0], middle - far), min(every[-1], middle + far)
    room = 0.1 * (high - low) or 0.1 * abs(middle) or 1.0
    low, high = low - room, high + room
    step = _step((high - low) / 3)
    first = math.ceil(low / step)
    decimals = max(0, -math.floor(math.log10(step) + 1e-9))
    marks = [step * n for n in range(first, math.floor(high / step) + 1)]
    ends = report.ends or max(at for series in course.series for at in series.at)
    begins = min([report.begins, *(at for series in course.series for at in series.at)])
    ends = max(ends, begins + timedelta(minutes=10))
    return Axes(
        begins.timestamp(),
        ends.timestamp(),
        low,
        high,
        tuple((value, f"{value:.{decimals}f}".replace("-", "−")) for value in marks),
        tuple(_hours(begins, ends, ZoneInfo(report.zone))),
    )


def _step(rough: float) -> float:
    power = 10.0 ** math.floor(math.log10(rough))
    return power * next(n for n in (1, 2, 5, 10) if n * power >= rough * 0.999)


def _hours(begins: datetime, ends: datetime, zone: ZoneInfo) -> list[tuple[float, str]]:
    every = 1 if ends - begins < timedelta(hours=13) else 2
    at = begins.astimezone(zone).replace(minute=0, second=0, microsecond=0)
    found = []
    while at.timestamp() <= ends.timestamp():
        if at.timestamp() >= begins.timestamp() and at.hour % every == 0:
            found.append((at.timestamp(), f"{at:%H}"))
        at = datetime.fromtimestamp(at.timestamp() + 3600, zone)
    return found
