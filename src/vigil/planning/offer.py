"""What tonight offers: the whole catalogue weighed for a rig, every figure told."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from vigil.documents.rig import Rig
from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.optics.footprint import subtended_deg
from vigil.planning.spans import local_noon_before
from vigil.sky.angles import separation_deg
from vigil.sky.bodies import moon_illumination, observe_moon
from vigil.sky.brightness import ORDINARY, moonlight, night_light
from vigil.sky.events import twilights
from vigil.sky.instants import Floats, from_unix, unix_s
from vigil.sky.visibility import Turning, above_line, apparent, turning

Dusk = Literal["civil", "nautical", "astronomical"]
Light = Literal["broadband", "narrowband"]

_STEP_S = 300.0
# the sky's brightness is looked at every so many steps
_SKY_EVERY = 9
# a filter of 7 nm against some 300 nm of a luminance filter: that much of the sky stays out
_NARROW_GAIN_MAG = 2.5 * np.log10(300 / 7)
# the contrast (magnitudes, sky less object) that is worth half, and how fast it is worth more
_HALF_MAG = {"broadband": -1.5, "narrowband": 1.5}
_WORTH_MAG = {"broadband": 0.9, "narrowband": 1.2}
_UNKNOWN_BRIGHT, _VAIN = 0.12, 0.15
# hours, weighed by the sine of the altitude, after which most of a night's worth is there
_ENOUGH_H = 3.5
_STARS = frozenset({"open cluster", "globular cluster", "star association"})
_LINES = frozenset(
    {"emission nebula", "planetary nebula", "supernova remnant", "cluster with nebula", "nebula"}
)
_CLOUDS = _LINES - {"planetary nebula"} | {"reflection nebula", "dark nebula"}
_SMALL_SHARE, _ENOUGH_SHARE, _FULL_SHARE, _SIZE_POWER = 0.12, 0.5, 0.95, 0.8
_PANEL_COST = 0.12
# clusters are done in an hour; what people know by sight is worth more than a patch of a survey
_WORTH = {"open cluster": 0.6, "globular cluster": 0.75, "star association": 0.4, "dark nebula": 0.8}
_NO_SHOWPIECE = 0.65
_SAME_ARCMIN = 9.0
# the brightness of clouds that the catalogue only lists (mag/arcsec²): fainter than those that one knows
_USUAL_MAG_ARCSEC2 = {
    "emission nebula": 24.5,
    "cluster with nebula": 23.5,
    "nebula": 24.3,
    "supernova remnant": 25.5,
    "reflection nebula": 24.0,
    "dark nebula": 25.0,
}
# kinds whose magnitude in the catalogues is that of their own light
_WHOLE = frozenset({"galaxy", "galaxy group", "planetary nebula"}) | _STARS


@dataclass(frozen=True, slots=True)
class Weights:
    """How much each figure counts, 0…3."""

    time: float = 1.0
    size: float = 1.0
    brightness: float = 1.0


@dataclass(frozen=True, slots=True)
class Wish:
    """What one looks for; None leaves a limit out."""

    light: Light = "broadband"
    dusk: Dusk = "astronomical"
    kinds: frozenset[str] = frozenset()
    constellation: str = ""
    least_arcmin: float | None = None
    most_arcmin: float | None = None
    least_altitude_deg: float | None = None
    least_moon_deg: float | None = None
    least_hours: float = 0.25
    not_yet_shot: bool = False
    weights: Weights = Weights()


@dataclass(frozen=True, slots=True)
class Offer:
    """One object tonight. `hours` above the rig's horizon in darkness; `highest_deg` within them;
    `moon_deg` away from the moon half way; `sky_mag` the sky there on the mean, `contrast_mag` that less
    the object's own surface brightness (None: unknown); `panels` (columns, rows) to cover it;
    `fit` in words; `score` 0…1."""

    entry: DeepSkyObject
    hours: float
    highest_deg: float
    moon_deg: float
    sky_mag: float
    object_mag: float | None
    contrast_mag: float | None
    panels: tuple[int, int] | None
    fit: str
    score: float


@dataclass(frozen=True, slots=True)
class Ranking:
    """The offers, best first; `dark_h` is how long the night is dark, `considered` how many objects stand
    up at all, `moon_lit` the illuminated share."""

    offers: tuple[Offer, ...]
    dark_h: float
    considered: int
    moon_lit: float


@dataclass(frozen=True, slots=True)
class Catalogue:
    """Objects as columns, for arithmetic on all at once."""

    entries: tuple[DeepSkyObject, ...]
    ra_deg: Floats
    dec_deg: Floats
    major_arcmin: Floats
    minor_arcmin: Floats
    object_mag: Floats
    lines: NDArray[np.bool_]
    clouds: NDArray[np.bool_]
    worth: Floats


@cache
def whole_catalogue() -> Catalogue:
    """All objects that ship with Vigil."""
    return columns_of(all_objects())


def columns_of(entries: tuple[DeepSkyObject, ...]) -> Catalogue:
    """Objects made ready for `rank`."""
    major = np.array([e.major_arcmin for e in entries])
    minor = np.array([e.minor_arcmin or e.major_arcmin for e in entries])
    return Catalogue(
        entries,
        np.array([e.ra_deg for e in entries]),
        np.array([e.dec_deg for e in entries]),
        major,
        minor,
        np.array([surface_mag_arcsec2(e) or np.nan for e in entries]),
        np.array([e.kind in _LINES for e in entries], dtype=bool),
        np.array([e.kind in _CLOUDS for e in entries], dtype=bool),
        np.array([_worth(e) for e in entries]),
    )


def _worth(entry: DeepSkyObject) -> float:
    # a cluster with a surface of its own lies in a cloud, or fills the frame with stars
    kind = 1.0 if entry.surface_brightness_mag is not None else _WORTH.get(entry.kind, 1.0)
    return kind * (1.0 if entry.showpiece else _NO_SHOWPIECE)


def surface_mag_arcsec2(entry: DeepSkyObject) -> float | None:
    """The catalogue's surface brightness; else its magnitude over its ellipse, where that is not the star's
    within; else what is usual for its kind; None where nothing is known."""
    if entry.surface_brightness_mag is not None:
        return entry.surface_brightness_mag
    if entry.kind in _WHOLE and entry.mag is not None and entry.major_arcmin > 0:
        minor = entry.minor_arcmin or entry.major_arcmin
        return float(entry.mag + 2.5 * np.log10(np.pi / 4 * entry.major_arcmin * minor * 3600))
    return _USUAL_MAG_ARCSEC2.get(entry.kind)


def dark_times(rig: Rig, at: datetime, dusk: Dusk) -> Floats:
    """POSIX seconds every five minutes of the night's darkness; empty where it doesn't get dark."""
    sun = twilights(local_noon_before(at, rig.site.time_zone), rig.site.place())
    dark = sun.lower_than(dusk)
    if dark is None:
        return np.empty(0)
    return np.arange(unix_s(dark[0]), unix_s(dark[1]), _STEP_S) + _STEP_S / 2


def scale_of(rig: Rig, focal_length_mm: float | None = None) -> float:
    """The camera's scale (″/px), with another focal length where one is tried."""
    scale = rig.scale_arcsec_px()
    if focal_length_mm is None or not rig.focal_length_mm:
        return scale
    return scale * rig.focal_length_mm / focal_length_mm


