"""The image of a point: seeing and diffraction, blurred by defocus, summed over pixels."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve

OVERSAMPLING = 5
_MOFFAT_BETA = 4.0


@lru_cache(maxsize=8)
def stamps(fwhm_px: float, disc_px: float, half_px: int) -> NDArray[np.float32]:
    """Unit-flux stamps of (2·half+1)² pixels for each fifth-of-a-pixel phase, shape (5, 5, n, n).

    `fwhm_px` is the round core (Moffat, β = 4), `disc_px` the diameter of the geometric defocus blur.
    Stamp [i, j] belongs to a star (i−2)/5 px above and (j−2)/5 px right of the stamp's centre.
    """
    fine = _fine_profile(fwhm_px, disc_px, half_px)
    size = 2 * half_px + 1
    out = np.empty((OVERSAMPLING, OVERSAMPLING, size, size), np.float32)
    pad = OVERSAMPLING // 2
    padded = np.pad(fine, pad)
    count = size * OVERSAMPLING
    for i in range(OVERSAMPLING):
        for j in range(OVERSAMPLING):
            # moving the star up by i − 2 fine pixels means reading that much lower
            window = padded[
                OVERSAMPLING - 1 - i : OVERSAMPLING - 1 - i + count,
                OVERSAMPLING - 1 - j : OVERSAMPLING - 1 - j + count,
            ]
            out[i, j] = window.reshape(size, OVERSAMPLING, size, OVERSAMPLING).sum(axis=(1, 3))
    return out


def _fine_profile(fwhm_px: float, disc_px: float, half_px: int) -> NDArray[np.float64]:
    half = half_px * OVERSAMPLING + OVERSAMPLING // 2
    grid = np.arange(-half, half + 1) / OVERSAMPLING
    radius = np.hypot(grid[:, None], grid[None, :])
    width = fwhm_px / (2 * np.sqrt(2 ** (1 / _MOFFAT_BETA) - 1))
    core = (1 + (radius / width) ** 2) ** -_MOFFAT_BETA
    core /= core.sum()
    if disc_px <= 0:
        return core
    # the disc's rim is softened over one fine pixel, so that its size acts smoothly
    disc = np.clip((disc_px / 2 - radius) * OVERSAMPLING + 0.5, 0, 1)
    if disc.sum() == 0:
        return core
    blurred = fftconvolve(core, disc / disc.sum(), mode="same").clip(0)
    return blurred / blurred.sum()


def stamp_half_px(fwhm_px: float, disc_px: float, bright: bool) -> int:
    """How far out a stamp must reach: further for stars whose wings show."""
    return int(np.ceil(disc_px / 2 + (14 if bright else 4.5) * max(fwhm_px, 1.0)))


def half_flux_radius_px(fwhm_px: float, disc_px: float) -> float:
    """HFR of the profile itself, pixels not counted; for tests and quick measurements."""
    half_px = stamp_half_px(fwhm_px, disc_px, bright=True)
    fine = _fine_profile(fwhm_px, disc_px, half_px)
    grid = (np.arange(fine.shape[0]) - fine.shape[0] // 2) / OVERSAMPLING
    radius = np.hypot(grid[:, None], grid[None, :]).ravel()
    order = np.argsort(radius)
    return float(np.interp(0.5, np.cumsum(fine.ravel()[order]), radius[order]))
