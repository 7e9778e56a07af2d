"""How bright the sky is: airglow, town lights, moon, twilight and day. All in V."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np

from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon, observe_sun
from vigil.sky.horizontal import observe
from vigil.sky.instants import Floats, from_datetimes
from vigil.sky.site import Site

# the twilight's own light overhead, night sky taken off: Patat, Ugolnikov & Postylyakov 2006, A&A 455, 385,
# V = 11.84 + 1.518 s − 0.057 s² for a sun 5 + s degrees down, used to 15°; a magnitude a degree onward
_PATAT_V = (11.84, 1.518, -0.057)
_PATAT_FROM_DEG, _PATAT_TO_DEG = 5.0, 15.0
_PATAT_NIGHT_MAG = 21.8
_CD_M2_OF_MAG_0 = 10.8e4
# a town's glow rises this much towards it at the horizon, against the far side
_TOWN_CONTRAST = 0.8


@dataclass(frozen=True, slots=True)
class StillMoon:
    """A moon placed by hand: how much is lit, how far from where one looks, how high."""

    illumination: float
    apart_deg: float
    altitude_deg: float


@dataclass(frozen=True, slots=True)
class SkyLights:
    """What lights the sky up; magnitudes a square arc-second overhead."""

    natural_mag: float = 21.9
    pollution_mag: float | None = 22.23
    town_azimuth_deg: float | None = None
    moonlight: bool = True
    moon: StillMoon | None = None
    twilight: bool = True
    twilight_fainter_mag: float = 0.0
    twilight_fainter_mag_deg: float = 0.0
    """Than `daylight` says, and for each degree of the sun's altitude."""
    extinction_mag: float = 0.2


ORDINARY = SkyLights()


def sky_mag_arcsec2(
    ra_deg: float, dec_deg: float, at: datetime, site: Site, lights: SkyLights = ORDINARY
) -> float:
    """Surface brightness (V) towards a direction."""
    now = from_datetimes(at)
    direction = observe(ra_deg, dec_deg, now, site)
    altitude_deg = np.maximum(direction.altitude_deg, 1.0)
    sun = observe_sun(now, site)
    light = night_light(altitude_deg, direction.azimuth_deg, lights)
    if lights.twilight:
        fainter = lights.twilight_fainter_mag + lights.twilight_fainter_mag_deg * sun.altitude_deg
        light = light + daylight(sun.altitude_deg) * 10 ** (-0.4 * fainter)
    if lights.moonlight and lights.moon is not None:
        still = lights.moon
        light = light + moonlight(
            still.illumination, still.apart_deg, still.altitude_deg, altitude_deg, lights.extinction_mag
        )
    elif lights.moonlight:
        moon = observe_moon(now, site)
        apart = separation_deg(moon.hour_angle_deg, moon.dec_deg, direction.hour_angle_deg, direction.dec_deg)
        light = light + moonlight(
            moon_illumination(now), apart, moon.altitude_deg, altitude_deg, lights.extinction_mag
        )
    return float(-2.5 * np.log10(light))


def zenith_mag_arcsec2(
    sun_altitude_deg: Floats, moon_altitude_deg: Floats, illumination: float | Floats
) -> Floats:
    """Surface brightness (V) overhead: darkness and moonlight in one figure."""
    moon_altitude_deg = np.asarray(moon_altitude_deg)
    light = (
        night_light(90.0, 0.0, ORDINARY)
        + daylight(sun_altitude_deg)
        + moonlight(illumination, 90.0 - moon_altitude_deg, moon_altitude_deg, 90.0, ORDINARY.extinction_mag)
    )
    return np.asarray(-2.5 * np.log10(light))


def optical_path(altitude_deg: float | Floats) -> Floats:
    """Air masses of a glowing layer: X = (1 − 0.96 sin² z)^−½, Krisciunas & Schaefer 1991, equation 3."""
    return np.asarray((1 - 0.96 * np.cos(np.radians(altitude_deg)) ** 2) ** -0.5)


