"""One night's sky over a site, noon to noon: what every time axis is drawn over."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from vigil.sky.bodies import moon_illumination, observe_moon, observe_sun
from vigil.sky.brightness import zenith_mag_arcsec2
from vigil.sky.events import Twilights, twilights
from vigil.sky.horizontal import observe
from vigil.sky.instants import Floats, from_unix, unix_s
from vigil.sky.site import Site

STEP_S = 600.0


@dataclass(frozen=True, slots=True)
class NightSky:
    """Sun, moon and darkness every ten minutes; arrays of one length over `unix_s`."""

    noon: datetime
    site: Site
    unix_s: Floats
    sun_altitude_deg: Floats
    moon_altitude_deg: Floats
    moon_illumination: float
    zenith_mag_arcsec2: Floats
    sun: Twilights

    def altitude_deg(self, ra_deg: float, dec_deg: float) -> Floats:
        """Altitudes of an ICRS direction, refraction included, over the night's instants."""
        return np.asarray(observe(ra_deg, dec_deg, from_unix(self.unix_s), self.site).altitude_deg)

    def path_deg(self, ra_deg: float, dec_deg: float) -> tuple[Floats, Floats]:
        """Altitudes and azimuths (north 0°, east 90°) of an ICRS direction over the night's instants."""
        seen = observe(ra_deg, dec_deg, from_unix(self.unix_s), self.site)
        return np.asarray(seen.altitude_deg), np.asarray(seen.azimuth_deg)

    def at(self, values: Floats, moment: datetime) -> float:
        """One of the night's curves at a moment."""
        return float(np.interp(unix_s(moment), self.unix_s, values))


def night_sky(noon: datetime, site: Site) -> NightSky:
    """The night that follows a noon."""
    start = unix_s(noon)
    times = np.arange(start, start + timedelta(days=1).total_seconds() + 1, STEP_S)
    instants = from_unix(times)
    sun_deg = observe_sun(instants, site).altitude_deg
    moon_deg = observe_moon(instants, site).altitude_deg
    lit = float(moon_illumination(from_unix(start + 43200.0)))
    return NightSky(
        noon=noon,
        site=site,
        unix_s=times,
        sun_altitude_deg=sun_deg,
        moon_altitude_deg=moon_deg,
        moon_illumination=lit,
        zenith_mag_arcsec2=zenith_mag_arcsec2(sun_deg, moon_deg, lit),
        sun=twilights(noon, site),
    )
