"""The image of a point: seeing and diffraction, blurred by defocus and by walking, summed over pixels."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfftn, next_fast_len, rfftn

OVERSAMPLING = 5
PHASES = OVERSAMPLING + 2
"""From three fifths of a pixel below the stamp's centre to three above it."""
Walk = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Spot:
    """A point's image: a Moffat core, the ring that the aperture makes out of focus (outer diameter in
    pixels, inner one as a share of it), and the places (column, row) that it stands at during the
    exposure."""

    fwhm_px: float
    disc_px: float = 0.0
    obstruction: float = 0.0
    beta: float = 4.0
    walk_px: Walk = ()

    def half_px(self, bright: bool) -> int:
        """How far out a stamp must reach: further for stars whose wings show."""
        strayed = max((abs(v) for place in self.walk_px for v in place), default=0.0)
        return int(np.ceil(self.disc_px / 2 + strayed + (14 if bright else 4.5) * max(self.fwhm_px, 1.0)))


@lru_cache(maxsize=48)
def stamps(spot: Spot, half_px: int) -> NDArray[np.float32]:
    """Stamps of (2·half+1)² pixels for each fifth-of-a-pixel phase, shape (7, 7, n, n), each of unit sum.

    Stamp [i, j] belongs to a star (i−3)/5 px above and (j−3)/5 px right of the stamp's centre; those in
    between are mixed from their four neighbours.
    """
    fine = _fine_profile(spot, half_px)
    size = 2 * half_px + 1
    out = np.empty((PHASES, PHASES, size, size), np.float32)
    pad = PHASES // 2
    padded = np.pad(fine, pad)
    count = size * OVERSAMPLING
    for i in range(PHASES):
        for j in range(PHASES):
            # moving the star up by i − 3 fine pixels means reading that much lower
            window = padded[
                PHASES - 1 - i : PHASES - 1 - i + count,
                PHASES - 1 - j : PHASES - 1 - j + count,
            ]
            stamp = window.reshape(size, OVERSAMPLING, size, OVERSAMPLING).sum(axis=(1, 3))
            out[i, j] = stamp / stamp.sum()
    return out


def smear(points: NDArray[np.float64], spot: Spot, half_px: int) -> NDArray[np.float64]:
    """Points of light [row, column] as their images. For those so large that it doesn't show where in a pixel
    a point lies: stamps of them would take long."""
    return _smeared(points, _profile(spot, half_px, 1))


def put_down(
    mean: NDArray[np.float32],
    column: NDArray[np.float64],
    row: NDArray[np.float64],
    light: NDArray[np.float64],
    spot: Spot,
    half_px: int,
) -> None:
    """The same onto a picture for a few points, without the whole picture's transform."""
    image = _profile(spot, half_px, 1).astype(np.float32)
    rows, columns = mean.shape
    for left, bottom, share in _shared(column, row, light):
        for x, y, part in zip(left - half_px, bottom - half_px, share, strict=True):
            a, b = max(y, 0), min(y + len(image), rows)
            c, d = max(x, 0), min(x + len(image), columns)
            if a < b and c < d:
                mean[a:b, c:d] += np.float32(part) * image[a - y : b - y, c - x : d - x]


def _fine_profile(spot: Spot, half_px: int) -> NDArray[np.float64]:
    return _profile(spot, half_px, OVERSAMPLING)


def _profile(spot: Spot, half_px: int, finer: int) -> NDArray[np.float64]:
    """With so many values a pixel across, of unit sum."""
    half = half_px * finer + finer // 2
    grid = np.arange(-half, half + 1) / finer
    radius = np.hypot(grid[:, None], grid[None, :])
    width = spot.fwhm_px / (2 * np.sqrt(2 ** (1 / spot.beta) - 1))
    profile = (1 + (radius / width) ** 2) ** -spot.beta
    profile /= profile.sum()
    if spot.disc_px > 0:
        # the rim is softened over one fine pixel, so that its size acts smoothly
        outer = spot.disc_px / 2
        ring = _filled(radius, outer, finer) - _filled(radius, outer * spot.obstruction, finer)
        if ring.sum() > 0:
            profile = _smeared(profile, ring / ring.sum()).clip(0)
    if spot.walk_px:
        profile = _smeared(profile, _steps(spot.walk_px, half, finer)).clip(0)
    return np.asarray(profile / profile.sum())


def _smeared(profile: NDArray[np.float64], by: NDArray[np.float64]) -> NDArray[np.float64]:
    """Convolved, and cut to the profile's shape. (scipy.signal has it too, and takes a second to import.)"""
    whole = tuple(a + b - 1 for a, b in zip(profile.shape, by.shape, strict=True))
    fast = [next_fast_len(length, real=True) for length in whole]
    product = rfftn(profile, fast) * rfftn(by, fast)
    first = [(length - kept) // 2 for length, kept in zip(whole, profile.shape, strict=True)]
    cut = tuple(slice(at, at + kept) for at, kept in zip(first, profile.shape, strict=True))
    return np.asarray(irfftn(product, fast)[cut])


def _filled(radius: NDArray[np.float64], edge_px: float, finer: int) -> NDArray[np.float64]:
    if edge_px <= 0:
        return np.zeros_like(radius)
    return np.clip((edge_px - radius) * finer + 0.5, 0, 1)


def _steps(walk_px: Walk, half: int, finer: int) -> NDArray[np.float64]:
    """Equal shares of the light at each place."""
    side = 2 * half + 1
    column, row = np.array(walk_px).T * finer + half
    return points_on((side, side), column, row, np.full(len(walk_px), 1 / len(walk_px)))


def points_on(
    shape: tuple[int, int], column: NDArray[np.float64], row: NDArray[np.float64], light: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Light put down at places, shared between the four pixels nearest to each; what lies outside is lost."""
    out = np.zeros(shape)
    for x, y, share in _shared(column, row, light):
        inside = (y >= 0) & (y < shape[0]) & (x >= 0) & (x < shape[1])
        np.add.at(out, (y[inside], x[inside]), share[inside])
    return out


def _shared(
    column: NDArray[np.float64], row: NDArray[np.float64], light: NDArray[np.float64]
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]]:
    """Column and row of each of the four pixels around each place, and its share of the light."""
    j, i = np.floor(column).astype(int), np.floor(row).astype(int)
    for di, wi in ((0, 1 - (row - i)), (1, row - i)):
        for dj, wj in ((0, 1 - (column - j)), (1, column - j)):
            yield j + dj, i + di, light * wi * wj


def half_flux_radius_px(spot: Spot) -> float:
    """HFR of the profile itself, pixels not counted; for tests and quick measurements."""
    half_px = spot.half_px(bright=True)
    fine = _fine_profile(spot, half_px)
    grid = (np.arange(fine.shape[0]) - fine.shape[0] // 2) / OVERSAMPLING
    radius = np.hypot(grid[:, None], grid[None, :]).ravel()
    order = np.argsort(radius)
    return float(np.interp(0.5, np.cumsum(fine.ravel()[order]), radius[order]))
