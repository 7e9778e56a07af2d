"""How bright the sky is: night sky, moon, twilight."""

from datetime import datetime

import numpy as np

from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon, observe_sun
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes
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
    light = 10 ** (-0.4 * DARK_SKY_MAG_ARCSEC2)
    if sun.altitude_deg > -18:
        twilight = np.interp(sun.altitude_deg, _TWILIGHT_ALTITUDE_DEG, _TWILIGHT_MAG_ARCSEC2)
        light += 10 ** (-0.4 * float(twilight))
    if moon.altitude_deg > 0:
        apart = separation_deg(moon.hour_angle_deg, moon.dec_deg, direction.hour_angle_deg, direction.dec_deg)
        light += _moonlight(
            float(moon_illumination(now)),
            float(apart),
            float(moon.altitude_deg),
            max(float(direction.altitude_deg), 1.0),
        )
    return float(-2.5 * np.log10(light))


def _moonlight(illumination: float, apart_deg: float, moon_altitude_deg: float, altitude_deg: float) -> float:
    """Scattered moonlight as 10^(−0.4 mag/arcsec²): Krisciunas & Schaefer 1991, PASP 103, 1033."""
    phase_deg = np.degrees(np.arccos(np.clip(2 * illumination - 1, -1, 1)))
    moon = 10 ** (-0.4 * (3.84 + 0.026 * phase_deg + 4e-9 * phase_deg**4))
    scatter = 10**5.36 * (1.06 + np.cos(np.radians(apart_deg)) ** 2) + 10 ** (6.15 - apart_deg / 40)
    through = 10 ** (-0.4 * _EXTINCTION_MAG * float(air_mass(moon_altitude_deg)))
    gathered = 1 - 10 ** (-0.4 * _EXTINCTION_MAG * float(air_mass(altitude_deg)))
    nanolambert = scatter * moon * through * gathered
    # 34.08 nL is 20.7233 − ln(…)/0.92104 in V magnitudes a square arc-second
    return float(10 ** (-0.4 * (20.7233 - np.log(nanolambert / 34.08) / 0.92104))) if nanolambert > 0 else 0.0
