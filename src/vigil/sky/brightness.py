"""How bright the sky is: night sky, moon, twilight."""

from datetime import datetime

import numpy as np

from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon, observe_sun
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import Floats, from_datetimes
from vigil.sky.site import Site

DARK_SKY_MAG_ARCSEC2 = 21.3
_EXTINCTION_MAG = 0.2

# V at the zenith against the sun's altitude: Patat et al. 2006, A&A 455, 385, table 1 and fits, rounded
_TWILIGHT_ALTITUDE_DEG = (-18.0, -15.0, -12.0, -9.0, -6.0, -3.0, 0.0)
_TWILIGHT_MAG_ARCSEC2 = (24.0, 21.0, 18.2, 14.9, 11.4, 8.0, 5.5)


def sky_mag_arcsec2(ra_deg: float, dec_deg: float, at: datetime, site: Site) -> float:
    """Surface brightness (V) towards a direction."""
    now = from_datetimes(at)
    direction = observe(ra_deg, dec_deg, now, site)
    sun, moon = observe_sun(now, site), observe_moon(now, site)
    apart = separation_deg(moon.hour_angle_deg, moon.dec_deg, direction.hour_angle_deg, direction.dec_deg)
    light = _light(
        sun.altitude_deg,
        moon.altitude_deg,
        moon_illumination(now),
        apart,
        np.maximum(direction.altitude_deg, 1),
    )
    return float(-2.5 * np.log10(light))


def zenith_mag_arcsec2(
    sun_altitude_deg: Floats, moon_altitude_deg: Floats, illumination: float | Floats
) -> Floats:
    """Surface brightness (V) overhead: darkness and moonlight in one figure."""
    illumination = np.broadcast_to(illumination, np.shape(moon_altitude_deg))
    apart_deg = 90.0 - np.asarray(moon_altitude_deg)
    light = _light(sun_altitude_deg, moon_altitude_deg, illumination, apart_deg, 90.0)
    return np.asarray(-2.5 * np.log10(light))


def _light(
    sun_altitude_deg: Floats,
    moon_altitude_deg: Floats,
    illumination: Floats,
    apart_deg: Floats,
    altitude_deg: float | Floats,
) -> Floats:
    """Night sky, twilight and moonlight added up, as 10^(−0.4 mag/arcsec²)."""
    twilight = np.interp(sun_altitude_deg, _TWILIGHT_ALTITUDE_DEG, _TWILIGHT_MAG_ARCSEC2)
    light = 10 ** (-0.4 * DARK_SKY_MAG_ARCSEC2) + np.where(
        np.asarray(sun_altitude_deg) > -18, 10 ** (-0.4 * twilight), 0.0
    )
    up = np.asarray(moon_altitude_deg) > 0
    # below the horizon the moon adds nothing; any altitude will do there
    moon = _moonlight(illumination, apart_deg, np.where(up, moon_altitude_deg, 1.0), altitude_deg)
    return np.asarray(light + np.where(up, moon, 0.0))


def _moonlight(
    illumination: Floats, apart_deg: Floats, moon_altitude_deg: Floats, altitude_deg: float | Floats
) -> Floats:
    """Scattered moonlight as 10^(−0.4 mag/arcsec²): Krisciunas & Schaefer 1991, PASP 103, 1033."""
    phase_deg = np.degrees(np.arccos(np.clip(2 * np.asarray(illumination) - 1, -1, 1)))
    moon = 10 ** (-0.4 * (3.84 + 0.026 * phase_deg + 4e-9 * phase_deg**4))
    scatter = 10**5.36 * (1.06 + np.cos(np.radians(apart_deg)) ** 2) + 10 ** (
        6.15 - np.asarray(apart_deg) / 40
    )
    through = 10 ** (-0.4 * _EXTINCTION_MAG * air_mass(moon_altitude_deg))
    gathered = 1 - 10 ** (-0.4 * _EXTINCTION_MAG * air_mass(altitude_deg))
    nanolambert = np.maximum(scatter * moon * through * gathered, 1e-12)
    # 34.08 nL is 20.7233 − ln(…)/0.92104 in V magnitudes a square arc-second
    return np.asarray(10 ** (-0.4 * (20.7233 - np.log(nanolambert / 34.08) / 0.92104)))