def field_of(rig: Rig, focal_length_mm: float | None = None) -> tuple[float, float]:
    """Width and height of the rig's field in degrees, as its sides subtend, with another focal length where
    one is tried; 1° × 1° without telescope or camera."""
    if not rig.frames_sky:
        return 1.0, 1.0
    rows, columns = rig.field_px()
    scale = scale_of(rig, focal_length_mm)
    return subtended_deg(scale, columns), subtended_deg(scale, rows)


def rank(
    known: Catalogue,
    rig: Rig,
    at: datetime,
    wish: Wish = Wish(),
    shot: Sequence[str] = (),
    most: int = 300,
    each_once: bool = True,
) -> Ranking:
    """Weigh every object for the night that a moment belongs to. `shot` names what was shot before; with
    `each_once` what a picture of another object shows is left out."""
    times = dark_times(rig, at, wish.dusk)
    noon = local_noon_before(at, rig.site.time_zone)
    middle = from_unix(unix_s(noon + timedelta(hours=12)))
    site, lit = rig.site.place(), float(moon_illumination(middle))
    if times.size == 0:
        return Ranking((), 0.0, 0, lit)
    turned = turning(from_unix(times), site)
    vectors = apparent(known.ra_deg, known.dec_deg, middle, site)
    up, sines = above_line(vectors, turned, rig.site.sky_line(wish.least_altitude_deg or 0.0))
    hours = up.sum(axis=1) * (_STEP_S / 3600)
    chosen = np.flatnonzero((hours >= max(wish.least_hours, 1e-9)) & _wished(known, wish, shot))
    considered = int(np.count_nonzero(hours > 0))
    moon = _moon(times, rig)
    sky, apart = _sky(vectors[chosen], up[chosen], sines[chosen], turned, moon, lit)
    if wish.least_moon_deg is not None:
        far = apart >= wish.least_moon_deg
        chosen, sky, apart = chosen[far], sky[far], apart[far]
    contrast = sky - known.object_mag[chosen]
    narrow = wish.light == "narrowband"
    contrast = np.where(known.lines[chosen] & narrow, contrast + _NARROW_GAIN_MAG, contrast)
    dark_h = len(times) * _STEP_S / 3600
    field = field_of(rig)
    share = np.maximum(known.major_arcmin[chosen], 0) / 60 / min(field)
    high_h = (sines[chosen] * up[chosen]).sum(axis=1) * (_STEP_S / 3600)
    scores = known.worth[chosen] * _scores(high_h, share, contrast, narrow & ~known.lines[chosen], wish)
    order = np.argsort(-scores, kind="stable")
    best = _each_once(known, chosen, order, most) if each_once else order[:most]
    highest = np.where(up[chosen[best]], sines[chosen[best]], -1).max(axis=1)
    offers = []
    for k, sine in zip(best, highest, strict=True):
        n = chosen[k]
        own = known.object_mag[n]
        panels, fit = _fit(known.major_arcmin[n], known.minor_arcmin[n], field)
        offers.append(
            Offer(
                known.entries[n],
                float(hours[n]),
                float(np.degrees(np.arcsin(sine))),
                float(apart[k]),
                float(sky[k]),
                None if np.isnan(own) else float(own),
                None if np.isnan(contrast[k]) else float(contrast[k]),
                panels,
                fit,
                float(scores[k]),
            )
        )
    return Ranking(tuple(offers), dark_h, considered, lit)


