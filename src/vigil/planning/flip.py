"""The meridian flip's arithmetic: when a german mount may, should and must change sides.

Times are minutes of hour angle after the meridian, sidereal; the tube stands west of the pier until it flips.
"""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from vigil.documents.rig import Rig
from vigil.documents.rig.mount import MINUTES_PER_DEGREE, FlipWindow
from vigil.sky.angles import wrap_180
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

SIDEREAL_RATE = 1.00273791
"""Sidereal minutes a minute."""


class Next(StrEnum):
    """What a moment near the meridian asks for."""

    SHOOT = "shoot on"
    WAIT = "wait, then flip"
    FLIP = "flip"


@dataclass(frozen=True, slots=True)
class FlipRule:
    """The window with its buffer taken off: `wanted_min` is the preferred moment, else the earliest; a frame
    must be read out by `last_min` (infinite where the mount can go on)."""

    earliest_min: float
    wanted_min: float
    last_min: float
    limit_min: float


@dataclass(frozen=True, slots=True)
class Decision:
    """What to do, with its numbers: `wait_min` until the flip may begin (clock minutes), `late_min` by how
    much another frame would end too late; 0 when it would not."""

    next: Next
    hour_angle_min: float
    wait_min: float
    late_min: float

    @property
    def words(self) -> str:
        """The numbers, for people."""
        side = "after" if self.hour_angle_min >= 0 else "before"
        here = f"{abs(self.hour_angle_min):.1f} min {side} the meridian"
        late = ""
        if self.late_min > 0:
            minutes, seconds = divmod(round(60 * self.late_min), 60)
            late = f"; another frame would end {minutes} min {seconds:02d} s too late: the flip comes first"
        if self.next is Next.WAIT:
            return f"{here}{late}; it may begin in {self.wait_min:.1f} min"
        return f"{here}{late}"


def rule_of(window: FlipWindow) -> FlipRule:
    """A window as a rule. The wanted moment lies inside what the buffer leaves.

    No slew changes sides before the meridian: of a window that ends there frames are read out in it, and the
    mount stands until it may flip.
    """
    limit = math.inf if window.latest_min is None else window.latest_min
    earliest = max(window.earliest_min, 0.0)
    last = max(earliest, limit - window.buffer_min) if limit >= 0 else limit - window.buffer_min
    wanted = earliest if window.preferred_min is None else window.preferred_min
    return FlipRule(earliest, max(earliest, min(wanted, last)), last, limit)


def rule_for(rig: Rig) -> FlipRule | None:
    """The rig's; None where nothing flips, or no window says when."""
    mount = rig.mount
    return rule_of(mount.flip) if mount is not None and mount.kind == "german" and mount.flip else None


def decide(rule: FlipRule, hour_angle_min: float, frame_s: float) -> Decision:
    """Before the wanted moment a frame is taken if it is read out in time; one that would not be gives way to
    the flip, at once where the window is open, else when it opens. From the wanted moment on: flip."""
    ends_min = hour_angle_min + frame_s / 60 * SIDEREAL_RATE
    late = max(0.0, ends_min - rule.last_min)
    wait = max(0.0, rule.earliest_min - hour_angle_min) / SIDEREAL_RATE
    if hour_angle_min < rule.wanted_min and late == 0:
        return Decision(Next.SHOOT, hour_angle_min, wait, 0.0)
    return Decision(Next.FLIP if wait == 0 else Next.WAIT, hour_angle_min, wait, late)


def hour_angle_min(ra_deg: float, dec_deg: float, rig: Rig, at: datetime) -> float:
    """Minutes of hour angle of an ICRS direction, −720…720, refraction left out."""
    seen = observe(ra_deg, dec_deg, from_datetimes(at), rig.site.place().airless())
    return MINUTES_PER_DEGREE * float(wrap_180(seen.hour_angle_deg))


def flip_moment(transit: datetime, rule: FlipRule) -> datetime:
    """When it is to be expected, no frame counted."""
    return transit + timedelta(minutes=rule.wanted_min / SIDEREAL_RATE)
