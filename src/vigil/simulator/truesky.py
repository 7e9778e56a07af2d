"""The stars that are really there: the catalogue, disturbed, and fainter ones below its limit."""

import numpy as np

from vigil.files.starcatalogue import star_catalogue
from vigil.simulator.chance import generator, normal_of, uniform_of
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

# so that the solver isn't tested on its own catalogue
_MOTION_RMS_ARCSEC = 0.5
_FAST_SHARE, _FAST_ARCSEC = 0.01, (3.0, 8.0)
_COLOUR_SCATTER_MAG = 0.3
_MISSING_SHARE = 0.03

_FAINT_FROM_MAG, _FAINT_TO_MAG = 12.3, 16.0
# star counts rise by about this power of ten a magnitude at these depths
_COUNTS_SLOPE = 0.35


def true_stars(ra_deg: float, dec_deg: float, radius_deg: float, seed: int) -> SkyStars:
    """All stars of the simulated sky within a cone, down to magnitude 16."""
    catalogue = star_catalogue()
    known = catalogue.cone(ra_deg, dec_deg, radius_deg)
    number = known.number
    known = known.where(uniform_of(number, seed, 20) > _MISSING_SHARE)
    number = known.number
    east = normal_of(number, seed, 1) * _MOTION_RMS_ARCSEC / np.sqrt(2)
    north = normal_of(number, seed, 2) * _MOTION_RMS_ARCSEC / np.sqrt(2)
    fast = uniform_of(number, seed, 21) < _FAST_SHARE
    speed = _FAST_ARCSEC[0] + np.diff(_FAST_ARCSEC) * uniform_of(number, seed, 22)
    way = 2 * np.pi * uniform_of(number, seed, 23)
    east = np.where(fast, speed * np.sin(way), east)
    north = np.where(fast, speed * np.cos(way), north)
    moved = SkyStars(
        (known.ra_deg + east / 3600 / np.cos(np.radians(known.dec_deg))) % 360,
        np.clip(known.dec_deg + north / 3600, -90, 90),
        known.mag + _COLOUR_SCATTER_MAG * normal_of(number, seed, 3),
        number,
    )
    faint = _faint_stars(ra_deg, dec_deg, radius_deg, seed)
    return SkyStars(
        np.concatenate([moved.ra_deg, faint.ra_deg]),
        np.concatenate([moved.dec_deg, faint.dec_deg]),
        np.concatenate([moved.mag, faint.mag]),
        np.concatenate([moved.number, faint.number]),
    )


def _faint_stars(ra_deg: float, dec_deg: float, radius_deg: float, seed: int) -> SkyStars:
    """Procedural stars, as dense as the catalogue's own suggest; the same for every pointing."""
    catalogue = star_catalogue()
    parts = []
    growth = 10 ** (_COUNTS_SLOPE * (_FAINT_TO_MAG - _FAINT_FROM_MAG)) - 1
    for cell in catalogue.cells_near(ra_deg, dec_deg, radius_deg):
        rng = generator(seed, "faint stars", int(cell))
        count = int(catalogue.count_in(int(cell)) * growth)
        ra, dec = catalogue.inside_cell(int(cell), rng.random(count), rng.random(count))
        # magnitudes of counts that grow as 10^(slope·m) between the two limits
        mag = _FAINT_FROM_MAG + np.log10(1 + rng.random(count) * growth) / _COUNTS_SLOPE
        parts.append((ra, dec, mag, -1 - int(cell) * 1_000_000 - np.arange(count)))
    ra, dec, mag, number = (np.concatenate(column) for column in zip(*parts, strict=True))
    near = separation_deg(ra_deg, dec_deg, ra, dec) <= radius_deg
    return SkyStars(ra[near], dec[near], mag[near], number[near])
