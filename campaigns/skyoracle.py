"""Places and times against astropy as the oracle."""

import warnings
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from astropy import units as u
from astropy.coordinates import AltAz, EarthLocation, HADec, SkyCoord, get_body
from astropy.time import Time

from campaigns.figures import run_campaign
from campaigns.oracle import stay_offline
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon, observe_sun
from vigil.sky.events import line_crossings, transits, twilights
from vigil.sky.horizon import Horizon
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_unix, ut1_minus_utc_s
from vigil.sky.site import Site

NIGHTS = range(24)


def _site(rng: np.random.Generator) -> Site:
    return Site(
        float(rng.uniform(-58, 58)),
        float(rng.uniform(-180, 180)),
        800.0,
        pressure_hpa=920.0,
        temperature_c=5.0,
    )


def _frame(times: Time, site: Site, refracted: bool = True) -> AltAz:
    place = EarthLocation.from_geodetic(
        site.longitude_deg * u.deg, site.latitude_deg * u.deg, site.height_m * u.m
    )
    air = (
        {
            "pressure": site.pressure_hpa * u.hPa,
            "temperature": site.temperature_c * u.deg_C,
            "relative_humidity": site.relative_humidity,
            "obswl": site.wavelength_um * u.um,
        }
        if refracted
        else {}
    )
    return AltAz(obstime=times, location=place, **air)


def one_night(number: int) -> dict[str, Any]:
    """Largest differences over one random site and date: arc-seconds on the sky, seconds in times."""
    stay_offline()
    rng = np.random.default_rng([405, number])
    site = _site(rng)
    noon = datetime(2018, 1, 1, 12, tzinfo=UTC) + timedelta(days=float(rng.uniform(0, 365 * 8.5)))
    noon -= timedelta(hours=site.longitude_deg / 15)
    unix = noon.timestamp() + rng.uniform(0, 86400, 12)
    ra, dec = rng.uniform(0, 360, (30, 1)), np.degrees(np.arcsin(rng.uniform(-1, 1, (30, 1))))
    times = Time(unix, format="unix")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of dates beyond the tables' measured part
        theirs = SkyCoord(ra * u.deg, dec * u.deg).transform_to(_frame(times[None, :], site))
        moon = get_body("moon", times, _frame(times, site).location).transform_to(_frame(times, site))
        sun = get_body("sun", times).transform_to(_frame(times, site))
        result = {
            "dut1_ms": float(
                1000 * np.max(np.abs(ut1_minus_utc_s(times.mjd) - times.get_delta_ut1_utc().to_value("s")))
            ),
            "times_s": _times(noon, site, rng),
        }
    ours = observe(ra, dec, from_unix(unix), site)
    high = theirs.alt.deg > 15
    apart = 3600 * separation_deg(ours.azimuth_deg, ours.altitude_deg, theirs.az.deg, theirs.alt.deg)
    return {
        **result,
        "stars_arcsec": float(apart[high].max()),
        "moon_arcsec": _body(observe_moon(from_unix(unix), site), moon),
        "sun_arcsec": _body(observe_sun(from_unix(unix), site), sun),
    }


def _body(ours: Any, theirs: Any) -> float:
    high = theirs.alt.deg > 15
    apart = 3600 * separation_deg(ours.azimuth_deg, ours.altitude_deg, theirs.az.deg, theirs.alt.deg)
    return float(apart[high].max()) if np.any(high) else 0.0


def _times(noon: datetime, site: Site, rng: np.random.Generator) -> float:
    """Twilights, transits, risings: the altitude (or hour angle) that astropy finds at our moment,
    turned into seconds by its own rate there."""
    late: list[float] = []
    found = twilights(noon, site)
    for moment, level in (
        (found.sunset, -0.8333),
        (found.civil_dusk, -6.0),
        (found.nautical_dusk, -12.0),
        (found.astronomical_dusk, -18.0),
        (found.astronomical_dawn, -18.0),
        (found.civil_dawn, -6.0),
    ):
        if moment is not None:
            late.append(_late_s(moment, level, lambda t: _sun_altitude(t, site)))
    ra, dec = float(rng.uniform(0, 360)), float(rng.uniform(-60, 60))
    star = SkyCoord(ra * u.deg, dec * u.deg)
    end = noon + timedelta(days=1)
    for crossing in line_crossings(ra, dec, noon, end, site, Horizon(minimum_altitude_deg=20.0)):
        late.append(_late_s(crossing.at, 20.0, lambda t: star.transform_to(_frame(t, site)).alt.deg))
    for moment in transits(ra, dec, noon, end, site):
        late.append(_late_s(moment, 0.0, lambda t: _hour_angle(star, t, site)))
    return float(max(abs(s) for s in late if np.isfinite(s)))


def _late_s(moment: datetime, level: float, value: Any) -> float:
    times = Time([moment.timestamp() - 30, moment.timestamp(), moment.timestamp() + 30], format="unix")
    before, at, after = np.asarray(value(times), dtype=float)
    rate = (after - before) / 60
    # where altitude changes by less than 5″ a second the moment itself is not defined any better
    return float((at - level) / rate) if abs(rate) * 3600 > 5 else float("nan")


def _sun_altitude(times: Time, site: Site) -> Any:
    frame = _frame(times, site, refracted=False)
    return get_body("sun", times).transform_to(frame).alt.deg


def _hour_angle(star: SkyCoord, times: Time, site: Site) -> Any:
    place = _frame(times, site).location
    return star.transform_to(HADec(obstime=times, location=place)).ha.wrap_at(180 * u.deg).deg


def illumination_difference(number: int) -> float:
    """Our illuminated fraction of the moon against astropy's positions."""
    stay_offline()
    rng = np.random.default_rng([406, number])
    times = Time(rng.uniform(1.5e9, 1.75e9, 20), format="unix")
    sun, moon = get_body("sun", times), get_body("moon", times)
    elongation = sun.separation(moon, origin_mismatch="ignore").rad
    distance = sun.distance.au
    phase = np.arctan2(distance * np.sin(elongation), moon.distance.au - distance * np.cos(elongation))
    return float(np.max(np.abs((1 + np.cos(phase)) / 2 - moon_illumination(from_unix(times.unix)))))


def campaign() -> dict[str, Any]:
    """Two dozen random sites and dates."""
    return run_campaign("sky", ((f"night {n}", lambda n=n: one_night(n)) for n in NIGHTS), summarise)


def summarise(nights: list[dict[str, Any]]) -> dict[str, Any]:
    """The largest of each difference."""
    return {f"worst_{key}": round(max(night[key] for night in nights), 3) for key in nights[0]}
