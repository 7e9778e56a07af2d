"""The profile that a frame's stars share, from all of them laid over each other; its width at half of the
maximum."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

Floats = NDArray[np.float64]

_LEAST_HALF_PX, _MOST_HALF_PX = 5, 28
# without this much of it, in half-flux radii, a profile can't be told
_LEAST_REACH_HFR = 2.5
# out to here, in half-flux radii: far enough for the wings to say how steep they are
_REACH_HFR = 4.0
_CELLS_A_HFR = 4.0
_CENTRING_ROUNDS = 4
# a cell is known no better than this share of itself: light's own noise, neighbours, a field's changing shape
_FLOOR_SHARE = 0.01
# Moffat's exponent where the wings don't tell: what turbulent air gives behind small telescopes
# (Trujillo et al. 2001, MNRAS 328, 977)
_USUAL_BETA, _BETA_SPREAD = 3.5, 0.7
_LEAST_BETA, _MOST_BETA = 1.5, 60.0
# what leaves more than this share of its peak over is no star's profile: rings out of focus, pieces of them
_MISFIT_SHARE = 0.1
# Gauss-Legendre, over a pixel of side 1
_NODES, _SHARES = np.polynomial.legendre.leggauss(3)
_NODES, _SHARES = _NODES / 2, _SHARES / 2


_MOST_MISSING = 0.9
"""Of a star's light, outside of its aperture: a smeared one of a few pixels is no profile any more."""


@dataclass(frozen=True, slots=True)
class StarProfile:
    """A Moffat profile before the pixels: `fwhm_px` is the geometric mean of the two axes' widths at half of
    the maximum, `elongation` major over minor axis, `beta` the exponent (towards 60 it is a Gaussian's).
    `smoothing_px2` is the variance, each way, of a kernel that the image was smoothed with."""

    fwhm_px: float
    elongation: float
    beta: float
    smoothing_px2: float = 0.0

    def whole_hfr_px(self, hfr_px: Floats, aperture_px: Floats) -> Floats:
        """Half-flux radii of all of the stars' light, before pixels and smoothing, from those measured on
        pixels inside apertures.

        A Moffat profile's light within r is 1 − (1 + r²/α²)^(1 − β). A pixel spreads light twice, when it
        gathers it and when it is taken for evenly lit, by 1/12 px² each time and way; a spread of v moves
        the radius r by −v/2 · P′(r)/P(r), in square by 2β (1 − 2^(−1/(β − 1))) v.
        """
        alpha2 = self.fwhm_px**2 / (4 * (2 ** (1 / self.beta) - 1))
        power = 1 / (1 - self.beta)
        missing = (1 + aperture_px**2 / alpha2) ** (1 - self.beta)
        # more of a long star's light lies outside a circle
        missing = missing * ((self.elongation + 1 / self.elongation) / 2) ** (self.beta - 1)
        missing = np.minimum(missing, _MOST_MISSING)
        whole = hfr_px * np.sqrt((0.5**power - 1) / (((1 + missing) / 2) ** power - 1))
        spread2 = 2 * self.beta * (1 - 2**power) * (2 / 12 + self.smoothing_px2)
        # stars hardly wider than a pixel tell no width
        return np.asarray(np.sqrt(np.maximum(whole**2 - spread2, 0.25 * whole**2)))


def profile_of(
    data: NDArray[np.float32],
    x_px: Floats,
    y_px: Floats,
    hfr_px: Floats,
    noise_adu: float,
    smoothing_px2: float = 0.0,
) -> StarProfile | None:
    """Of stars on a background-subtracted image [row, column]; None where nothing can be fitted.

    The stars are laid over each other at their centres, in cells finer than pixels and weighted by their
    light; a Moffat profile (1969, A&A 3, 455), stretched and turned, and integrated over a pixel, is fitted
    to the cells. So the pixel's own size is no part of the width.
    """
    size = float(np.median(hfr_px)) if hfr_px.size else np.nan
    if not (size * _LEAST_REACH_HFR < _MOST_HALF_PX and noise_adu > 0):
        return None
    half = int(np.clip(np.ceil(_REACH_HFR * size) + 1, _LEAST_HALF_PX, _MOST_HALF_PX))
    stamps, dx, dy = _centred_stamps(data, x_px, y_px, size, half)
    if not len(stamps):
        return None
    cells = _laid_over(stamps, dx, dy, size, half, noise_adu)
    if cells is None:
        return None
    # a smoothed or gathered pixel seems wider: a square of side s has the variance s²/12
    pixel = float(np.sqrt(1.0 + (size / _CELLS_A_HFR) ** 2 + 12 * smoothing_px2))
    found = _fitted(*cells, pixel, size)
    return None if found is None else replace(found, smoothing_px2=smoothing_px2)


