"""The stars that are really there: the catalogue, disturbed, and fainter ones below its limit."""

from functools import lru_cache

import numpy as np

from vigil.files.starcatalogue import star_catalogue
from vigil.simulator.above.counts import galactic_deg, stars_per_deg2
from vigil.simulator.chance import generator, normal_of, uniform_of
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

# so that the solver isn't tested on its own catalogue
_MOTION_RMS_ARCSEC = 0.5
_FAST_SHARE, _FAST_ARCSEC = 0.01, (3.0, 8.0)
_COLOUR_SCATTER_MAG = 0.3
_MISSING_SHARE = 0.03

_FAINT_FROM_MAG = 12.3
_MAG_STEP = 0.05


def true_stars(
    ra_deg: float,
    dec_deg: float,
    radius_deg: float,
    seed: int,
    faint_to_mag: float | None = 16.0,
    catalogue_errors: bool = True,
) -> SkyStars:
    """All stars of the simulated sky within a cone (ICRS), down to a magnitude; None leaves out all that are
    below the catalogue's limit."""
    known = star_catalogue().cone(ra_deg, dec_deg, radius_deg)
    parts = [_disturbed(known, seed) if catalogue_errors else known]
    if faint_to_mag is not None:
        parts += _faint_stars(ra_deg, dec_deg, radius_deg, seed, faint_to_mag)
    return SkyStars(
        np.concatenate([part.ra_deg for part in parts]),
        np.concatenate([part.dec_deg for part in parts]),
        np.concatenate([part.mag for part in parts]),
        np.concatenate([part.number for part in parts]),
    )


def _disturbed(known: SkyStars, seed: int) -> SkyStars:
    """The catalogue's stars as they really are."""
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
    return SkyStars(
        (known.ra_deg + east / 3600 / np.cos(np.radians(known.dec_deg))) % 360,
        np.clip(known.dec_deg + north / 3600, -90, 90),
        known.mag + _COLOUR_SCATTER_MAG * normal_of(number, seed, 3),
        number,
    )


def _faint_stars(
    ra_deg: float, dec_deg: float, radius_deg: float, seed: int, to_mag: float
) -> list[SkyStars]:
    """Procedural stars, the same for every pointing."""
    found = []
    for cell in star_catalogue().cells_near(ra_deg, dec_deg, radius_deg):
        stars = _cell(int(cell), seed, to_mag)
        near = separation_deg(ra_deg, dec_deg, stars.ra_deg, stars.dec_deg) <= radius_deg
        found.append(stars.where(near))
    return found


@lru_cache(maxsize=48)
def _cell(cell: int, seed: int, to_mag: float) -> SkyStars:
    """A cell's faint stars: at the catalogue's limit as dense as the catalogue is there, then growing as
    counts do at that galactic latitude."""
    catalogue = star_catalogue()
    rng = generator(seed, "faint stars", cell)
    middle_ra, middle_dec = catalogue.inside_cell(cell, np.array([0.5]), np.array([0.5]))
    grid = np.arange(_FAINT_FROM_MAG, to_mag + _MAG_STEP, _MAG_STEP).clip(max=to_mag)
    counts = stars_per_deg2(grid, *galactic_deg(float(middle_ra[0]), float(middle_dec[0])))
    growth = counts / counts[0] - 1
    count = int(catalogue.count_in(cell) * growth[-1])
    ra, dec = catalogue.inside_cell(cell, rng.random(count), rng.random(count))
    mag = np.interp(rng.random(count) * growth[-1], growth, grid)
    return SkyStars(ra, dec, mag, -1 - cell * 1_000_000 - np.arange(count))
