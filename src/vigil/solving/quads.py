"""Groups of four stars and their shape, which shift, rotation and scale leave unchanged.

Lang et al. 2010, AJ 139, 1782: the two stars farthest apart set a frame in which the other two have
coordinates; those four numbers are the shape.
"""

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from vigil.sky.instants import Floats

Complex = NDArray[np.complex128]
Indices = NDArray[np.int64]

_PAIRS = np.array(list(combinations(range(4), 2)))
_OTHERS = np.array([[k for k in range(4) if k not in pair] for pair in _PAIRS.tolist()])


@dataclass(frozen=True, slots=True)
class Quads:
    """Quads over a set of points, n of them.

    `shape` (n, 4) is the invariant; `first` and `second` (n,) are complex positions of the pair that sets
    the frame, in the order that the shape is written in; `ends` (n, 2) are the indices of that pair.
    """

    shape: Floats
    first: Complex
    second: Complex
    ends: Indices

    def __len__(self) -> int:
        return len(self.shape)


def build_quads(points: Complex, neighbours: int = 6) -> Quads:
    """Every quad of a point and three of its nearest `neighbours`, each once.

    `points` are complex plane positions. Fewer than four give no quads.
    """
    count = len(points)
    reach = min(neighbours, count - 1)
    if reach < 3:
        return _none()
    tree = cKDTree(np.column_stack([points.real, points.imag]))
    near = tree.query(tree.data, k=reach + 1)[1]
    choice = np.array(list(combinations(range(1, reach + 1), 3)))
    members = np.concatenate(
        [np.repeat(near[:, :1], len(choice), axis=0).reshape(count, -1, 1), near[:, choice]], axis=2
    ).reshape(-1, 4)
    members = np.sort(members, axis=1)
    key = members @ (np.int64(count) ** np.arange(4))
    return quads_of(points, members[np.unique(key, return_index=True)[1]])


def all_quads(points: Complex) -> Quads:
    """Every quad of the points: n over 4 of them, so for a few dozen points at most."""
    if len(points) < 4:
        return _none()
    return quads_of(points, np.array(list(combinations(range(len(points)), 4))))


def quads_of(points: Complex, members: Indices) -> Quads:
    """Quads of given members (n, 4), indices into `points`; those of four points in one place are left
    out."""
    shape, ends = shapes(points[members])
    sound = np.all(np.isfinite(shape), axis=1)
    row = np.arange(len(members))[:, None]
    chosen = members[row, ends][sound]
    return Quads(shape[sound], points[chosen[:, 0]], points[chosen[:, 1]], chosen)


def shapes(corner: Complex) -> tuple[Floats, Indices]:
    """Shapes (n, 4) of quads with corners (n, 4) in a plane, and which two corners set the frame (n, 2).

    NaN for four corners in one place.
    """
    length = np.abs(corner[:, _PAIRS[:, 0]] - corner[:, _PAIRS[:, 1]])
    which = np.argmax(length, axis=1)
    ends = _PAIRS[which]
    row = np.arange(len(corner))
    a, b = corner[row, ends[:, 0]], corner[row, ends[:, 1]]
    inner = corner[row[:, None], _OTHERS[which]]
    with np.errstate(divide="ignore", invalid="ignore"):
        z = (inner - a[:, None]) / (b - a)[:, None]
    # which end is first, and which inner star: fixed by order along the axis
    swap = z.real.sum(axis=1) > 1
    ends = np.where(swap[:, None], ends[:, ::-1], ends)
    z = np.where(swap[:, None], 1 - z, z)
    z = np.take_along_axis(z, np.argsort(z.real, axis=1), axis=1)
    return np.column_stack([z[:, 0].real, z[:, 0].imag, z[:, 1].real, z[:, 1].imag]), ends


def _none() -> Quads:
    return Quads(np.empty((0, 4)), np.empty(0, complex), np.empty(0, complex), np.empty((0, 2), np.int64))