def _centred_stamps(
    data: NDArray[np.float32], x_px: Floats, y_px: Floats, size: float, half: int
) -> tuple[Floats, Floats, Floats]:
    """Stamps (n, rows, columns) of the stars that lie wholly inside, and each pixel's place from the star's
    centre along the columns (n, 1, columns) and rows (n, rows, 1).

    The centre is where the moments weighted by a Gaussian of the star's size vanish.
    """
    rows, columns = data.shape
    column, row = np.rint(x_px).astype(int), np.rint(y_px).astype(int)
    inside = (column >= half) & (column < columns - half) & (row >= half) & (row < rows - half)
    column, row, x, y = column[inside], row[inside], x_px[inside], y_px[inside]
    offsets = np.arange(-half, half + 1)
    stamps = data[row[:, None, None] + offsets[None, :, None], column[:, None, None] + offsets].astype(float)
    dx = (offsets - (x - column)[:, None])[:, None, :].astype(float)
    dy = (offsets - (y - row)[:, None])[:, :, None].astype(float)
    variance = max((size / 1.1774) ** 2, 0.3)
    sound = np.ones(len(stamps), dtype=bool)
    for _ in range(_CENTRING_ROUNDS):
        weighted = stamps * (np.exp(-(dx**2) / (2 * variance)) * np.exp(-(dy**2) / (2 * variance)))
        total = weighted.sum(axis=(1, 2))
        sound &= total > 0
        total = np.where(total > 0, total, 1.0)
        # weighted by its own shape, a Gaussian's moment shows half of the way
        step_x = np.clip(2 * np.einsum("nrc,nrc->n", weighted, dx + 0 * dy) / total, -0.5, 0.5)
        step_y = np.clip(2 * np.einsum("nrc,nrc->n", weighted, dy + 0 * dx) / total, -0.5, 0.5)
        dx, dy = dx - step_x[:, None, None], dy - step_y[:, None, None]
    return stamps[sound], dx[sound], dy[sound]


def _laid_over(
    stamps: Floats, dx: Floats, dy: Floats, size: float, half: int, noise_adu: float
) -> tuple[Floats, Floats, Floats, Floats] | None:
    """Cells that hold light: where each lies, its brightness and error."""
    reach = min(_REACH_HFR * size + 0.5, half - 0.5)
    distance2 = dx**2 + dy**2
    near = distance2 < (2.5 * size + 0.5) ** 2
    light = np.where(near, stamps, 0).sum(axis=(1, 2))
    bright = light > 0
    stamps, dx, dy, distance2, light = (
        stamps[bright],
        dx[bright],
        dy[bright],
        distance2[bright],
        light[bright],
    )
    used = distance2 < reach**2
    if not used.any():
        return None
    shape = stamps.shape
    step = size / _CELLS_A_HFR
    x, y = np.broadcast_to(dx, shape)[used], np.broadcast_to(dy, shape)[used]
    amount = np.broadcast_to(light[:, None, None], shape)[used]
    across = 2 * int(np.ceil(reach / step)) + 1
    cell = np.rint(y / step).astype(int) * across + np.rint(x / step).astype(int)
    cell -= cell.min()
    weight = np.bincount(cell, amount**2)
    held = weight > 0

    def mean(values: Floats) -> Floats:
        return np.asarray(np.bincount(cell, amount**2 * values)[held] / weight[held])

    value = mean(stamps[used] / amount)
    error = noise_adu / np.sqrt(weight[held])
    return mean(x), mean(y), value, error


def _fitted(
    x: Floats, y: Floats, value: Floats, error: Floats, pixel: float, size: float
) -> StarProfile | None:
    # a share of each cell's own light; of the fit's, it would have to be iterated
    error = np.hypot(error, _FLOOR_SHARE * np.maximum(value, 0))
    if value.size < 12:
        return None
    nodes_x = (x[:, None, None] + pixel * _NODES[None, :, None]) + 0 * _NODES
    nodes_y = (y[:, None, None] + pixel * _NODES[None, None, :]) + 0 * _NODES[:, None]
    shares = np.outer(_SHARES, _SHARES)
    xx, yy, xy = nodes_x**2 + nodes_y**2, nodes_x**2 - nodes_y**2, 2 * nodes_x * nodes_y

    def off(free: Floats) -> Floats:
        log_fwhm, log_beta, along, aslant = free
        beta = _beta(log_beta)
        stretch = np.hypot(along, aslant)
        ratio = np.sinh(stretch) / stretch if stretch > 1e-9 else 1.0
        r2 = xx * np.cosh(stretch) - (yy * along + xy * aslant) * ratio
        shape = (1 + 4 * (2 ** (1 / beta) - 1) * np.exp(-2 * log_fwhm) * np.maximum(r2, 0)) ** -beta
        drawn = np.einsum("nij,ij->n", shape, shares) / error
        # the brightness and what is left of the background follow from the shape
        ground = 1 / error
        seen = value / error
        aa, ab, bb = drawn @ drawn, drawn @ ground, ground @ ground
        av, bv = drawn @ seen, ground @ seen
        whole = aa * bb - ab**2
        peak, level = (av * bb - bv * ab) / whole, (bv * aa - av * ab) / whole
        prior = (log_beta - np.log(_USUAL_BETA - 1)) / _BETA_SPREAD
        return np.append(peak * drawn + level * ground - seen, prior)

    start = np.array([np.log(max(2 * size, 1.0)), np.log(_USUAL_BETA - 1), 0.0, 0.0])
    with np.errstate(all="ignore"):
        try:
            found = least_squares(off, start, method="lm", x_scale=(0.1, 0.3, 0.1, 0.1), max_nfev=200)
        except ValueError:
            return None
    log_fwhm, log_beta, along, aslant = found.x
    fwhm, elongation = float(np.exp(log_fwhm)), float(np.exp(np.hypot(along, aslant)))
    left_over = np.sqrt(np.mean((off(found.x)[:-1] * error) ** 2)) / np.max(value)
    beta = _beta(log_beta)
    stars = 0.3 * size < fwhm < 10 * size and elongation < 10 and beta > _LEAST_BETA
    return StarProfile(fwhm, elongation, beta) if stars and left_over < _MISFIT_SHARE else None


def _beta(log_beta: float) -> float:
    return float(np.clip(1 + np.exp(min(log_beta, 10.0)), _LEAST_BETA, _MOST_BETA))
