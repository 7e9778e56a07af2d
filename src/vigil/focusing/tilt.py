"""Tilt and curvature of the field, from its stars' sizes in the frames of one run.

A star at (x, y) has its smallest size at best(x, y) = centre + slope · (x, y) + curvature · (x² + y²): a
tilted sensor gives the slope, a flattener at the wrong distance the curvature. About it size² = smallest² +
(growth · (position − best))², as in a run's curve. One fit to every star's every size: where stars are few,
or fade out of the frames on one side of the field, no part of it has a curve of its own.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from vigil.focusing.fit import NoCurve, Point, fit
from vigil.sky.instants import Floats

LEAST_STARS, _LEAST_SEEN = 6, 4
"""Stars that have to be there, and frames in which each has to be seen."""
_ACROSS, _DOWN = 5, 3
_SEEING = 0.2
"""By how much a frame may have all its stars larger or smaller: several times what the air does, so that its
sizes are compared with one another rather than with other frames'."""
_WILD = 0.1
"""A size that is off by more than that share counts for less."""


@dataclass(frozen=True, slots=True)
class FieldStars:
    """Sizes [frame, star] (px; NaN where it isn't seen) at positions in µm of travel, of stars at places from
    the sensor's centre (mm; x to the right, y up)."""

    at_um: Floats
    x_mm: Floats
    y_mm: Floats
    sizes_px: Floats


@dataclass(frozen=True, slots=True)
class ZoneFocus:
    """The best position in the middle of a part of the field, µm, and its standard error."""

    x_mm: float
    y_mm: float
    best_um: float
    sigma_um: float


@dataclass(frozen=True, slots=True)
class FieldFocus:
    """`tilt_deg` is the angle between sensor and focal plane, `towards_deg` the direction in which best focus
    moves outwards (from x towards y), with its standard error; `tilt_um` what that makes from corner to
    corner. `curvature_um` is how much farther out the corners are in focus than the centre: with it alone
    over its error the back focus is off, and `curvature_sigma_um` is that error."""

    centre_um: float
    tilt_deg: float
    tilt_sigma_deg: float
    towards_deg: float
    tilt_um: float
    curvature_um: float
    curvature_sigma_um: float
    zones: tuple[ZoneFocus, ...]


class NoField(ValueError):
    """The stars don't tell; the message says why."""


@dataclass(frozen=True, slots=True)
class _Seen:
    """One row a size that was seen: which frame and star, where, and the logarithm of the size."""

    frame: NDArray[np.intp]
    star: NDArray[np.intp]
    at_um: Floats
    bowl: Floats
    """[row, (1, x, y, x² + y²)], x and y in halves of the diagonal."""
    size: Floats


def field_focus(stars: FieldStars, width_mm: float, height_mm: float) -> FieldFocus:
    """Raises NoField."""
    often = np.isfinite(stars.sizes_px).sum(axis=0) >= _LEAST_SEEN
    if often.sum() < LEAST_STARS:
        raise NoField(
            f"{often.sum()} stars are seen in {_LEAST_SEEN} frames or more, {LEAST_STARS} are needed"
        )
    half_mm = math.hypot(width_mm, height_mm) / 2
    seen = _rows(stars, often, half_mm)
    free = _solved(seen, _begun(seen))
    left, slopes = _off(free, seen), _slopes(free, seen)
    covariance = _covariance(left, slopes, seen)
    centre, across, upwards, bowl = free[:4]
    slope = math.hypot(across, upwards) / half_mm  # µm a mm, so a thousandth each
    along = np.array([across, upwards]) / max(slope * half_mm, 1e-12)
    return FieldFocus(
        centre_um=float(centre),
        tilt_deg=math.degrees(math.atan(slope / 1000)),
        tilt_sigma_deg=math.degrees(math.sqrt(float(along @ covariance[1:3, 1:3] @ along)) / half_mm / 1000),
        towards_deg=math.degrees(math.atan2(upwards, across)) % 360,
        tilt_um=slope * 2 * half_mm,
        curvature_um=float(bowl),
        curvature_sigma_um=math.sqrt(float(covariance[3, 3])),
        zones=tuple(_zones(free, left, slopes, seen, stars, width_mm, height_mm)),
    )


def _rows(stars: FieldStars, often: NDArray[np.bool_], half_mm: float) -> _Seen:
    frame, star = np.nonzero(np.isfinite(stars.sizes_px) & often)
    x, y = stars.x_mm[star] / half_mm, stars.y_mm[star] / half_mm
    bowl = np.stack([np.ones_like(x), x, y, x**2 + y**2], axis=1)
    if np.linalg.matrix_rank(bowl, tol=0.01) < 4:
        raise NoField("the stars lie on one line, or on one circle: they tell no tilt")
    return _Seen(frame, star, stars.at_um[frame], bowl, np.log(stars.sizes_px[frame, star]))


