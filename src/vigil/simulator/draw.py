"""Frames as the camera would give them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri, pdtr

from vigil.simulator.chance import generator
from vigil.simulator.psf import OVERSAMPLING, stamp_half_px, stamps
from vigil.simulator.truesky import true_stars
from vigil.sky.tangent import project

# Photons of a magnitude 0 star in V: about 1000 s⁻¹ cm⁻² Å⁻¹ (Bessell 1979, PASP 91, 589)
_ZERO_MAG_PHOTONS = 1000.0
_EFFICIENCY = 0.6
_BRIGHT_ELECTRONS = 60_000.0
_QUANTILES = (np.arange(1 << 16) + 0.5) / (1 << 16)
_NORMAL_QUANTILES = ndtri(_QUANTILES)
_DARK_DOUBLING_C = 6.5
_HOT_SHARE = 3e-4
# stars by the ten thousand, as wide fields have them, are stamped together
_MANY_STARS, _SMALL_HALF = 10_000, 8


@dataclass(frozen=True, slots=True)
class Scene:
    """All that a frame depends on. Sizes in binned pixels where not said otherwise."""

    sky_seed: int
    noise_key: tuple[int, str, int]
    ra_deg: float
    dec_deg: float
    position_angle_deg: float
    shape: tuple[int, int]
    scale_arcsec_px: float
    binning: int
    light: bool
    exposure_s: float
    aperture_mm: float
    filter_width_nm: float
    fwhm_px: float
    disc_px: float
    sky_mag_arcsec2: float
    sensor_c: float
    electrons_per_adu: float
    bias_adu: float
    read_noise_e: float
    full_well_e: float
    dark_e_s_at_minus_10: float
    full_scale_adu: int
    bayer: str | None = None
    """The colours of the lowest two rows, left to right; None for a mono sensor."""


# what a colour sensor's filters let through of a mono sensor's light
_SHARE_OF_COLOUR = {"R": 0.32, "G": 0.42, "B": 0.27}


def electrons_per_s(mag: NDArray[np.float64] | float, scene: Scene) -> NDArray[np.float64]:
    """Rate of a star of this magnitude through telescope and filter."""
    area_cm2 = np.pi * (scene.aperture_mm / 20) ** 2
    zero = _ZERO_MAG_PHOTONS * area_cm2 * scene.filter_width_nm * 10 * _EFFICIENCY
    return np.asarray(zero * 10 ** (-0.4 * np.asarray(mag)))


def draw(scene: Scene) -> NDArray[np.uint16]:
    """The frame [row, column], row 0 at the bottom; north is `position_angle_deg` from rows, not mirrored."""
    rng = generator(*scene.noise_key)
    warmth = 2 ** ((scene.sensor_c + 10) / _DARK_DOUBLING_C)
    dark_e = scene.dark_e_s_at_minus_10 * warmth * scene.exposure_s * scene.binning**2
    even_e = dark_e
    uneven = np.zeros(scene.shape, np.float32)
    if scene.light:
        sky_e_s = float(electrons_per_s(scene.sky_mag_arcsec2, scene)) * scene.scale_arcsec_px**2
        even_e += sky_e_s * scene.exposure_s
        _add_stars(uneven, scene)
    electrons = np.empty(scene.shape, np.float32)
    for place, share in _colours(scene):
        uneven[place] *= np.float32(share)
        # a sum of Poisson counts is one: the even part from one table, the rest where there is any
        mean_e = dark_e + share * (even_e - dark_e)
        electrons[place] = _from_quantiles(_poisson_quantiles(mean_e), electrons[place].shape, rng)
    _add_hot_pixels(uneven, scene, dark_e)
    lit = np.flatnonzero(uneven > 1e-3)
    electrons.ravel()[lit] += rng.poisson(uneven.ravel()[lit]).astype(np.float32)
    np.minimum(electrons, np.float32(scene.full_well_e * scene.binning**2), out=electrons)
    read_noise_e = scene.read_noise_e * scene.binning
    electrons += _from_quantiles(read_noise_e * _NORMAL_QUANTILES, scene.shape, rng)
    electrons /= np.float32(scene.electrons_per_adu)
    electrons += np.float32(scene.bias_adu * scene.binning**2)
    np.clip(np.rint(electrons, out=electrons), 0, scene.full_scale_adu, out=electrons)
    return electrons.astype(np.uint16)


def _colours(scene: Scene) -> list[tuple[tuple[slice, slice], float]]:
    """The pixels of each colour, and what share of the light they see; binned pixels mix all four."""
    if scene.bayer is None:
        return [((slice(None), slice(None)), 1.0)]
    shares = [_SHARE_OF_COLOUR[colour] for colour in scene.bayer]
    if scene.binning > 1:
        return [((slice(None), slice(None)), float(np.mean(shares)))]
    return [((slice(n // 2, None, 2), slice(n % 2, None, 2)), shares[n]) for n in range(4)]


def _poisson_quantiles(mean: float) -> NDArray[np.float64]:
    """The counts at _QUANTILES of a Poisson distribution."""
    reach = 6 * np.sqrt(mean) + 12
    counts = np.arange(max(0, int(mean - reach)), int(mean + reach) + 1)
    return counts[np.searchsorted(pdtr(counts, mean), _QUANTILES).clip(max=counts.size - 1)].astype(float)


def _from_quantiles(
    table: NDArray[np.float64], shape: tuple[int, int], rng: np.random.Generator
) -> NDArray[np.float32]:
    """Independent deviates by inverting the distribution at 65,536 levels: ten times faster than exact
    Poisson deviates, and wrong only in tails rarer than that."""
    return table.astype(np.float32)[rng.integers(0, table.size, shape, dtype=np.uint16)]


def to_pixels(
    ra_deg: NDArray[np.float64], dec_deg: NDArray[np.float64], scene: Scene
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """0-based (column, row) of ICRS directions."""
    xi, eta = project(ra_deg, dec_deg, scene.ra_deg, scene.dec_deg)
    angle = np.radians(scene.position_angle_deg)
    scale = scene.scale_arcsec_px / 3600
    # rows rise towards the position angle; columns rise 90° clockwise of that, as the sky is seen
    row = (xi * np.sin(angle) + eta * np.cos(angle)) / scale
    column = (-xi * np.cos(angle) + eta * np.sin(angle)) / scale
    rows, columns = scene.shape
    return column + (columns - 1) / 2, row + (rows - 1) / 2


def _add_stars(mean: NDArray[np.float32], scene: Scene) -> None:
    rows, columns = scene.shape
    radius_deg = np.hypot(rows, columns) / 2 * scene.scale_arcsec_px / 3600 + 0.02
    sky = true_stars(scene.ra_deg, scene.dec_deg, radius_deg, scene.sky_seed)
    column, row = to_pixels(sky.ra_deg, sky.dec_deg, scene)
    light = electrons_per_s(sky.mag, scene) * scene.exposure_s
    # what can't reach half an electron in its brightest pixel is not drawn
    seen = light > 2.0 * max(1.0, scene.fwhm_px**2 + scene.disc_px**2) * 0.5
    for bright in (False, True):
        chosen = seen & ((light > _BRIGHT_ELECTRONS) == bright)
        half = stamp_half_px(scene.fwhm_px, scene.disc_px, bright)
        _stamp_all(
            mean,
            column[chosen],
            row[chosen],
            light[chosen].astype(np.float32),
            stamps(scene.fwhm_px, scene.disc_px, half),
            half,
        )


def _stamp_all(
    mean: NDArray[np.float32],
    column: NDArray[np.float64],
    row: NDArray[np.float64],
    light: NDArray[np.float32],
    kernel: NDArray[np.float32],
    half: int,
) -> None:
    rows, columns = mean.shape
    c0, r0 = np.rint(column).astype(int), np.rint(row).astype(int)
    near = (c0 > -half) & (c0 < columns + half) & (r0 > -half) & (r0 < rows + half)
    middle = OVERSAMPLING // 2
    j = np.rint((column - c0) * OVERSAMPLING).astype(int).clip(-middle, middle) + middle
    i = np.rint((row - r0) * OVERSAMPLING).astype(int).clip(-middle, middle) + middle
    inside = (c0 >= half) & (c0 < columns - half) & (r0 >= half) & (r0 < rows - half)
    if np.count_nonzero(inside) > _MANY_STARS and half <= _SMALL_HALF:
        _scatter(mean, c0[inside], r0[inside], light[inside], kernel, i[inside], j[inside], half)
        near &= ~inside
    for k in np.flatnonzero(near):
        top, left = r0[k] - half, c0[k] - half
        a, b = max(top, 0), min(top + 2 * half + 1, rows)
        c, d = max(left, 0), min(left + 2 * half + 1, columns)
        if a < b and c < d:
            mean[a:b, c:d] += light[k] * kernel[i[k], j[k], a - top : b - top, c - left : d - left]


def _scatter(
    mean: NDArray[np.float32],
    column: NDArray[np.int64],
    row: NDArray[np.int64],
    light: NDArray[np.float32],
    kernel: NDArray[np.float32],
    i: NDArray[np.int64],
    j: NDArray[np.int64],
    half: int,
) -> None:
    """Stamps of very many stars, one pixel of all stamps at a time."""
    flat, columns = mean.ravel(), mean.shape[1]
    corner = (row - half) * columns + column - half
    stamps_of_phase = kernel[i, j]
    for y in range(2 * half + 1):
        for x in range(2 * half + 1):
            np.add.at(flat, corner + y * columns + x, light * stamps_of_phase[:, y, x])


def _add_hot_pixels(mean: NDArray[np.float32], scene: Scene, dark_e: float) -> None:
    """Pixels that belong to the camera: always the same ones, some hundred times the usual dark current."""
    rng = generator(scene.noise_key[0], "hot pixels", *scene.shape)
    count = int(mean.size * _HOT_SHARE)
    place = rng.integers(0, mean.size, count)
    mean.ravel()[place] += (dark_e * 10 ** rng.uniform(1.5, 3.5, count)).astype(np.float32)
