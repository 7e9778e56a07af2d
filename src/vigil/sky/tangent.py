"""The tangent-plane (gnomonic) projection: Calabretta & Greisen 2002, A&A 395, 1077, section 5.1.3."""

import numpy as np

from vigil.sky.instants import Floats


def project(
    ra_deg: float | Floats, dec_deg: float | Floats, ra0_deg: float, dec0_deg: float
) -> tuple[Floats, Floats]:
    """Plane coordinates (xi_deg eastward, eta_deg northward) about a tangent point.

    Directions 90° away or more are NaN.
    """
    dra = np.radians(np.subtract(ra_deg, ra0_deg))
    dec, dec0 = np.radians(dec_deg), np.radians(dec0_deg)
    depth = np.sin(dec) * np.sin(dec0) + np.cos(dec) * np.cos(dec0) * np.cos(dra)
    depth = np.where(depth > 1e-9, depth, np.nan)
    xi = np.cos(dec) * np.sin(dra) / depth
    eta = (np.sin(dec) * np.cos(dec0) - np.cos(dec) * np.sin(dec0) * np.cos(dra)) / depth
    return np.degrees(xi), np.degrees(eta)


def deproject(
    xi_deg: float | Floats, eta_deg: float | Floats, ra0_deg: float, dec0_deg: float
) -> tuple[Floats, Floats]:
    """The direction (ra_deg 0…360, dec_deg) of plane coordinates; the inverse of `project`."""
    xi, eta, dec0 = np.radians(xi_deg), np.radians(eta_deg), np.radians(dec0_deg)
    across = np.cos(dec0) - eta * np.sin(dec0)
    ra = ra0_deg + np.degrees(np.arctan2(xi, across))
    dec = np.arctan2(np.sin(dec0) + eta * np.cos(dec0), np.hypot(xi, across))
    return np.asarray(ra % 360.0), np.degrees(dec)