def _begun(seen: _Seen) -> Floats:
    """A field that is flat, by the curve of the frames' median sizes."""
    frames = np.unique(seen.frame)
    try:
        curve = fit(
            [
                Point(
                    float(seen.at_um[seen.frame == k][0]),
                    float(np.exp(np.median(seen.size[seen.frame == k]))),
                )
                for k in frames
            ]
        )
    except NoCurve as problem:
        raise NoField(str(problem)) from None
    first = [curve.best, 0.0, 0.0, 0.0, math.log(curve.best_size), math.log(curve.slope)]
    return np.array([*first, *np.zeros(seen.frame.max() + 1)])


def _parts(free: Floats, seen: _Seen) -> tuple[Floats, Floats, Floats, Floats]:
    """Positions from each star's best one, size², and its two parts."""
    away = seen.at_um - seen.bowl @ free[:4]
    smallest2 = np.full_like(away, math.exp(2 * free[4]))
    grown2 = (math.exp(free[5]) * away) ** 2
    return away, smallest2 + grown2, smallest2, grown2


def _off(free: Floats, seen: _Seen) -> Floats:
    """What the sizes are larger than the model's, as logarithms."""
    return seen.size - 0.5 * np.log(_parts(free, seen)[1]) - free[6 + seen.frame]


def _slopes(free: Floats, seen: _Seen) -> Floats:
    """Of the model by each of what is free: four of the bowl, smallest size, growth, and a frame's seeing."""
    away, size2, smallest2, grown2 = _parts(free, seen)
    out = np.zeros((len(away), len(free)))
    out[:, :4] = (-math.exp(2 * free[5]) * away / size2)[:, None] * seen.bowl
    out[:, 4], out[:, 5] = smallest2 / size2, grown2 / size2
    out[np.arange(len(away)), 6 + seen.frame] = 1.0
    return out


def _solved(seen: _Seen, begin: Floats) -> Floats:
    frames = len(begin) - 6
    ridge = np.hstack([np.zeros((frames, 6)), np.eye(frames) / _SEEING])

    def off(free: Floats) -> Floats:
        return np.concatenate([_off(free, seen) / _WILD, ridge @ free])

    def slopes(free: Floats) -> Floats:
        return np.vstack([-_slopes(free, seen) / _WILD, ridge])

    return np.asarray(least_squares(off, begin, jac=slopes, loss="soft_l1", x_scale="jac").x)


def _covariance(left: Floats, slopes: Floats, seen: _Seen) -> Floats:
    """Of what is free. A star that is larger than others is so in every frame: stars are what is independent
    (Liang & Zeger 1986, Biometrika 73, 13)."""
    weight = 1 / np.sqrt(1 + (left / _WILD) ** 2)
    frames = slopes.shape[1] - 6
    inner = slopes.T @ (weight[:, None] * slopes) / _WILD**2
    inner[6:, 6:] += np.eye(frames) / _SEEING**2
    bread = np.linalg.pinv(inner)
    pulls = (weight * left)[:, None] * slopes / _WILD**2
    by_star = np.stack([pulls[seen.star == k].sum(axis=0) for k in np.unique(seen.star)])
    count = len(by_star)
    return np.asarray(bread @ (by_star.T @ by_star) @ bread * count / max(count - 6, 1))


def _zones(
    free: Floats,
    left: Floats,
    slopes: Floats,
    seen: _Seen,
    stars: FieldStars,
    width_mm: float,
    height_mm: float,
) -> list[ZoneFocus]:
    """To be looked at: by how much the best position of a part's own stars differs from the bowl."""
    x, y = stars.x_mm[seen.star], stars.y_mm[seen.star]
    across = np.clip(((x / width_mm + 0.5) * _ACROSS).astype(int), 0, _ACROSS - 1)
    down = np.clip(((y / height_mm + 0.5) * _DOWN).astype(int), 0, _DOWN - 1)
    told = []
    for place in range(_ACROSS * _DOWN):
        here = down * _ACROSS + across == place
        by_best = slopes[here, 0]
        known = float(by_best @ by_best)
        if np.count_nonzero(here) < _LEAST_SEEN or known <= 0:
            continue
        own = float(by_best @ left[here]) / known
        spread = float(np.sqrt(np.mean((left[here] - own * by_best) ** 2)))
        x_mm = (place % _ACROSS + 0.5 - _ACROSS / 2) * width_mm / _ACROSS
        y_mm = (place // _ACROSS + 0.5 - _DOWN / 2) * height_mm / _DOWN
        u, v = 2 * x_mm / math.hypot(width_mm, height_mm), 2 * y_mm / math.hypot(width_mm, height_mm)
        best = float(np.array([1.0, u, v, u * u + v * v]) @ free[:4]) + own
        told.append(ZoneFocus(x_mm, y_mm, best, spread / math.sqrt(known)))
    return told
