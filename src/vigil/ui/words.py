"""Numbers, angles and times as the window writes them: the one place."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from vigil.documents import figures
from vigil.sky.angles import format_dec, format_ra

MINUS, TIMES, ARC_MIN, ARC_SEC = figures.MINUS, "×", "′", "″"
NOTHING = "–"
NO_BREAK = "\u00a0"
"""A space at which no line ends."""


def clock(moment: datetime, zone: str, seconds: bool = False) -> str:
    """A moment in the site's time."""
    return f"{moment.astimezone(ZoneInfo(zone)):{'%H:%M:%S' if seconds else '%H:%M'}}"


def zone_name(moment: datetime, zone: str) -> str:
    """The short name of the site's time, such as CET."""
    return moment.astimezone(ZoneInfo(zone)).tzname() or zone


def both_clocks(moment: datetime, zone: str) -> str:
    """The site's time and UTC, for hovering."""
    return f"{clock(moment, zone, True)} {zone_name(moment, zone)} · {moment:%H:%M:%S} UTC"


def signed(value: float, decimals: int = 1) -> str:
    """A number with a true minus sign."""
    return figures.signed(value, decimals)


def steps(value: float) -> str:
    """A whole number with its sign: "+12", "−6", "0"."""
    return f"{round(value):+d}".replace("-", "−") if round(value) else "0"


def grouped(value: float) -> str:
    """A count with thin spaces between thousands."""
    return f"{value:,.0f}".replace(",", "\u2009").replace("-", MINUS)


def duration(seconds: float) -> str:
    """Hours and minutes, or minutes and seconds: "2 h 05", "3:14"."""
    whole = max(0, round(seconds))
    if whole >= 3600:
        minutes = round(whole / 60)
        return f"{minutes // 60} h {minutes % 60:02d}"
    return f"{whole // 60}:{whole % 60:02d}"


def hours(seconds: float) -> str:
    """How long something can be used, to the minute: "2 h 05", "48 min"."""
    return duration(seconds) if seconds >= 3600 else f"{seconds / 60:.0f} min"


def countdown(until: datetime, now: datetime) -> str:
    return duration((until - now) / timedelta(seconds=1))


def degrees(value: float, decimals: int = 0) -> str:
    return f"{signed(value, decimals)}°"


def ra(ra_deg: float) -> str:
    return format_ra(ra_deg)


def dec(dec_deg: float) -> str:
    return format_dec(dec_deg)


def grid_ra(ra_deg: float) -> str:
    """A line of right ascension: "5h", "5h20m"."""
    hours, minutes = divmod(round(ra_deg % 360 * 4), 60)
    return f"{hours % 24}h" if minutes == 0 else f"{hours % 24}h{minutes:02d}m"


def grid_dec(dec_deg: float) -> str:
    """A line of declination: "+34°", "+34°30′"."""
    whole, minutes = divmod(round(abs(dec_deg) * 60), 60)
    sign = MINUS if dec_deg < -1e-9 else "+"
    return f"{sign}{whole}°" if minutes == 0 else f"{sign}{whole}°{minutes:02d}{ARC_MIN}"


def arc(arcmin: float) -> str:
    """A size on the sky: degrees, minutes or seconds, whichever reads best."""
    if arcmin >= 120:
        return f"{arcmin / 60:.1f}°"
    if arcmin >= 1:
        return f"{arcmin:.0f}{ARC_MIN}"
    return f"{60 * arcmin:.0f}{ARC_SEC}"


def exposure(seconds: float) -> str:
    return f"{seconds:g} s"


def breakable(text: str) -> str:
    """Paths in it may go on in the next line after a slash: a column is narrower than they are."""
    return text.replace("/", "/\u200b").replace("_", "_\u200b")
