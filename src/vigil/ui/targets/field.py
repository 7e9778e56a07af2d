"""What a chart shows of the sky around a direction: for a worker thread."""

from dataclasses import dataclass

import numpy as np

from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

_FAINTEST_BY_RADIUS = ((1.5, 13.0), (3.0, 11.5), (6.0, 10.0), (12.0, 8.5), (90.0, 7.0))
_LEAST_SHARE_OF_RADIUS = 0.012


@dataclass(frozen=True, slots=True)
class Field:
    """Stars and objects within a radius."""

    ra_deg: float
    dec_deg: float
    radius_deg: float
    stars: SkyStars
    faintest_mag: float
    objects: tuple[DeepSkyObject, ...]


def load_field(ra_deg: float, dec_deg: float, radius_deg: float) -> Field:
    """Stars to a magnitude that suits the radius, and objects large enough to be seen as more than a dot."""
    from vigil.files.starcatalogue import star_catalogue

    stars = star_catalogue().cone(ra_deg, dec_deg, radius_deg)
    faintest = next(mag for reach, mag in _FAINTEST_BY_RADIUS if radius_deg <= reach)
    stars = stars.where(stars.mag < faintest)
    entries = all_objects()
    ras = np.array([entry.ra_deg for entry in entries])
    decs = np.array([entry.dec_deg for entry in entries])
    near = np.flatnonzero(separation_deg(ra_deg, dec_deg, ras, decs) < radius_deg)
    least_arcmin = 60 * _LEAST_SHARE_OF_RADIUS * radius_deg
    objects = tuple(entries[i] for i in near if entries[i].major_arcmin >= least_arcmin)
    return Field(ra_deg, dec_deg, radius_deg, stars, faintest, objects)
