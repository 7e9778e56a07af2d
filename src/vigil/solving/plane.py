"""Conformal planes: small shapes stay similar everywhere, so quads may be compared on them."""

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats

Complex = NDArray[np.complex128]


def stereographic(ra_deg: Floats, dec_deg: Floats, ra0_deg: float, dec0_deg: float) -> Complex:
    """Plane positions about a direction, degrees, east + i north.

    Calabretta & Greisen 2002, A&A 395, 1077, section 5.1.4. The opposite point goes to infinity.
    """
    ra = np.radians(ra_deg - ra0_deg)
    dec, dec0 = np.radians(dec_deg), np.radians(dec0_deg)
    depth = 1 + np.sin(dec0) * np.sin(dec) + np.cos(dec0) * np.cos(dec) * np.cos(ra)
    east = 2 * np.cos(dec) * np.sin(ra) / depth
    north = 2 * (np.cos(dec0) * np.sin(dec) - np.sin(dec0) * np.cos(dec) * np.cos(ra)) / depth
    return np.asarray((east + 1j * north) * (180 / np.pi))


def gnomonic_from_stereographic(spot: Complex) -> Complex:
    """The same directions on the tangent plane, degrees. 90° away and more are not on it: NaN."""
    half = np.radians(np.abs(spot)) / 2
    with np.errstate(divide="ignore", invalid="ignore"):
        stretch = 1 / (1 - half**2)
    return np.asarray(np.where(half < 1, spot * stretch, np.nan))


def stereographic_from_gnomonic(spot: Complex) -> Complex:
    """The inverse of `gnomonic_from_stereographic`."""
    radius = np.radians(np.abs(spot))
    return np.asarray(spot * 2 / (1 + np.sqrt(1 + radius**2)))


def unit_vectors(ra_deg: Floats, dec_deg: Floats) -> Floats:
    """Directions as vectors (n, 3)."""
    ra, dec = np.radians(ra_deg), np.radians(dec_deg)
    return np.stack([np.cos(dec) * np.cos(ra), np.cos(dec) * np.sin(ra), np.sin(dec)], axis=-1)


def directions(vectors: Floats) -> tuple[Floats, Floats]:
    """ICRS degrees (ra 0…360, dec) of vectors (n, 3) of any length."""
    x, y, z = np.moveaxis(np.asarray(vectors, dtype=float), -1, 0)
    return np.degrees(np.arctan2(y, x)) % 360, np.degrees(np.arctan2(z, np.hypot(x, y)))
