"""A flat applied to a light, and whether that made it even."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from vigil.calibration.masters import middle_of

Floats = NDArray[np.float32]
_CELL_PX, _RINGS = 16, 12


@dataclass(frozen=True, slots=True)
class Tried:
    """A light's sky from the middle (0) to the corners (1), before and after, 1 in the middle; and both
    images without their dark."""

    distance: tuple[float, ...]
    before: tuple[float, ...]
    after: tuple[float, ...]
    bare: Floats
    flattened: Floats

    @property
    def corner_before(self) -> float:
        return self.before[-1]

    @property
    def corner_after(self) -> float:
        return self.after[-1]


def flattened(light: NDArray[np.generic], dark: Floats | float, flat: Floats) -> Floats:
    """(light − dark) / flat, the flat being 1 in its middle; ADU. Raises ValueError where sizes differ."""
    for name, image in (("flat", flat), ("dark", np.asarray(dark))):
        if image.ndim and image.shape != light.shape:
            raise ValueError(
                f"the {name} has {image.shape[0]} × {image.shape[1]} pixels, the light "
                f"{light.shape[0]} × {light.shape[1]}"
            )
    return np.asarray((light.astype(np.float32) - dark) / np.maximum(flat, 0.02), dtype=np.float32)


def normalised(flat: Floats) -> Floats:
    """1 in its middle."""
    return np.asarray(flat / flat[middle_of(flat.shape)].mean(dtype=np.float64), dtype=np.float32)


def try_flat(light: NDArray[np.generic], dark: Floats | float, flat: Floats) -> Tried:
    """`flat` as a master has it. Raises ValueError where sizes differ, or a frame is too small for rings."""
    after = flattened(light, dark, normalised(flat))
    before = np.asarray(light.astype(np.float32) - dark, dtype=np.float32)
    distance, was = _rings(before)
    _, now = _rings(after)
    return Tried(distance, was, now, before, after)


def _rings(image: Floats) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Medians of cells, which stars don't move, averaged by how far out they are."""
    rows, columns = (side // _CELL_PX for side in image.shape)
    if rows < 3 or columns < 3:
        raise ValueError(f"a light of {image.shape[0]} × {image.shape[1]} pixels is too small to be tried on")
    cut = image[: rows * _CELL_PX, : columns * _CELL_PX].reshape(rows, _CELL_PX, columns, _CELL_PX)
    cells = np.median(cut.transpose(0, 2, 1, 3).reshape(rows, columns, -1), axis=2)
    y, x = np.mgrid[0:rows, 0:columns]
    out = np.hypot((x + 0.5) / columns * 2 - 1, (y + 0.5) / rows * 2 - 1) / np.sqrt(2)
    edges = np.linspace(0, out.max() + 1e-9, _RINGS + 1)
    found = []
    for inner, outer in pairwise(edges):
        ring = cells[(out >= inner) & (out < outer)]
        if len(ring):
            found.append((float((inner + outer) / 2), float(np.median(ring))))
    middle = found[0][1]
    if middle == 0:
        raise ValueError("there is no light in its middle")
    return tuple(d for d, _ in found), tuple(v / middle for _, v in found)
