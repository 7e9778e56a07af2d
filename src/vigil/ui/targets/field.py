"""What a chart shows of the sky around a direction: for a worker thread."""

from dataclasses import dataclass

import numpy as np

from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.files.overlays import bright_stars
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

# beyond this radius the bright stars alone are dense enough
_BRIGHT_ONLY_DEG = 14.0
_MOST_STARS = 1600
_LEAST_SHARE_OF_RADIUS = 0.012
_MOST_OBJECTS = 160
# named stars are looked for among the brightest; a catalogue has them this near to where another has
_NAMED, _AMONG, _SAME_DEG = 40, 400, 0.02


@dataclass(frozen=True, slots=True)
class Field:
    """Stars and objects within a radius. `objects` come largest first; `star_names` are those of named
    stars by their index."""

    ra_deg: float
    dec_deg: float
    radius_deg: float
    stars: SkyStars
    faintest_mag: float
    objects: tuple[DeepSkyObject, ...]
    star_names: dict[int, str]


def load_field(ra_deg: float, dec_deg: float, radius_deg: float) -> Field:
    """The brightest stars within the radius, and objects large enough to be seen as more than a dot."""
    from vigil.files.starcatalogue import star_catalogue

    bright = bright_stars()
    near = separation_deg(ra_deg, dec_deg, bright.stars.ra_deg, bright.stars.dec_deg) <= radius_deg
    if radius_deg > _BRIGHT_ONLY_DEG:
        stars = bright.stars.where(near)
        chosen = np.flatnonzero(near)
    else:
        stars = star_catalogue().cone(ra_deg, dec_deg, radius_deg)
        chosen = np.empty(0, np.intp)
    order = np.argsort(stars.mag, kind="stable")[:_MOST_STARS]
    stars = stars.where(order)
    chosen = chosen[order] if chosen.size else chosen
    faintest = float(stars.mag[-1]) if len(stars) else 10.0
    names = {n: bright.names[k] for n, k in enumerate(chosen.tolist()) if bright.names[k]}
    if not chosen.size:
        names = _names(
            stars,
            bright.stars.where(near),
            [bright.names[k] or bright.designations[k] for k in np.flatnonzero(near)],
        )
    return Field(ra_deg, dec_deg, radius_deg, stars, faintest, _objects(ra_deg, dec_deg, radius_deg), names)


def _names(stars: SkyStars, bright: SkyStars, names: list[str]) -> dict[int, str]:
    """Names of catalogue stars that stand where a bright one does."""
    found: dict[int, str] = {}
    if not len(stars):
        return found
    for ra, dec, name in zip(bright.ra_deg[:_NAMED], bright.dec_deg[:_NAMED], names, strict=False):
        away = separation_deg(ra, dec, stars.ra_deg[:_AMONG], stars.dec_deg[:_AMONG])
        nearest = int(np.argmin(away))
        if name and away[nearest] < _SAME_DEG:
            found[nearest] = name
    return found


def _objects(ra_deg: float, dec_deg: float, radius_deg: float) -> tuple[DeepSkyObject, ...]:
    entries = all_objects()
    ras = np.array([entry.ra_deg for entry in entries])
    decs = np.array([entry.dec_deg for entry in entries])
    sizes = np.array([entry.major_arcmin for entry in entries])
    least = 60 * _LEAST_SHARE_OF_RADIUS * radius_deg
    near = np.flatnonzero((sizes >= least) & (separation_deg(ra_deg, dec_deg, ras, decs) < radius_deg))
    largest = near[np.argsort(-sizes[near], kind="stable")][:_MOST_OBJECTS]
    return tuple(entries[i] for i in largest)
