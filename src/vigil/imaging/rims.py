"""How large stars are that are far out of focus, by the rims of their discs: however much these overlap, lie
on an uneven sky or leave the frame.

Every piece of a rim points to its disc's centre, one radius away. For each radius all pieces vote for a
place; at the discs' own radius the votes of a rim fall together (Kimme, Ballard & Sklansky 1975, Comm. ACM
18, 120, with the direction of the gradient).
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, maximum_filter

from vigil.sky.instants import Floats

_SCALES_PX = (2.0, 4.0)
"""Of the smoothing: the finer one tells small discs, the coarser one faint ones."""
_LEAST_RADIUS = 4.0
"""In scales: a star's own slope isn't a rim."""
_MOST_SHARE = 0.45
"""Of the frame's shorter side."""
_STEP, _FINE_STEP = 1.06, 1.015
_SIGMAS = 4.5
"""Of the gradient's noise, that a piece of rim has."""
_RIDGE_PX = 1.5
_CELL_SHARE, _LEAST_CELL_PX, _CELL_SMOOTHING = 0.06, 2.0, 0.7
"""Side of the cells that votes fall into, as a share of the radius."""
_OUTSIDE = 0.6
"""How far beyond the frame centres may lie, in largest radii."""
_ALSO_SHARE, _MOST_CENTRES = 0.6, 8
"""Of the best centre's votes, with which others count, and how many."""
_LEAST_VOTES, _LEAST_OF_RIM = 12.0, 0.07
"""In one cell. Skies without a disc have at most 4 votes and 0.063 of a rim."""


@dataclass(frozen=True, slots=True)
class Rims:
    """The discs' radius (px of the image), the centres (column, row; they may lie outside) of the clearest
    ones, how many votes fell together at the first of them, and what share of a whole rim they are."""

    radius_px: float
    centres_px: tuple[tuple[float, float], ...]
    votes: float
    of_rim: float


@dataclass(frozen=True, slots=True)
class _Pieces:
    """Places of rims, and the way to the bright side (unit vectors)."""

    x: Floats
    y: Floats
    to_x: Floats
    to_y: Floats
    shape: tuple[int, int]


@dataclass(frozen=True, slots=True)
class _Poll:
    """What all pieces vote for, if their discs have this radius: `smooth` [row, column of cells], and each
    piece's own vote (px)."""

    radius: float
    smooth: NDArray[np.float32]
    x: Floats
    y: Floats
    cell: float
    outside: float

    @property
    def of_rim(self) -> float:
        return float(self.smooth.max()) / (2 * np.pi * self.radius)


def rims_in(image: NDArray[np.floating], noise: float) -> Rims | None:
    """Of an image [row, column] whose pixels have that noise; None where no rim is clear enough."""
    found = [rims for scale in _SCALES_PX if (rims := _at_scale(image, noise, scale)) is not None]
    return max(found, key=lambda rims: rims.of_rim, default=None)


def _at_scale(image: NDArray[np.floating], noise: float, scale: float) -> Rims | None:
    pieces = _pieces(image, noise, scale)
    least, most = _LEAST_RADIUS * scale, _MOST_SHARE * min(image.shape)
    if len(pieces.x) < _LEAST_VOTES or most < least:
        return None
    best = _best(pieces, least, most, _STEP, most)
    if best.smooth.max() < _LEAST_VOTES or best.of_rim < _LEAST_OF_RIM:
        return None
    rims = _elected(pieces, _best(pieces, best.radius / _STEP, best.radius * _STEP, _FINE_STEP, most))
    # smoothed, a rim is steepest σ²/2r inside of where it was
    return replace(rims, radius_px=rims.radius_px + scale**2 / (2 * rims.radius_px))


def _best(pieces: _Pieces, low: float, high: float, step: float, most: float) -> _Poll:
    """Of radii so far apart."""
    count = int(np.ceil(np.log(high / low) / np.log(step))) + 1
    polls = (_poll(pieces, radius, most) for radius in np.geomspace(low, high, count))
    return max(polls, key=lambda poll: poll.of_rim)


def _pieces(image: NDArray[np.floating], noise: float, scale: float) -> _Pieces:
    """Where the slope is steepest across a rim, and clear of the noise."""
    image = np.asarray(image, dtype=np.float32)
    slope_y, slope_x = (gaussian_filter(image, scale, order=order) for order in ((1, 0), (0, 1)))
    slope = np.hypot(slope_x, slope_y)
    # the noise of a Gaussian's derivative
    clear = slope > _SIGMAS * noise / (np.sqrt(8 * np.pi) * scale**2)
    margin = int(np.ceil(_RIDGE_PX)) + 1
    clear[:margin], clear[-margin:], clear[:, :margin], clear[:, -margin:] = False, False, False, False
    y, x = np.nonzero(clear)
    steep = slope[y, x]
    to_x, to_y = slope_x[y, x] / steep, slope_y[y, x] / steep
    ahead, behind = (
        slope[np.rint(y + way * to_y).astype(int), np.rint(x + way * to_x).astype(int)]
        for way in (_RIDGE_PX, -_RIDGE_PX)
    )
    ridge = (steep >= ahead) & (steep >= behind)
    rows, columns = image.shape
    return _Pieces(x[ridge].astype(float), y[ridge].astype(float), to_x[ridge], to_y[ridge], (rows, columns))


def _poll(pieces: _Pieces, radius: float, most: float) -> _Poll:
    cell, outside = max(_LEAST_CELL_PX, _CELL_SHARE * radius), _OUTSIDE * most
    rows, columns = (int((side + 2 * outside) / cell) + 1 for side in pieces.shape)
    y, x = pieces.y + radius * pieces.to_y, pieces.x + radius * pieces.to_x
    row, column = (((at + outside) / cell).astype(int) for at in (y, x))
    inside = (row >= 0) & (row < rows) & (column >= 0) & (column < columns)
    votes = np.bincount(row[inside] * columns + column[inside], minlength=rows * columns)
    smooth = gaussian_filter(votes.reshape(rows, columns).astype(np.float32), _CELL_SMOOTHING)
    return _Poll(float(radius), smooth, x, y, cell, outside)


def _elected(pieces: _Pieces, poll: _Poll) -> Rims:
    """The centres with about as many votes as the best one."""
    smooth, top = poll.smooth, float(poll.smooth.max())
    chosen = (maximum_filter(smooth, 3) == smooth) & (smooth >= _ALSO_SHARE * top)
    rows, columns = np.nonzero(chosen)
    centres, radii = [], []
    for k in np.argsort(-smooth[rows, columns])[:_MOST_CENTRES]:
        x, y = ((at[k] + 0.5) * poll.cell - poll.outside for at in (columns, rows))
        own = np.hypot(poll.x - x, poll.y - y) < 1.5 * poll.cell
        if own.any():
            x, y = float(poll.x[own].mean()), float(poll.y[own].mean())
            radii.append(np.hypot(pieces.x - x, pieces.y - y)[own])
        centres.append((x, y))
    # nearer than the steps between radii: by how far those that agree are from their centres
    radius = float(np.median(np.concatenate(radii))) if radii else poll.radius
    return Rims(radius, tuple(centres), top, poll.of_rim)
