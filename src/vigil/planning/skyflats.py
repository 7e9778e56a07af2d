"""Flats of the open sky: when it is bright enough and dark enough, where it is even, and how bright each
filter will see it."""

import math
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Literal

import numpy as np

from vigil.documents.flats import FlatsWish
from vigil.documents.rig import Rig
from vigil.levels.trials import Camera
from vigil.levels.twilight import SkyCourse, SkyFilter, SkyTurn, TwilightLimits, expected_turns
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import observe_sun
from vigil.sky.brightness import daylight, night_light
from vigil.sky.events import sun_crossings
from vigil.sky.horizontal import Observed, hour_angle_and_dec
from vigil.sky.instants import from_datetimes, from_unix
from vigil.sky.photometry import photons_s_cm2_nm

When = Literal["dusk", "dawn"]
BRIGHTEST_SUN_DEG, DARKEST_SUN_DEG = 3.0, -12.0
"""Between these altitudes of the sun there are flats to be had for some filter."""
_STEP_S = 5.0
_NULL_POINT_DEG = 75.0
"""Twilight is most even some 15° from the zenith, away from the sun: Chromey & Hasselbacher 1996, PASP 108,
944."""
_CLOTH_LOWEST_DEG, _CLOTH_APART_DEG, _CLOTH_WITHIN_DEG = 40.0, 90.0, 15.0
_CLOTH_SUN_FROM_DEG = 5.0
_CLEAR_OF_SUN_DEG = 25.0
_OVER_HORIZON_DEG, _UNDER_LIMIT_DEG = 3.0, 1.0
CHANGE_S, _HANDLING_S = 6.0, 0.7
"""Between two filters, and beside a frame's download."""
_SHORTEST_S = 1.0
"""Of an exposure that a mechanical shutter keeps even, where the rig says nothing longer."""
_APART_ARCSEC, _SKY_ARCSEC_S = 20.0, 15.04
_THROUGHPUT = 0.5
"""Of telescope, filter and sensor together, before the first frame tells."""


@dataclass(frozen=True, slots=True)
class SkyWindow:
    """A twilight in which there are flats."""

    when: When
    begins: datetime
    ends: datetime


@dataclass(frozen=True, slots=True)
class FlatPlace:
    """A direction for flats, fixed to the ground."""

    hour_angle_deg: float
    dec_deg: float
    altitude_deg: float
    azimuth_deg: float
    sun_apart_deg: float

    @property
    def words(self) -> str:
        return (
            f"{self.altitude_deg:.0f}° high towards {self.azimuth_deg:.0f}°, {self.sun_apart_deg:.0f}° from "
            "the sun"
        )


# -- twilight ------------------------------------------------------------------------------------------------


def next_window(rig: Rig, at: datetime, when: When | None = None) -> SkyWindow | None:
    """The one that is under way, or the next within two days; None where the sun doesn't pass."""
    site = rig.site.place()
    passes = sorted(
        ((c.at, c.upward, level) for level in (BRIGHTEST_SUN_DEG, DARKEST_SUN_DEG)
         for c in sun_crossings(at - timedelta(hours=6), at + timedelta(days=2), site, level)),
    )  # fmt: skip
    for (begins, upward, level), (ends, upward_too, level_too) in pairwise(passes):
        dusk = not upward and not upward_too and level > level_too
        dawn = upward and upward_too and level < level_too
        if ((dusk and when != "dawn") or (dawn and when != "dusk")) and ends > at:
            return SkyWindow("dusk" if dusk else "dawn", begins, ends)
    return None


def sky_course(rig: Rig, window: SkyWindow) -> SkyCourse:
    """The sky's light overhead through it, as 10^(−0.4 mag/arcsec²), seconds from its beginning."""
    at_s = np.arange(0.0, (window.ends - window.begins).total_seconds() + _STEP_S, _STEP_S)
    sun = observe_sun(from_unix(window.begins.timestamp() + at_s), rig.site.place().airless())
    return SkyCourse(at_s, daylight(sun.altitude_deg) + float(night_light(90.0, 0.0)))


def sky_filters(rig: Rig, names: list[str], binning: int, gain: int) -> list[SkyFilter]:
    """What each makes of that light, by the optics; "" is no filter at all."""
    camera, telescope = rig.camera, rig.telescope
    assert camera is not None and telescope is not None, "asked for before"
    area_cm2 = math.pi / 4 * (telescope.aperture_mm**2 - telescope.obstruction_mm**2) / 100
    pixel_arcsec2 = rig.scale_arcsec_px(binning) ** 2
    to_adu = area_cm2 * _THROUGHPUT * pixel_arcsec2 / camera.at_gain(gain).electrons_per_adu
    if camera.bayer is not None:
        to_adu /= 3
    found = []
    for name in names:
        bands = [(b.centre_nm, b.width_nm) for b in rig.wheel.filter(name).passbands] if rig.wheel else []
        bands = bands or [(550.0, 300.0)]
        photons = sum(width * float(photons_s_cm2_nm(centre)) for centre, width in bands)
        found.append(SkyFilter(name, to_adu * photons))
    return found