def _wished(known: Catalogue, wish: Wish, shot: Sequence[str]) -> NDArray[np.bool_]:
    good = np.ones(len(known.entries), dtype=bool)
    if wish.least_arcmin is not None:
        good &= known.major_arcmin >= wish.least_arcmin
    if wish.most_arcmin is not None:
        good &= known.major_arcmin <= wish.most_arcmin
    if wish.kinds:
        good &= np.array([e.kind in wish.kinds for e in known.entries], dtype=bool)
    if wish.constellation:
        good &= np.array([e.constellation == wish.constellation for e in known.entries], dtype=bool)
    if wish.not_yet_shot and shot:
        before = set(shot)
        good &= np.array([e.name not in before and before.isdisjoint(e.aliases) for e in known.entries])
    return good


def _moon(times: Floats, rig: Rig) -> tuple[Floats, Floats]:
    """The moon's apparent direction (m, 3) in the intermediate frame, and its altitude, at every ninth
    instant."""
    instants, site = from_unix(times[::_SKY_EVERY]), rig.site.place()
    seen, turned = observe_moon(instants, site), turning(instants, site)
    altitude, azimuth = np.radians(seen.altitude_deg)[:, None], np.radians(seen.azimuth_deg)[:, None]
    level = turned.north * np.cos(azimuth) + turned.east * np.sin(azimuth)
    return turned.up * np.sin(altitude) + level * np.cos(altitude), seen.altitude_deg


