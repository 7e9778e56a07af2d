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


@dataclass(frozen=True, slots=True)
class Quads:
    """Quads over a set of points, n of them.

    `shape` (n, 4) is the invariant; `first` and `second` (n,) are complex positions of the pair that sets
    the frame, in the order that the shape is written in.
    """

    shape: Floats
    first: NDArray[np.complex128]
    second: NDArray[np.complex128]

    def __len__(self) -> int:
        return len(self.shape)


def build_quads(points: NDArray[np.complex128], neighbours: int = 6) -> Quads:
    """Every quad of a point and three of its nearest `neighbours`, each once.

    `points` are complex plane positions. Fewer than four give no quads.
    """
    count = len(points)
    reach = min(neighbours, count - 1)
    if reach < 3:
        return Quads(np.empty((0, 4)), np.empty(0, complex), np.empty(0, complex))
    tree = cKDTree(np.column_stack([points.real, points.imag]))
    near = tree.query(tree.data, k=reach + 1)[1]
    choice = np.array(list(combinations(range(1, reach + 1), 3)))
    members = np.concatenate(
        [np.repeat(near[:, :1], len(choice), axis=0).reshape(count, -1, 1), near[:, choice]], axis=2
    ).reshape(-1, 4)
    members = np.sort(members, axis=1)
    key = members @ (np.int64(count) ** np.arange(4))
    members = members[np.unique(key, return_index=True)[1]]
    return _shapes(points[members])


def _shapes(corner: NDArray[np.complex128]) -> Quads:
    pairs = np.array(list(combinations(range(4), 2)))
    length = np.abs(corner[:, pairs[:, 0]] - corner[:, pairs[:, 1]])
    longest = pairs[np.argmax(length, axis=1)]
    rest = np.array([[k for k in range(4) if k not in pair] for pair in pairs.tolist()])[
        np.argmax(length, axis=1)
    ]
    row = np.arange(len(corner))
    a, b = corner[row, longest[:, 0]], corner[row, longest[:, 1]]
    inner = corner[row[:, None], rest]
    with np.errstate(divide="ignore", invalid="ignore"):
        z = (inner - a[:, None]) / (b - a)[:, None]
    # which end is first, and which inner star: fixed by order along the axis
    swap = z.real.sum(axis=1) > 1
    a, b = np.where(swap, b, a), np.where(swap, a, b)
    z = np.where(swap[:, None], 1 - z, z)
    z = np.take_along_axis(z, np.argsort(z.real, axis=1), axis=1)
    shape = np.column_stack([z[:, 0].real, z[:, 0].imag, z[:, 1].real, z[:, 1].imag])
    sound = np.all(np.isfinite(shape), axis=1)
    return Quads(shape[sound], a[sound], b[sound])
