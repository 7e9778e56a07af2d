"""From catalogue (ICRS) to what an observer sees, and back, with ERFA.

The chain is that of the IAU 2000/2006 resolutions: precession, nutation, aberration, Earth rotation,
diurnal aberration, refraction. Polar motion (under 0.6″) is left out.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import erfa
import numpy as np

from vigil.sky.instants import Floats, Instants
from vigil.sky.site import Site


@dataclass(frozen=True, slots=True)
class Observed:
    """Directions as seen from a site, arrays of one shape, in degrees.

    Altitude and azimuth (north 0°, east 90°), and hour angle (−180…180, west positive) and declination
    referred to the true equator of date, refraction included where the site has pressure.
    """

    altitude_deg: Floats
    azimuth_deg: Floats
    hour_angle_deg: Floats
    dec_deg: Floats


_SHORT_DAYS, _ROUND_DAYS = 20 / 1440, 10 / 1440
_MANY = 1000


def astrom_of(instants: Instants, site: Site) -> Any:
    """ERFA's star-independent parameters for each instant.

    They are those of the nearest tenth minute, reckoned once, with Earth turned to each instant (aper13):
    what changes more slowly, the observer's velocity above all (0.3″ of aberration, which goes round in a
    day), is off by 0.007″ after five minutes. Instants within twenty minutes share theirs, to make no step
    between them, and are off by 0.02″ at most. Those of months are reckoned each for itself.
    """
    # Earth is turned by the instants' own UT1 below: a rounded one serves for what changes slowly
    if np.ndim(instants.utc1) == 0:
        one = instants.utc1, instants.utc2, instants.ut11, instants.ut12, instants.dut1_s
        return _one_astrom(*map(float, one), site)
    day, dut1_s = float(np.min(instants.utc1)), round(float(np.mean(instants.dut1_s)), 3)
    days = np.asarray(instants.utc1 - day + instants.utc2)
    first, last = days.min(), days.max()
    ut11, ut12 = np.asarray(instants.ut11), np.asarray(instants.ut12)
    if last - first <= _SHORT_DAYS:
        tenths, which = np.array([round((first + last) / 2 / _ROUND_DAYS)]), np.zeros(days.shape, int)
    else:
        tenths, which = np.unique(np.rint(days / _ROUND_DAYS).astype(int), return_inverse=True)
    if tenths.size > _MANY:
        return _whole_astrom(instants.utc1, instants.utc2, instants.dut1_s, site)
    bases = np.concatenate([_base(day, tenth, dut1_s, site) for tenth in tenths.tolist()])
    return erfa.aper13(ut11, ut12, bases[which.reshape(days.shape)])


@lru_cache(maxsize=64)
def _one_astrom(utc1: float, utc2: float, ut11: float, ut12: float, dut1_s: float, site: Site) -> Any:
    """Of one instant: whatever looks at the sky now asks for the same."""
    return erfa.aper13(ut11, ut12, _base(utc1, round(utc2 / _ROUND_DAYS), round(dut1_s, 3), site)[0])


@lru_cache(maxsize=2 * _MANY)
def _base(utc1: float, tenth: int, dut1_s: float, site: Site) -> Any:
    """At so many times ten minutes after a Julian date, in the site's air; shape (1,)."""
    bare, bending = _air(site)
    base = np.array([_astrom_at(utc1, tenth, dut1_s, bare)])
    base["refa"], base["refb"] = bending
    return base


@lru_cache(maxsize=2 * _MANY)
def _astrom_at(utc1: float, tenth: int, dut1_s: float, site: Site) -> Any:
    """At so many times ten minutes after a Julian date."""
    return _whole_astrom(utc1, tenth * _ROUND_DAYS, dut1_s, site)


@lru_cache(maxsize=16)
def _air(site: Site) -> tuple[Site, tuple[float, float]]:
    """The place without its air, and ERFA's two constants of what the air bends."""
    return site.airless(), erfa.refco(
        site.pressure_hpa, site.temperature_c, site.relative_humidity, site.wavelength_um
    )


