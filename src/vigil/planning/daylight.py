"""Where the day begins for the gear: over this altitude of the sun nothing stands open unless somebody wants
it so."""

from datetime import datetime

from vigil.documents.rig.site import SitePart
from vigil.sky.bodies import observe_sun
from vigil.sky.instants import from_datetimes

DAY_ABOVE_DEG = -6.0
"""Civil twilight."""


def sun_altitude_deg(site: SitePart, at: datetime) -> float:
    """Of its centre, without refraction."""
    return float(observe_sun(from_datetimes(at), site.place().airless()).altitude_deg)
