"""Sun and moon as a site sees them."""

from typing import Any

import erfa
import numpy as np

from vigil.sky.horizontal import Observed, astrom_of, cirs_to_observed
from vigil.sky.instants import Floats, Instants
from vigil.sky.site import Site

_AU_M = erfa.DAU
_LIGHT_DAYS_PER_AU = erfa.AULT / 86400.0


def sun_gcrs_au(instants: Instants) -> Floats:
    """Geocentric vector to the sun, shape (…, 3), astronomical units (ERFA epv00: VSOP fit, 5 km)."""
    heliocentric, _ = erfa.epv00(instants.tt1, instants.tt2)
    return np.asarray(-heliocentric["p"])


def moon_gcrs_au(instants: Instants) -> Floats:
    """Geocentric vector to the moon where its light left it, shape (…, 3), astronomical units.

    ERFA moon98 (Meeus 1998, chapter 47): about 10″.
    """
    pv = erfa.moon98(instants.tt1, instants.tt2)
    delay = np.linalg.norm(pv["p"], axis=-1) * _LIGHT_DAYS_PER_AU
    return np.asarray(pv["p"] - pv["v"] * delay[..., np.newaxis])


def observe_sun(instants: Instants, site: Site) -> Observed:
    """The sun's centre as the site sees it, parallax (9″) included."""
    astrom = astrom_of(instants, site)
    vector = sun_gcrs_au(instants)
    ra, dec = erfa.c2s(vector)
    ri, di = erfa.atciqz(ra, dec, astrom)
    return _from_site(erfa.s2p(ri, di, np.linalg.norm(vector, axis=-1)), instants, site, astrom)


def observe_moon(instants: Instants, site: Site) -> Observed:
    """The moon's centre as the site sees it, parallax included.

    Annual aberration and the Earth's motion during the light time cancel for the moon, so the
    light-time corrected vector is only turned into the equator of date.
    """
    astrom = astrom_of(instants, site)
    vector = np.einsum("...ij,...j->...i", astrom["bpn"], moon_gcrs_au(instants))
    return _from_site(vector, instants, site, astrom)


def _from_site(geocentric_cirs_au: Floats, instants: Instants, site: Site, astrom: Any) -> Observed:
    """Take the observer's own place from a geocentric vector, then the usual last step."""
    era = erfa.era00(instants.ut11, instants.ut12)
    observer = erfa.pvtob(
        np.radians(site.longitude_deg), np.radians(site.latitude_deg), site.height_m, 0.0, 0.0, 0.0, era
    )
    ri, di = erfa.c2s(geocentric_cirs_au - observer["p"] / _AU_M)
    return cirs_to_observed(erfa.anp(ri), di, astrom)


def moon_illumination(instants: Instants) -> Floats:
    """Illuminated fraction of the moon's disc, 0…1 (Meeus 1998, chapter 48)."""
    sun, moon = sun_gcrs_au(instants), moon_gcrs_au(instants)
    sun_distance = np.linalg.norm(sun, axis=-1)
    moon_distance = np.linalg.norm(moon, axis=-1)
    elongation = erfa.sepp(sun, moon)
    phase = np.arctan2(sun_distance * np.sin(elongation), moon_distance - sun_distance * np.cos(elongation))
    return np.asarray((1 + np.cos(phase)) / 2)