def night_light(
    altitude_deg: float | Floats, azimuth_deg: float | Floats, lights: SkyLights = ORDINARY
) -> Floats:
    """Airglow and town lights as 10^(−0.4 mag/arcsec²); they grow towards the horizon as in Krisciunas &
    Schaefer 1991, equation 2, a town's more on its side."""
    path = optical_path(altitude_deg)
    growth = path * 10 ** (-0.4 * lights.extinction_mag * (path - 1))
    light = 10 ** (-0.4 * lights.natural_mag) * growth
    if lights.pollution_mag is None:
        return np.asarray(light)
    towards: float | Floats = 1.0
    if lights.town_azimuth_deg is not None:
        low = np.cos(np.radians(altitude_deg))
        towards = 1 + _TOWN_CONTRAST * low * np.cos(np.radians(azimuth_deg - lights.town_azimuth_deg))
    return np.asarray(light + 10 ** (-0.4 * lights.pollution_mag) * growth * towards)


def daylight(sun_altitude_deg: float | Floats) -> Floats:
    """Light overhead that the sun scatters, as 10^(−0.4 mag/arcsec²), the same for the whole sky.

    Sun up: clear-sky zenith luminance of Krochmann 1970 (DIN 5034-2), in cd/m²
    100 + 63 h + h (h − 30) exp(0.0346 (h − 68)). Down by 5° and more: Patat et al. 2006. Straight lines of
    magnitude in between.
    """
    h = np.asarray(sun_altitude_deg, dtype=float)
    up = np.maximum(h, 0.0)
    luminance = 100 + 63 * up + up * (up - 30) * np.exp(0.0346 * (up - 68))
    day_mag = -2.5 * np.log10(luminance / _CD_M2_OF_MAG_0)
    s = np.clip(-h, _PATAT_FROM_DEG, _PATAT_TO_DEG) - _PATAT_FROM_DEG
    total = 10 ** (-0.4 * (_PATAT_V[0] + _PATAT_V[1] * s + _PATAT_V[2] * s**2))
    deeper_deg = np.maximum(-h - _PATAT_TO_DEG, 0.0)
    dusk_mag = -2.5 * np.log10(total - 10 ** (-0.4 * _PATAT_NIGHT_MAG)) + deeper_deg
    between = np.clip(-h / _PATAT_FROM_DEG, 0, 1)
    mag = np.where(-h >= _PATAT_FROM_DEG, dusk_mag, day_mag + between * (_PATAT_V[0] - day_mag))
    return np.asarray(10 ** (-0.4 * mag))


def moonlight(
    illumination: float | Floats,
    apart_deg: float | Floats,
    moon_altitude_deg: float | Floats,
    altitude_deg: float | Floats,
    extinction_mag: float,
) -> Floats:
    """Scattered moonlight as 10^(−0.4 mag/arcsec²), 0 with the moon down: Krisciunas & Schaefer 1991, PASP
    103, 1033, equations 3, 15, 20 and 21."""
    up = np.asarray(moon_altitude_deg) > 0
    phase_deg = np.degrees(np.arccos(np.clip(2 * np.asarray(illumination) - 1, -1, 1)))
    moon = 10 ** (-0.4 * (3.84 + 0.026 * phase_deg + 4e-9 * phase_deg**4))
    apart = np.asarray(apart_deg)
    scatter = 10**5.36 * (1.06 + np.cos(np.radians(apart)) ** 2) + 10 ** (6.15 - apart / 40)
    # below the horizon the moon adds nothing; any altitude will do there
    through = 10 ** (-0.4 * extinction_mag * optical_path(np.where(up, moon_altitude_deg, 1.0)))
    gathered = 1 - 10 ** (-0.4 * extinction_mag * optical_path(altitude_deg))
    nanolambert = scatter * moon * through * gathered
    # 34.08 nL is 20.7233 − ln(…)/0.92104 in V magnitudes a square arc-second: their equation 1
    return np.asarray(np.where(up, nanolambert, 0.0) / 34.08 * 10 ** (-0.4 * 20.7233 / 0.92104))
