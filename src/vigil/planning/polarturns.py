"""Where a mount may turn in right ascension for its polar axis to be measured: clear of horizon, limits and
pier."""

import math
from dataclasses import dataclass
from datetime import datetime

from vigil.documents.rig import Rig
from vigil.planning.flip import rule_of
from vigil.planning.sides import beyond_min, flips, side_after_slew, window_on
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

TURN_DEG, LEAST_TURN_DEG, MOST_TURN_DEG = 30.0, 15.0, 60.0
NEAR_DEG, WELL_NEAR_DEG = 70.0, 80.0
"""Declinations, from the pole's side: what is less is too far, what is between costs accuracy."""
_START_DEC_DEG = 85.0
_STEP_DEG = 5.0
_MARGIN_DEG = 1.0
_ROUND_MIN = 720.0


@dataclass(frozen=True, slots=True)
class Turns:
    """So many frames with a turn between each two of so many degrees, + west, as the sky turns."""

    turn_deg: float
    frames: int

    @property
    def way(self) -> str:
        return "west" if self.turn_deg > 0 else "east"

    @property
    def words(self) -> str:
        return f"{self.frames - 1} × {abs(self.turn_deg):.0f}° {self.way}"


@dataclass(frozen=True, slots=True)
class TurnChoice:
    """`turns` None: none are clear from here, and `why`. Where others than those asked for were chosen,
    `why` says what was in their way."""

    turns: Turns | None
    why: str = ""


def pole_sign(rig: Rig) -> float:
    """1 where the visible pole is the northern one, else −1."""
    return 1.0 if rig.site.latitude_deg >= 0 else -1.0


def turns_from(
    rig: Rig, ra_deg: float, dec_deg: float, side: str, at: datetime, turn_deg: float, way: str, frames: int
) -> TurnChoice:
    """As asked for where that is clear, else the other way, else by less. `way` "" takes the one that is
    clear, west first; `side` of the pier "" takes where a slew would have left it."""
    asked = [way] if way else ["west", "east"]
    ways = [*asked, *(other for other in ("west", "east") if other not in asked)]
    first = ""
    for size in _sizes(turn_deg):
        for name in ways:
            signed = size if name == "west" else -size
            hindered = _hindrance(rig, ra_deg, dec_deg, side, at, signed, frames)
            if not hindered:
                other = size != turn_deg or name not in asked
                return TurnChoice(Turns(signed, frames), first if other else "")
            first = first or f"{abs(turn_deg):.0f}° {name} are not clear: {hindered}"
    return TurnChoice(None, first)


def _sizes(turn_deg: float) -> list[float]:
    fewer = [size for size in (45.0, 30.0, 20.0, LEAST_TURN_DEG) if size < turn_deg]
    return [turn_deg, *fewer]


def start_for(
    rig: Rig, at: datetime, turn_deg: float, way: str, frames: int
) -> tuple[float, float, TurnChoice]:
    """An ICRS direction near the pole from where the turns are clear; the choice is that there."""
    dec = _START_DEC_DEG * pole_sign(rig)
    last: tuple[float, float, TurnChoice] | None = None
    # far from both meridians, where a mount might choose the other side
    for hour in (-90.0, 60.0, -60.0, 90.0, -120.0, 30.0, -30.0, 120.0, -150.0):
        ra, icrs_dec = unobserve(hour, dec, from_datetimes(at), rig.site.place())
        there = float(ra) % 360, float(icrs_dec)
        found = turns_from(rig, *there, side_after_slew(rig, *there, at), at, turn_deg, way, frames)
        if found.turns is not None and not found.why:
            return (*there, found)
        if last is None or (last[2].turns is None and found.turns is not None):
            last = (*there, found)
    assert last is not None, "there are hours"
    return last


def _hindrance(
    rig: Rig, ra_deg: float, dec_deg: float, side: str, at: datetime, turn_deg: float, frames: int
) -> str:
    """What is in the way of all these turns; empty when nothing is."""
    mount, site = rig.mount, rig.site
    if mount is None:
        return "there is no mount"
    seen = observe(ra_deg, dec_deg, from_datetimes(at), site.place().airless())
    hour, dec = float(seen.hour_angle_deg), float(seen.dec_deg)
    whole = turn_deg * (frames - 1)
    side = side or side_after_slew(rig, ra_deg, dec_deg, at)
    if flips(rig) and (pier := _at_the_pier(rig, side, hour, hour + whole)):
        return pier
    line, lowest = site.sky_line_alone(), mount.lowest_altitude_deg
    steps = max(1, math.ceil(abs(whole) / _STEP_DEG))
    for k in range(steps + 1):
        altitude, azimuth = _altitude_azimuth(hour + whole * k / steps, dec, site.latitude_deg)
        floor = max(lowest, float(line.altitude_deg(azimuth)) if site.horizon else lowest)
        if altitude < floor + _MARGIN_DEG:
            return f"it would look {altitude:.0f}° high, where {floor:.0f}° is the lowest"
        if altitude > mount.highest_altitude_deg - _MARGIN_DEG and mount.highest_altitude_deg < 90:
            return f"it would look {altitude:.0f}° high, limit {mount.highest_altitude_deg:g}°"
    return ""


def _at_the_pier(rig: Rig, side: str, first_deg: float, last_deg: float) -> str:
    """Whether the tube, left on its side, would come to the end of its window."""
    window = window_on(rig, side)
    limit_min = _ROUND_MIN if window is None else min(rule_of(window).limit_min, _ROUND_MIN)
    began = beyond_min(side, 4 * first_deg)
    ends = began + 4 * (last_deg - first_deg)
    if ends > min(limit_min, _ROUND_MIN / 2) - 4 * _MARGIN_DEG:
        return f"{side} of the pier the tube would come to the mount's limit"
    if ends < -_ROUND_MIN + 4 * _MARGIN_DEG:
        return f"{side} of the pier the tube would pass under the pole"
    return ""


def _altitude_azimuth(hour_deg: float, dec_deg: float, latitude_deg: float) -> tuple[float, float]:
    h, d, lat = (math.radians(v) for v in (hour_deg, dec_deg, latitude_deg))
    up = math.sin(lat) * math.sin(d) + math.cos(lat) * math.cos(d) * math.cos(h)
    north = math.cos(lat) * math.sin(d) - math.sin(lat) * math.cos(d) * math.cos(h)
    east = -math.cos(d) * math.sin(h)
    return math.degrees(math.asin(max(-1.0, min(1.0, up)))), math.degrees(math.atan2(east, north)) % 360
