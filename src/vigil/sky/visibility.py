"""Altitudes of many directions at many instants: apparent places once, then matrix products.

Within a day a direction's apparent place moves by under 0.4″ (aberration), so one for the middle will do;
what turns is the site. Good to 1″ against the whole chain of `horizontal`; see tests.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import erfa
import numpy as np
from numpy.typing import NDArray

from vigil.sky.bodies import sun_gcrs_au
from vigil.sky.horizon import Horizon
from vigil.sky.horizontal import astrom_of
from vigil.sky.instants import Floats, Instants, from_unix
from vigil.sky.site import Site

Floats32 = NDArray[np.float32]
_DAY_S = 86400.0
_YEAR_STEP_S = 900.0
# refraction's formula is for altitudes above this
_LOWEST_DEG = 3.0


@dataclass(frozen=True, slots=True)
class Turning:
    """A site's upward, northward and eastward directions (m, 3) in the intermediate frame at instants."""

    up: Floats
    north: Floats
    east: Floats
    site: Site

    def __len__(self) -> int:
        return len(self.up)


def turning(instants: Instants, site: Site) -> Turning:
    """How the site turns over instants (m,)."""
    angle = erfa.era00(instants.ut11, instants.ut12) + np.radians(site.longitude_deg)
    latitude = np.radians(site.latitude_deg)
    cos, sin, zero = np.cos(angle), np.sin(angle), np.zeros_like(angle)
    return Turning(
        np.stack([np.cos(latitude) * cos, np.cos(latitude) * sin, zero + np.sin(latitude)], axis=-1),
        np.stack([-np.sin(latitude) * cos, -np.sin(latitude) * sin, zero + np.cos(latitude)], axis=-1),
        np.stack([-sin, cos, zero], axis=-1),
        site,
    )


def apparent(ra_deg: float | Floats, dec_deg: float | Floats, at: Instants, site: Site) -> Floats:
    """Unit vectors (n, 3) of ICRS directions as they appear at one instant, in the intermediate frame."""
    ri, di = erfa.atciqz(np.radians(ra_deg), np.radians(dec_deg), astrom_of(at, site))
    return np.asarray(erfa.s2c(ri, di))


def altitudes_deg(vectors: Floats, turned: Turning) -> Floats:
    """Altitudes (n, m), refraction included where the site has pressure."""
    bare = np.arcsin(np.clip(vectors @ turned.up.T, -1, 1))
    return np.asarray(np.degrees(bare) + refraction_deg(np.degrees(bare), turned.site))


def refraction_deg(altitude_deg: Floats, site: Site) -> Floats:
    """How much higher a true altitude appears: ERFA's A tan z + B tan³ z, solved for the observed zenith
    distance by one step of Newton's; kept as at 3° below that."""
    if site.pressure_hpa <= 0:
        return np.zeros_like(altitude_deg)
    a, b = _refraction(site)
    zenith = np.radians(90 - np.maximum(altitude_deg, _LOWEST_DEG))
    tan = np.tan(zenith)
    plain = a * tan + b * tan**3
    slope = (a + 3 * b * tan**2) * (1 + tan**2)
    return np.asarray(np.degrees(plain / (1 + slope)))


@lru_cache(maxsize=16)
def _refraction(site: Site) -> tuple[float, float]:
    a, b = erfa.refco(site.pressure_hpa, site.temperature_c, site.relative_humidity, site.wavelength_um)
    return float(a), float(b)


def above_line(vectors: Floats, turned: Turning, line: Horizon) -> tuple[NDArray[np.bool_], Floats32]:
    """Which directions (n,) stand above the site's horizon at which instants (m,), and the sines of their
    altitudes, both (n, m). Single precision: good to some arc-seconds, as a ranking needs."""
    small = vectors.astype(np.float32)
    sines = small @ turned.up.T.astype(np.float32)
    lift = _lift(line, turned.site)
    if not line.points:
        return sines > np.float32(np.sin(np.radians(lift[0]))), sines
    azimuth = np.arctan2(small @ turned.east.T.astype(np.float32), small @ turned.north.T.astype(np.float32))
    # the line at every tenth of a degree, as sines of true altitudes
    table = np.sin(np.radians(lift)).astype(np.float32)
    place = (azimuth * np.float32(1800 / np.pi)).astype(np.int32) % len(table)
    return sines > table[place], sines


def _lift(line: Horizon, site: Site) -> Floats:
    """True altitudes at which the horizon's line is passed, every tenth of a degree of azimuth."""
    wanted = line.altitude_deg(np.arange(3600) / 10)
    return np.asarray(wanted - refraction_deg(wanted, site))


@dataclass(frozen=True, slots=True)
class Year:
    """Every quarter of an hour of the days that follow a first noon: `sun_altitude_deg` (days, steps) is
    the sun's true altitude, `turned` the site over all of them, day after day."""

    first_noon_unix_s: float
    days: int
    turned: Turning
    sun_altitude_deg: Floats
    middle: Instants


@lru_cache(maxsize=4)
def year_from(first_noon_unix_s: float, days: int, site: Site) -> Year:
    """The frame for `usable_hours`: made once for a site and a year."""
    noons = np.asarray(first_noon_unix_s + _DAY_S * np.arange(days + 1), dtype=float)
    daily = from_unix(noons)
    seen: Any = astrom_of(daily, site.airless())
    sun = np.einsum("nij,nj->ni", seen["bpn"], sun_gcrs_au(daily))
    steps = np.arange(days * int(_DAY_S / _YEAR_STEP_S))
    times = np.asarray(first_noon_unix_s + _YEAR_STEP_S * steps, dtype=float)
    between = np.stack([np.interp(times, noons, sun[:, k]) for k in range(3)], axis=-1)
    between /= np.linalg.norm(between, axis=1, keepdims=True)
    turned = turning(from_unix(times), site)
    altitude = np.degrees(np.arcsin(np.clip(np.einsum("nc,nc->n", between, turned.up), -1, 1)))
    middle = from_unix(first_noon_unix_s + _DAY_S * days / 2)
    return Year(first_noon_unix_s, days, turned, altitude.reshape(days, -1), middle)


def usable_hours(ra_deg: float, dec_deg: float, year: Year, line: Horizon, dark_below_deg: float) -> Floats:
    """Hours (days,) of each night with the sun under a depth and the direction above the horizon."""
    vector = apparent(ra_deg, dec_deg, year.middle, year.turned.site)
    up, _ = above_line(vector[np.newaxis], year.turned, line)
    usable = up[0].reshape(year.days, -1) & (year.sun_altitude_deg < dark_below_deg)
    return np.asarray(usable.sum(axis=1) * (_YEAR_STEP_S / 3600))
