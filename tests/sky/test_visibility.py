"""Altitudes of many directions at once, and the year's hours, against the whole chain and astropy."""

from datetime import timedelta

import astropy.units as u
import numpy as np
import pytest
from astropy.coordinates import AltAz, EarthLocation, SkyCoord
from astropy.time import Time

from campaigns.demo import demo_rig
from campaigns.oracle import stay_offline
from vigil.documents.plan import Span, SunMoment
from vigil.planning.spans import local_noon_before
from vigil.planning.tonight import tonight
from vigil.sky.horizon import Horizon
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_unix, to_datetime, unix_s
from vigil.sky.visibility import above_line, altitudes_deg, apparent, turning, usable_hours, year_from

RIG = demo_rig()
SITE = RIG.site.place()
DARK = Span(opens=SunMoment(), minimum_altitude_deg=0)
NOON = local_noon_before(RIG.simulated.starts_at, RIG.site.time_zone)
TIMES = unix_s(NOON) + np.arange(0, 86400, 1800.0)
RNG = np.random.default_rng(3)
RA, DEC = RNG.uniform(0, 360, 60), np.degrees(np.arcsin(RNG.uniform(-1, 1, 60)))


def test_altitudes_are_astropys_within_two_arcseconds() -> None:
    stay_offline()
    site = SITE.airless()
    ours = altitudes_deg(
        apparent(RA, DEC, from_unix(unix_s(NOON) + 43200), site), turning(from_unix(TIMES), site)
    )
    place = EarthLocation(SITE.longitude_deg * u.deg, SITE.latitude_deg * u.deg, SITE.height_m * u.m)
    stars = SkyCoord(RA[:, None] * u.deg, DEC[:, None] * u.deg)
    theirs = stars.transform_to(AltAz(obstime=Time([to_datetime(float(t)) for t in TIMES]), location=place))
    assert 3600 * np.abs(ours - theirs.alt.deg).max() < 2.0


def test_refraction_is_that_of_the_whole_chain() -> None:
    ours = altitudes_deg(
        apparent(RA, DEC, from_unix(unix_s(NOON) + 43200), SITE), turning(from_unix(TIMES), SITE)
    )
    whole = observe(RA[:, None], DEC[:, None], from_unix(TIMES), SITE).altitude_deg
    assert 3600 * np.abs(ours - whole)[whole > 5].max() < 2.0


@pytest.mark.parametrize("points", [(), ((0.0, 40.0), (90.0, 12.0), (180.0, 5.0), (270.0, 30.0))])
def test_above_the_line_is_what_the_whole_chain_says(points: tuple[tuple[float, float], ...]) -> None:
    line = Horizon(points, 20.0)
    up, _ = above_line(
        apparent(RA, DEC, from_unix(unix_s(NOON) + 43200), SITE), turning(from_unix(TIMES), SITE), line
    )
    seen = observe(RA[:, None], DEC[:, None], from_unix(TIMES), SITE)
    above = seen.altitude_deg - line.altitude_deg(seen.azimuth_deg)
    clear = np.abs(above) > 0.02
    assert np.array_equal(up[clear], above[clear] > 0)


def test_the_years_hours_are_those_of_the_single_nights() -> None:
    year = year_from(unix_s(NOON), 200, SITE)
    hours = usable_hours(79.05, 34.45, year, RIG.site.sky_line(), -18.0)
    assert hours.shape == (200,)
    for day in (0, 40, 80, 120):
        night = tonight(79.05, 34.45, RIG, NOON + timedelta(days=day, hours=6), DARK)
        assert hours[day] == pytest.approx(night.usable_h, abs=0.3)
    assert hours.max() > 6 and hours.min() == 0
