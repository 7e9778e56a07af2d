"""Remedies that wait for the sun: stars are seen, and things opened, only when it is down."""

from vigil.engine.activity import Activity
from vigil.engine.remedy import Do, NotBefore, Remedy
from vigil.engine.view import View
from vigil.planning.daylight import DAY_ABOVE_DEG

STARS_BELOW_SUN_DEG = -9.0
_CLEAR_DEG = 0.1
"""Opened on the very edge of the day, the guard would shut it again."""


def under_stars(view: View, activity: Activity, skippable: bool = False) -> Remedy:
    """An activity that makes no sense in bright twilight."""
    dark = view.sun_under(STARS_BELOW_SUN_DEG)
    if dark is not None:
        return NotBefore(dark, f"{activity.words} needs stars: the sun at {STARS_BELOW_SUN_DEG:.0f}°")
    return Do(activity, skippable)


def by_night(view: View, activity: Activity) -> Remedy:
    """An activity that would let the day in."""
    dusk = view.sun_under(DAY_ABOVE_DEG - _CLEAR_DEG)
    if dusk is not None:
        return NotBefore(dusk, f"{activity.words} waits for the sun at {DAY_ABOVE_DEG:.0f}°")
    return Do(activity)