def _whole_astrom(utc1: float | Floats, utc2: float | Floats, dut1_s: float | Floats, site: Site) -> Any:
    astrom, _ = erfa.apco13(
        utc1,
        utc2,
        dut1_s,
        np.radians(site.longitude_deg),
        np.radians(site.latitude_deg),
        site.height_m,
        0.0,
        0.0,
        site.pressure_hpa,
        site.temperature_c,
        site.relative_humidity,
        site.wavelength_um,
    )
    return astrom


def observe(ra_deg: float | Floats, dec_deg: float | Floats, instants: Instants, site: Site) -> Observed:
    """What the site sees of ICRS directions. Shapes of directions and instants broadcast together.

    Give directions shape (n, 1) and instants shape (m,) for all n × m at once.
    """
    astrom = astrom_of(instants, site)
    ri, di = erfa.atciqz(np.radians(ra_deg), np.radians(dec_deg), astrom)
    return cirs_to_observed(ri, di, astrom)


def cirs_to_observed(ri_rad: Floats, di_rad: Floats, astrom: Any) -> Observed:
    """The last step of the chain: intermediate place (CIRS, radians) to what the site sees."""
    azimuth, zenith, hour_angle, dec, _ = erfa.atioq(ri_rad, di_rad, astrom)
    return Observed(
        altitude_deg=np.degrees(np.pi / 2 - zenith),
        azimuth_deg=np.degrees(azimuth),
        hour_angle_deg=np.degrees(erfa.anpm(hour_angle)),
        dec_deg=np.degrees(dec),
    )


def unobserve(
    hour_angle_deg: float | Floats, dec_deg: float | Floats, instants: Instants, site: Site
) -> tuple[Floats, Floats]:
    """The ICRS direction (ra_deg, dec_deg) behind an observed hour angle and declination."""
    astrom = astrom_of(instants, site)
    ri, di = erfa.atoiq("H", np.radians(hour_angle_deg), np.radians(dec_deg), astrom)
    ra, dec = erfa.aticq(ri, di, astrom)
    return np.degrees(ra), np.degrees(dec)


def hour_angle_and_dec(altitude_deg: float, azimuth_deg: float, latitude_deg: float) -> tuple[float, float]:
    """Of a direction fixed to the ground, in degrees, without refraction (spherical astronomy's first
    formulas)."""
    h, a, phi = np.radians([altitude_deg, azimuth_deg, latitude_deg])
    sine = np.sin(phi) * np.sin(h) + np.cos(phi) * np.cos(h) * np.cos(a)
    west, south = -np.cos(h) * np.sin(a), np.cos(phi) * np.sin(h) - np.sin(phi) * np.cos(h) * np.cos(a)
    return float(np.degrees(np.arctan2(west, south))), float(np.degrees(np.arcsin(np.clip(sine, -1, 1))))


def local_sidereal_deg(instants: Instants, site: Site) -> Floats:
    """Apparent sidereal time at the site, 0…360° (IAU 2006/2000A)."""
    gast = erfa.gst06a(instants.ut11, instants.ut12, instants.tt1, instants.tt2)
    return np.asarray(np.degrees(erfa.anp(gast + np.radians(site.longitude_deg))))


def air_mass(altitude_deg: float | Floats) -> Floats:
    """Relative air mass at a refracted altitude: Pickering (2002), The Southern Limits of the Ancient
    Star Catalog, DIO 12. Good to the horizon; NaN below it."""
    h = np.asarray(altitude_deg, dtype=float)
    with np.errstate(invalid="ignore"):
        mass = 1 / np.sin(np.radians(h + 244 / (165 + 47 * np.where(h > 0, h, 0.0) ** 1.1)))
    return np.where(h >= 0, mass, np.nan)
