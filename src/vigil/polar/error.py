"""How far a polar axis is from the pole, in the two ways in which adjusters move it."""

from dataclasses import dataclass, replace

import numpy as np

from vigil.polar.attitude import angles_deg, ground_vector
from vigil.polar.axis import Axis
from vigil.sky.angles import wrap_180
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import Instants
from vigil.sky.site import Site

_SAG_SIGMA_ARCSEC, _CHANGES = 9.0, 0.15
"""At the horizon; twice that is the most that is usual."""


@dataclass(frozen=True, slots=True)
class PolarError:
    """Arc-minutes on the sky, with standard errors: `altitude` is + where the axis is too high, `azimuth` +
    where it is east of the pole (the difference in azimuth times the cosine of the latitude)."""

    altitude_arcmin: float
    azimuth_arcmin: float
    sigma_altitude_arcmin: float = 0.0
    sigma_azimuth_arcmin: float = 0.0

    @property
    def total_arcmin(self) -> float:
        return float(np.hypot(self.altitude_arcmin, self.azimuth_arcmin))


def true_pole_deg(site: Site) -> tuple[float, float]:
    """(altitude, azimuth) of the visible celestial pole without air."""
    return abs(site.latitude_deg), 0.0 if site.latitude_deg >= 0 else 180.0


def refracted_pole_deg(site: Site, at: Instants) -> tuple[float, float]:
    """The same as the site sees it."""
    bare = site.airless()
    ra, dec = unobserve(0.0, 90.0 if site.latitude_deg >= 0 else -90.0, at, bare)
    seen = observe(ra, dec, at, site)
    return float(seen.altitude_deg), true_pole_deg(site)[1]


def error_of(axis: Axis, pole_deg: tuple[float, float]) -> PolarError:
    """Against a pole. The signs hold in both hemispheres: east is where azimuths grow in the north, and fall
    in the south."""
    altitude, azimuth = angles_deg(axis.direction)
    across = np.cos(np.radians(pole_deg[0]))
    east = 1.0 if abs(pole_deg[1]) < 90 else -1.0
    sigma_alt, sigma_az = np.degrees(np.sqrt(np.diag(axis.covariance))) * 60
    return PolarError(
        60 * (altitude - pole_deg[0]),
        60 * east * float(wrap_180(azimuth - pole_deg[1])) * float(across),
        float(sigma_alt),
        float(sigma_az * across),
    )


def with_sag(error: PolarError, latitude_deg: float) -> PolarError:
    """Tubes and their cameras sag, by up to some 20″ at the horizon, nobody knows by how much: near the pole
    they do so always alike, and an axis seems lower by that. It can't be told apart from the axis, so that it
    is part of what isn't known; and while the mount turns it changes a little, in any direction."""
    sag_arcmin = _SAG_SIGMA_ARCSEC / 60 * float(np.cos(np.radians(latitude_deg)))
    return replace(
        error,
        sigma_altitude_arcmin=float(np.hypot(error.sigma_altitude_arcmin, sag_arcmin)),
        sigma_azimuth_arcmin=float(np.hypot(error.sigma_azimuth_arcmin, _CHANGES * sag_arcmin)),
    )


def told_error(axis: Axis, pole_deg: tuple[float, float], site: Site) -> PolarError:
    """Against a pole, with all that isn't known."""
    return with_sag(error_of(axis, pole_deg), site.latitude_deg)


def axis_direction(error: PolarError, pole_deg: tuple[float, float]) -> np.ndarray:
    """The unit vector of an axis that is so far off."""
    east = 1.0 if abs(pole_deg[1]) < 90 else -1.0
    azimuth = pole_deg[1] + east * error.azimuth_arcmin / 60 / np.cos(np.radians(pole_deg[0]))
    return np.asarray(ground_vector(pole_deg[0] + error.altitude_arcmin / 60, azimuth))
