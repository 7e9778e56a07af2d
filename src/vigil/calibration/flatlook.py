"""What a flat looks like: level and clipping by colour, vignetting, and what is no vignetting: a gradient,
uneven corners, bands."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.calibration.masters import middle_of

Floats = NDArray[np.float64]
Pixels = NDArray[np.floating[Any]] | NDArray[np.integer[Any]]
_CELLS, _ROUNDS, _CORNER = 24, 12, 5
_CLIPPED_SHARE = 0.98
_BAND_PX = 31
"""Lines beside a line, out of which it sticks where it belongs to a band."""
MOST_CLIPPED, MOST_GRADIENT, MOST_UNEVEN, MOST_BANDS = 0.001, 0.05, 0.05, 0.003
MOST_DRIFT, MOST_CHANGE = 0.05, 0.01
"""Over a set: of its levels, and of the gradient from one frame to the next."""


@dataclass(frozen=True, slots=True)
class FlatLook:
    """Shares are of the light in the middle. `vignetting`: how much darker the corners are by a curve in the
    distance from the middle; `gradient`: across the frame, beside that, and `gradient_xy` per half width and
    half height; `uneven`: the brightest corner less the darkest, without vignetting and gradient; `bands`:
    rms of rows or columns beside their neighbours, without what noise does."""

    level_adu: float
    levels_adu: dict[str, float]
    clipped: dict[str, float]
    vignetting: float
    gradient: float
    gradient_xy: tuple[float, float]
    uneven: float
    bands: float

    def faults(self) -> list[str]:
        """In words; none for a good flat."""
        found = [
            f"{100 * share:.1f} % of the {_COLOURS.get(name, name)} pixels are clipped"
            for name, share in self.clipped.items()
            if share > MOST_CLIPPED
        ]
        if self.gradient > MOST_GRADIENT:
            found.append(f"a gradient of {100 * self.gradient:.1f} % across the frame: uneven light")
        if self.uneven > MOST_UNEVEN:
            found.append(f"corners differ by {100 * self.uneven:.1f} %, which no vignetting does")
        if self.bands > MOST_BANDS:
            found.append(f"bands of {100 * self.bands:.2f} %: a longer exposure evens a flickering light out")
        return found


_COLOURS = {"R": "red", "G": "green", "B": "blue", "": "frame's"}


def look(image: Pixels, bias_adu: float, full_scale_adu: float, bayer: str = "") -> FlatLook:
    """Of a flat [row, column], its first row the lowest, as `bayer` counts them; ADU. Raises ValueError for
    one that is smaller than 48 pixels a side, or without light."""
    if min(image.shape) < 2 * _CELLS:
        raise ValueError(f"a flat of {image.shape[0]} × {image.shape[1]} pixels is too small to be judged")
    level = float(image[middle_of(image.shape)].mean()) - bias_adu
    if level <= 0:
        raise ValueError("there is no light in it")
    cells, x, y = _cells(image, bias_adu)
    radius2 = (x**2 + y**2) / 2
    terms = np.stack([np.ones_like(x), x, y, radius2, radius2**2], axis=-1).reshape(-1, 5)
    fitted = _robust_fit(terms, cells.ravel())
    middle = fitted[0]
    left = (cells.ravel() - terms @ fitted).reshape(cells.shape) / middle
    ends = slice(0, _CORNER), slice(-_CORNER, None)
    corners = [float(np.median(left[rows, columns])) for rows in ends for columns in ends]
    across, along = float(fitted[1] / middle), float(fitted[2] / middle)
    return FlatLook(
        level,
        {name: float(np.mean(part)) - bias_adu for name, part in _colours(image, bayer).items()},
        {
            name: float(np.mean(part >= _CLIPPED_SHARE * full_scale_adu))
            for name, part in _colours(image, bayer).items()
        },
        float(-(fitted[3] + fitted[4]) / middle),
        2 * float(np.hypot(across, along)),
        (across, along),
        float(max(corners) - min(corners)),
        max(_bands(image, bias_adu, 0, bayer), _bands(image, bias_adu, 1, bayer)),
    )


def set_faults(looks: Sequence[FlatLook]) -> list[str]:
    """What changed in the course of a set, in words."""
    if len(looks) < 2:
        return []
    found = []
    levels = np.array([one.level_adu for one in looks])
    drift = float((levels.max() - levels.min()) / levels.mean())
    if drift > MOST_DRIFT:
        found.append(f"the level drifted by {100 * drift:.0f} % during the set")
    slopes = np.array([one.gradient_xy for one in looks])
    jump = float(2 * np.hypot(*np.diff(slopes, axis=0).T).max())
    if jump > MOST_CHANGE:
        found.append(
            f"the gradient changed by {100 * jump:.1f} % from one frame to the next: a cloud, or a shadow"
        )
    return found


def _robust_fit(terms: Floats, values: Floats) -> Floats:
    """Least squares in which what sticks out, as the shadows of dust do, counts little: weights 1 / (1 +
    (r/s)²) with s the median of residuals, a few times over."""
    weights = np.ones(len(values))
    for _ in range(_ROUNDS):
        root = np.sqrt(weights)
        fitted, *_ = np.linalg.lstsq(terms * root[:, None], values * root, rcond=None)
        off = values - terms @ fitted
        scale = max(float(np.median(np.abs(off))), 1e-6 * float(abs(fitted[0])))
        weights = 1 / (1 + (off / scale) ** 2)
    return np.asarray(fitted)


def _cells(image: Pixels, bias_adu: float) -> tuple[Floats, Floats, Floats]:
    """Means of cells less the bias, and where they are, −1 to 1; a cell holds whole squares of four
    pixels."""
    high, wide = (max(2, side // _CELLS // 2 * 2) for side in image.shape)
    rows, columns = image.shape[0] // high, image.shape[1] // wide
    top, left = (image.shape[0] - rows * high) // 2, (image.shape[1] - columns * wide) // 2
    cut = image[top : top + rows * high, left : left + columns * wide].reshape(rows, high, columns, wide)
    means = cut.mean(axis=(1, 3), dtype=np.float64) - bias_adu
    at_x = (left + (np.arange(columns) + 0.5) * wide) / image.shape[1] * 2 - 1
    at_y = (top + (np.arange(rows) + 0.5) * high) / image.shape[0] * 2 - 1
    x, y = np.meshgrid(at_x, at_y)
    return means, x, y


def _colours(image: Pixels, bayer: str) -> dict[str, NDArray[Any]]:
    """The pixels of each colour; both greens together."""
    if not bayer:
        return {"": image}
    kinds: dict[str, list[NDArray[Any]]] = {}
    for n, name in enumerate(bayer):
        kinds.setdefault(name, []).append(image[n // 2 :: 2, n % 2 :: 2].ravel())
    return {name: np.concatenate(parts) for name, parts in kinds.items()}


def _bands(image: Pixels, bias_adu: float, axis: int, bayer: str) -> float:
    """Of lines along one axis: rms of their means beside their neighbours', noise taken off."""
    lines = image.astype(np.float64).mean(axis=1 - axis) - bias_adu
    step = 2 if bayer else 1
    lines = lines[: len(lines) // step * step].reshape(-1, step).mean(axis=1)
    if len(lines) < 2 * _BAND_PX:
        return 0.0
    kernel = np.hanning(_BAND_PX + 2)[1:-1]
    kernel = kernel / kernel.sum()
    reach = _BAND_PX // 2
    beside = (lines - np.convolve(lines, kernel, mode="same"))[reach:-reach] / lines.mean()
    # curvature of vignetting leaves a slow rest
    beside = beside - np.convolve(beside, kernel, mode="same")
    pixels = image[:, : image.shape[1] // 2 * 2].astype(np.float32)
    noise = float(np.std(pixels[:, 2::2] - pixels[:, :-2:2]) / np.sqrt(2)) / lines.mean()
    of_lines = noise / np.sqrt(image.shape[1 - axis] * step)
    return float(np.sqrt(max(np.var(beside[reach:-reach]) - of_lines**2, 0.0)))
