"""The same stars from frame to frame of a run, so that a curve follows them and not whichever were found.

Every star's size is taken for the frame's times the star's own: log size = frame + star. A star that is
always a little larger (in a corner, or a small galaxy) then doesn't count where it happens to be found.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from vigil.sky.instants import Floats

_SHIFTED_STARS, _MOST_SHIFT_PX = 60, 60.0
_NEAR_PX, _NEAR_SIZES = 3.0, 0.5
_LEAST_SHARED = 3
_POLISH_ROUNDS = 6
_TOO_LARGE, _TOO_SMALL = 1.7, 0.55
"""A star's own size against the others': a galaxy, a pair, a hot pixel."""
_MEDIAN_ERROR = 1.2533
"""The standard error of a median against that of a mean: √(π/2)."""


@dataclass(frozen=True, slots=True)
class StarList:
    """What one frame has: places (column, row), sizes (px) and light (ADU a second), of one length."""

    x_px: Floats
    y_px: Floats
    size_px: Floats
    light: Floats

    def __len__(self) -> int:
        return len(self.x_px)


@dataclass(frozen=True, slots=True)
class Same:
    """A frame's size by the stars that it shares with others, its standard error, how many they are, and the
    share of light that they have left of the most of any frame."""

    size_px: float
    scatter_px: float
    stars: int
    light: float


@dataclass(frozen=True, slots=True)
class SharedSizes:
    """Sizes [frame, star] of the reference frame's stars, NaN where one was not found, and their places."""

    x_px: Floats
    y_px: Floats
    sizes_px: Floats


def shared_sizes(frames: Sequence[StarList]) -> SharedSizes | None:
    """None where fewer than two frames have three stars."""
    listed = [f for f in frames if len(f) >= _LEAST_SHARED]
    if len(listed) < 2:
        return None
    reference = _reference(listed)
    sizes, _ = _tables(frames, reference)
    return SharedSizes(reference.x_px, reference.y_px, sizes)


def _reference(listed: Sequence[StarList]) -> StarList:
    return max(listed, key=lambda f: (len(f), -float(np.median(f.size_px))))


def same_stars(frames: Sequence[StarList | None]) -> list[Same | None]:
    """For each frame; None where it shares fewer than three stars with the others. In a field where no frame
    has six, half as many as the richest has are enough."""
    most = max((len(f) for f in frames if f is not None), default=0)
    least = max(1, min(_LEAST_SHARED, most // 2))
    listed = [f for f in frames if f is not None and len(f) >= least]
    if len(listed) < 2:
        return [None] * len(frames)
    sizes, lights = _tables(frames, _reference(listed), least)
    seen = np.isfinite(sizes).sum(axis=0) >= max(2, len(listed) // 2)
    if seen.sum() < least:
        seen = np.isfinite(sizes).sum(axis=0) >= 2
    if not seen.any():
        return [None] * len(frames)
    sizes, lights = np.log(sizes[:, seen]), np.log(lights[:, seen])
    by_frame, by_star = _polished(sizes)
    odd = np.exp(by_star)
    usual = (odd > _TOO_SMALL) & (odd < _TOO_LARGE)
    if usual.sum() >= _LEAST_SHARED and not usual.all():
        sizes, lights = sizes[:, usual], lights[:, usual]
        by_frame, by_star = _polished(sizes)
    bright, _ = _polished(lights)
    return _told(sizes, by_frame, by_star, bright, least)


def _told(sizes: Floats, by_frame: Floats, by_star: Floats, bright: Floats, least: int) -> list[Same | None]:
    most = np.nanmax(bright) if np.isfinite(bright).any() else 0.0
    found: list[Same | None] = []
    for k, row in enumerate(sizes):
        off = row[np.isfinite(row)] - by_frame[k] - by_star[np.isfinite(row)]
        if off.size < least:
            found.append(None)
            continue
        size = float(np.exp(by_frame[k]))
        spread = 1.4826 * float(np.median(np.abs(off - np.median(off))))
        found.append(
            Same(
                size,
                _MEDIAN_ERROR * spread * size / np.sqrt(off.size),
                off.size,
                float(np.exp(bright[k] - most)),
            )
        )
    return found


def _tables(
    frames: Sequence[StarList | None], reference: StarList, least: int = _LEAST_SHARED
) -> tuple[Floats, Floats]:
    """Sizes and lights [frame, star of the reference]; NaN where a star was not found."""
    sizes = np.full((len(frames), len(reference)), np.nan)
    lights = np.full_like(sizes, np.nan)
    for k, frame in enumerate(frames):
        if frame is None or not len(frame):
            continue
        dx, dy = (0.0, 0.0) if frame is reference else _shift(frame, reference, least)
        tree = cKDTree(np.stack([frame.x_px - dx, frame.y_px - dy], axis=1))
        reach = _NEAR_PX + _NEAR_SIZES * float(np.median(frame.size_px))
        away, which = tree.query(
            np.stack([reference.x_px, reference.y_px], axis=1), distance_upper_bound=reach
        )
        star = np.flatnonzero(np.isfinite(away))
        # each star once: the nearest of the reference's has it
        order = star[np.argsort(away[star])]
        _, first = np.unique(which[order], return_index=True)
        star = order[first]
        sizes[k, star], lights[k, star] = frame.size_px[which[star]], frame.light[which[star]]
    return sizes, np.where(lights > 0, lights, np.nan)


def _shift(frame: StarList, reference: StarList, least: int) -> tuple[float, float]:
    """How far the field has moved (column, row), by the difference that most pairs of bright stars share, and
    at least so many."""
    a, b = (np.argsort(-f.light)[:_SHIFTED_STARS] for f in (frame, reference))
    dx = (frame.x_px[a][:, None] - reference.x_px[b][None, :]).ravel()
    dy = (frame.y_px[a][:, None] - reference.y_px[b][None, :]).ravel()
    near = np.hypot(dx, dy) < _MOST_SHIFT_PX
    pairs = np.stack([dx[near], dy[near]], axis=1)
    if not len(pairs):
        return 0.0, 0.0
    reach = _NEAR_PX + _NEAR_SIZES * float(np.median(frame.size_px))
    around = cKDTree(pairs).query_ball_point(pairs, reach)
    # of equally many the smaller shift
    best = max(range(len(pairs)), key=lambda k: (len(around[k]), -float(np.hypot(*pairs[k]))))
    if len(around[best]) < least:
        return 0.0, 0.0
    x, y = np.median(pairs[around[best]], axis=0)
    return float(x), float(y)


def _polished(table: Floats) -> tuple[Floats, Floats]:
    """The frames' and the stars' parts of a table of logarithms, by medians in turn (Tukey 1977, Exploratory
    Data Analysis, ch. 11); the stars' have the median 0. NaN where a frame has none."""
    by_frame, by_star = np.zeros(table.shape[0]), np.zeros(table.shape[1])
    for _ in range(_POLISH_ROUNDS):
        by_frame = _medians(table - by_star[None, :], axis=1)
        by_star = _medians(table - by_frame[:, None], axis=0)
        by_star = np.where(np.isfinite(by_star), by_star, 0.0)
        by_star -= np.median(by_star)
    return _medians(table - by_star[None, :], axis=1), by_star


def _medians(table: Floats, axis: int) -> Floats:
    known = np.isfinite(table).any(axis=axis)
    safe = np.where(np.expand_dims(known, axis), table, 0.0)
    return np.where(known, np.nanmedian(safe, axis=axis), np.nan)
