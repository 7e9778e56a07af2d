"""How many faint stars there are, by galactic latitude."""

import erfa
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# the model has no dust lane: nearer to the plane its counts run away
_LOWEST_LATITUDE_DEG = 20.0


def stars_per_deg2(mag_v: float | Floats, longitude_deg: float, latitude_deg: float) -> Floats:
    """Stars brighter than a V magnitude, a square degree: the analytic fit of Bahcall & Soneira 1980, ApJS
    44, 73, appendix B (disc and spheroid), for 4 < V < 22. Latitudes under 20° are taken as 20°."""
    m = np.asarray(mag_v, dtype=float)
    b = np.radians(max(abs(latitude_deg), _LOWEST_LATITUDE_DEG))
    length = np.radians(longitude_deg)
    middle = np.clip(m, 12, 20) - 12
    mu, gamma = 0.03 + 0.0075 * middle, 0.36 - 0.04 * middle
    sigma = 1.45 - 0.20 * np.cos(b) * np.cos(length)
    disc = 925 * 10 ** (0.035 * (m - 15.75)) / (1 + 10 ** (-0.132 * (m - 15.75))) ** 3.0
    disc = disc / (np.sin(b) * (1 - mu * np.cos(length) / np.tan(b))) ** (3 - 5 * gamma)
    spheroid = 1050 * 10 ** (0.087 * (m - 17.5)) / (1 + 10 ** (-0.180 * (m - 17.5))) ** 2.5
    spheroid = spheroid / (1 - np.cos(b) * np.cos(length)) ** sigma
    return np.asarray(disc + spheroid)


def galactic_deg(ra_deg: float, dec_deg: float) -> tuple[float, float]:
    """Galactic longitude and latitude (IAU 1958, ERFA icrs2g)."""
    longitude, latitude = erfa.icrs2g(np.radians(ra_deg), np.radians(dec_deg))
    return float(np.degrees(longitude)), float(np.degrees(latitude))