def twilight_limits(rig: Rig, wish: FlatsWish, camera: Camera, dec_deg: float) -> TwilightLimits:
    """Of a job at a declination, whose sky turns on under a tube that stands still: two frames' stars lie
    apart."""
    part = rig.camera
    assert part is not None, "asked for before"
    least_s = wish.least_exposure_s or max(part.shortest_exposure_s, _SHORTEST_S)
    drift_arcsec_s = max(_SKY_ARCSEC_S * math.cos(math.radians(dec_deg)), 1.0)
    between_s = max(part.download_of(wish.binning) + _HANDLING_S, _APART_ARCSEC / drift_arcsec_s - least_s)
    aim_adu = camera.share_adu(wish.aim_percent) - camera.bias_adu
    return TwilightLimits(aim_adu, least_s, max(wish.most_exposure_s, least_s), between_s)


def aim_share(wish: FlatsWish, camera: Camera, name: str) -> float:
    """The aim of all filters over that of one which has another window, each over the bias."""
    common, own = (camera.share_adu(w.aim_percent) - camera.bias_adu for w in (wish, wish.window_of(name)))
    return common / own


@dataclass(frozen=True, slots=True)
class SkyPlan:
    """What is expected of a twilight, before a frame has shown anything."""

    window: SkyWindow
    course: SkyCourse
    turns: list[SkyTurn]

    def at(self, seconds: float) -> datetime:
        """The moment so long after the window's beginning."""
        return self.window.begins + timedelta(seconds=seconds)


def sky_plan(rig: Rig, wish: FlatsWish, at: datetime) -> SkyPlan | None:
    """Each filter's turn in the twilight that is under way or comes next; None where none comes."""
    window = next_window(rig, at, wish.when)
    if window is None or rig.camera is None or rig.telescope is None:
        return None
    course = sky_course(rig, window)
    names, lights = wish.filters_in(rig.wheel), rig.camera.settings_for("lights")
    gain = wish.gain if wish.gain is not None else lights.gain or 0
    camera = Camera(0.0, float(rig.camera.full_scale_adu))
    filters = [
        replace(one, adu_s=one.adu_s * aim_share(wish, camera, one.name))
        for one in sky_filters(rig, names, wish.binning, gain)
    ]
    places = twilight_places(rig, window.begins)
    dec_deg = places[0].dec_deg if places else 0.0
    limits = twilight_limits(rig, wish, camera, dec_deg)
    return SkyPlan(window, course, expected_turns(filters, course, limits, wish.count, CHANGE_S))


def twilight_places(rig: Rig, at: datetime) -> list[FlatPlace]:
    """The most even parts of a twilight sky that the rig reaches, the best one first."""
    sun = _sun(rig, at)
    found = [
        _place(rig, altitude, float(sun.azimuth_deg) + turn, sun)
        for altitude in (_NULL_POINT_DEG, 65.0, 55.0)
        for turn in (180.0, 150.0, 210.0, 120.0, 240.0)
    ]
    return [place for place in found if _reached(rig, place)]


# -- daylight on a cloth -------------------------------------------------------------------------------------


def cloth_places(rig: Rig, at: datetime) -> list[FlatPlace]:
    """About 90° from the sun and over 40° high, the nearest to a right angle first; none with the sun low or
    down, or too high for both."""
    sun = _sun(rig, at)
    if float(sun.altitude_deg) < _CLOTH_SUN_FROM_DEG:
        return []
    found = [
        _place(rig, float(altitude), float(sun.azimuth_deg) + turn, sun)
        for altitude in range(int(_CLOTH_LOWEST_DEG) + 2, 79, 4)
        for turn in range(60, 301, 15)
    ]
    good = [
        place
        for place in found
        if abs(place.sun_apart_deg - _CLOTH_APART_DEG) <= _CLOTH_WITHIN_DEG and _reached(rig, place)
    ]
    return sorted(good, key=lambda place: round(abs(place.sun_apart_deg - _CLOTH_APART_DEG)))


def cloth_spans(rig: Rig, begins: datetime, ends: datetime) -> list[tuple[datetime, datetime]]:
    """From when until when there is such a place, to ten minutes."""
    spans: list[tuple[datetime, datetime]] = []
    step, at = timedelta(minutes=10), begins
    while at < ends:
        if cloth_places(rig, at):
            if spans and spans[-1][1] == at:
                spans[-1] = spans[-1][0], at + step
            else:
                spans.append((at, at + step))
        at += step
    return spans


# -- both ----------------------------------------------------------------------------------------------------


def _sun(rig: Rig, at: datetime) -> Observed:
    return observe_sun(from_datetimes(at), rig.site.place().airless())


def _place(rig: Rig, altitude_deg: float, azimuth_deg: float, sun: Observed) -> FlatPlace:
    hour, dec = hour_angle_and_dec(altitude_deg, azimuth_deg, rig.site.latitude_deg)
    apart = float(separation_deg(hour, dec, float(sun.hour_angle_deg), float(sun.dec_deg)))
    return FlatPlace(hour, dec, altitude_deg, azimuth_deg % 360, apart)


def _reached(rig: Rig, place: FlatPlace) -> bool:
    mount, line = rig.mount, rig.site.sky_line_alone()
    lowest = max(
        mount.lowest_altitude_deg if mount else 0.0,
        float(line.altitude_deg(place.azimuth_deg)) + _OVER_HORIZON_DEG if rig.site.horizon else 0.0,
    )
    highest = mount.highest_altitude_deg - _UNDER_LIMIT_DEG if mount else 90.0
    return lowest <= place.altitude_deg <= highest and place.sun_apart_deg > _CLEAR_OF_SUN_DEG