def _sky(
    vectors: Floats,
    up: NDArray[np.bool_],
    sines: NDArray[np.float32],
    turned: Turning,
    moon: tuple[Floats, Floats],
    lit: float,
) -> tuple[Floats, Floats]:
    """Mean sky (mag/arcsec²) where and while each object stands up, and how far the moon is then."""
    use = up[:, ::_SKY_EVERY].astype(np.float32)
    # an object that is up for less than the sky is looked at counts where it stands highest
    none = use.sum(axis=1) == 0
    use[none, np.argmax(sines[none, ::_SKY_EVERY], axis=1) if none.any() else 0] += none[none]
    altitude = np.degrees(np.arcsin(np.clip(sines[:, ::_SKY_EVERY], 0.02, 1)))
    apart = np.degrees(np.arccos(np.clip(vectors.astype(np.float32) @ moon[0].T.astype(np.float32), -1, 1)))
    light = night_light(altitude, 0.0) + moonlight(lit, apart, moon[1], altitude, ORDINARY.extinction_mag)
    share = use / use.sum(axis=1, keepdims=True)
    return np.asarray(-2.5 * np.log10((light * share).sum(axis=1))), np.asarray((apart * share).sum(axis=1))


def _scores(high_h: Floats, share: Floats, contrast: Floats, vain: NDArray[np.bool_], wish: Wish) -> Floats:
    """The weighted geometric mean of what time, size and brightness are worth, 0…1 each: what is hopeless in
    one is not saved by the others."""
    time = 1 - np.exp(-high_h / _ENOUGH_H)
    size = np.minimum(np.maximum(share, 0.01) / _ENOUGH_SHARE, 1.0) ** _SIZE_POWER
    size = np.where(share > _FULL_SHARE, 1 / (1 + _PANEL_COST * (share / _FULL_SHARE) ** 2), size)
    bright = 1 / (1 + np.exp(-(contrast - _HALF_MAG[wish.light]) / _WORTH_MAG[wish.light]))
    bright = np.where(np.isnan(bright), _UNKNOWN_BRIGHT, bright)
    bright = np.where(vain, _VAIN * bright, bright)
    w = wish.weights
    total = max(w.time + w.size + w.brightness, 1e-9)
    logs = w.time * np.log(time + 1e-9) + w.size * np.log(size) + w.brightness * np.log(bright + 1e-9)
    return np.asarray(np.exp(logs / total))


def _each_once(known: Catalogue, chosen: NDArray[np.intp], order: NDArray[np.intp], most: int) -> list[int]:
    """The first ones of an order, without what a picture of another one shows: parts of what is up, and
    patches of a survey inside a cloud that stands before them."""
    up = {known.entries[n].name for n in chosen}
    taken: list[int] = []
    clouds: list[int] = []
    for k in order:
        if len(taken) == most:
            break
        n = int(chosen[k])
        entry = known.entries[n]
        if entry.part_of in up:
            continue
        if known.clouds[n]:
            if not entry.showpiece and clouds:
                apart = separation_deg(
                    entry.ra_deg, entry.dec_deg, known.ra_deg[clouds], known.dec_deg[clouds]
                )
                if np.any(60 * apart < np.maximum(known.major_arcmin[clouds] / 2, _SAME_ARCMIN)):
                    continue
            clouds.append(n)
        taken.append(int(k))
    return taken


def _fit(
    major_arcmin: float, minor_arcmin: float, field: tuple[float, float]
) -> tuple[tuple[int, int] | None, str]:
    """How an object fills the frame, in words, with the panels that it needs laid along it."""
    if major_arcmin <= 0:
        return None, "size unknown"
    share = major_arcmin / 60 / min(field)
    if share < _SMALL_SHARE:
        return (1, 1), "small"
    # along the longer side of the sensor
    long, short = max(field), min(field)
    need = [
        max(1, int(np.ceil((size / 60 - side) / (0.8 * side) - 1e-9)) + 1)
        for size, side in ((major_arcmin, long), (minor_arcmin, short))
    ]
    panels = (need[0], need[1]) if field[0] >= field[1] else (need[1], need[0])
    count = need[0] * need[1]
    return panels, "in one frame" if count == 1 else f"{count} panels"
