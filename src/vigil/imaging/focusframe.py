"""What focusing wants of a frame: the stars that may tell of focus, discs where they are no stars any more,
how they look, and whether anything clips."""

from dataclasses import dataclass

import numpy as np
import sep
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from vigil.imaging.doughnuts import Doughnuts, doughnuts_in
from vigil.imaging.evenness import evenness
from vigil.imaging.profile import profile_of
from vigil.imaging.shapes import shapes_of
from vigil.imaging.stars import Stars, find_stars, robust_median

Floats = NDArray[np.float64]

_MOST_STARS, _PROFILE_STARS, _CUT_STARS = 250, 150, 15
_LEAST_STARS = 3
_LONG = 1.6
"""A source so much longer than the others is a nebula's edge, a galaxy or a pair."""
_PAIR_LIGHT = 0.05
_OF_MEDIAN = 0.5, 1.8
"""Sizes outside these, against the frame's, aren't those of single stars."""
_DISC_SIZE_PX = 5.0
"""Stars no smaller, or hardly any at all: they may be pieces of discs."""
_SURELY_STARS, _DISC_OVER_STARS = 12, 1.6
_SO_FEW, _LEAST_EVEN_PX = 40, 2.5
"""So few are asked one by one whether they are stars at all, unless they are too small to tell."""
_MOST_UNEVEN, _MOST_AROUND = 0.25, 0.17
"""Of a star's light: genuine ones have at most 0.18 and 0.12, pieces of overlapping discs mostly over 0.3."""
_CUT_SIDE, _DISC_CUT = 33, 1.4
_CLEAR_SNR = 30.0
"""Stars so far over their noise are asked for their size; where there are too few, fainter ones too."""


@dataclass(frozen=True, slots=True)
class Cutout:
    """The median star of a frame: its light shared out over square pixels, in shares of the whole light. One
    of them is `scale` of the sensor's (unbinned) across."""

    pixels: NDArray[np.float32]
    scale: float


@dataclass(frozen=True, slots=True)
class FocusFrame:
    """`size_px` is the stars' median half-flux radius (NaN without stars), `scatter_px` its standard error;
    x, y, sizes and lights (ADU) are those of each. `clipped` of `found` sources have a pixel at full scale,
    `brightest_adu` is the highest pixel of the others over the background. `discs` where stars are discs;
    `light` is the share of their light that gets through, where it is known without comparing frames;
    `fwhm_px` the width at half of the maximum, NaN where no profile is to be had."""

    size_px: float
    scatter_px: float
    stars: int
    elongation: float
    found: int
    clipped: int
    brightest_adu: float
    background_adu: float
    noise_adu: float
    x_px: Floats
    y_px: Floats
    sizes_px: Floats
    lights_adu: Floats
    discs: Doughnuts | None = None
    light: float | None = None
    fwhm_px: float = float("nan")
    cutout: Cutout | None = None


def focus_frame(
    image: NDArray[np.generic],
    saturation_adu: float = 65535.0,
    obstruction: float = 0.0,
    smoothing_px2: float = 0.0,
    cut_px: float = 24.0,
) -> FocusFrame:
    """Measure a frame [row, column] for focusing. `cut_px` is how far from its centre the median star is cut
    out, `obstruction` the covered share of the aperture's diameter, `smoothing_px2` the variance of a kernel
    that the image was smoothed with. Raises ValueError for what is no image."""
    stars, level, noise, data = find_stars(image, saturation_adu)
    chosen = _single_stars(stars, noise)
    if len(chosen) < _SO_FEW:
        chosen = chosen[np.array([_may_be_star(data, stars, k) for k in chosen], dtype=bool)]
    x, y, size = stars.x_px[chosen], stars.y_px[chosen], stars.hfr_px[chosen]
    aperture = stars.aperture_px[chosen]
    first = slice(_PROFILE_STARS)
    profile = profile_of(data, x[first], y[first], size[first], noise, smoothing_px2)
    if profile is not None:
        size = profile.whole_hfr_px(size, aperture)
    shapes = shapes_of(data, x, y, stars.hfr_px[chosen])
    light = np.asarray(sep.sum_circle(data, x, y, aperture)[0], dtype=float) if len(x) else np.empty(0)
    middle = robust_median(size)
    spread = 1.4826 * float(np.median(np.abs(size - middle))) if len(size) else float("nan")
    discs = _discs(image, middle, len(size), obstruction)
    return FocusFrame(
        size_px=middle,
        scatter_px=1.2533 * spread / np.sqrt(max(len(size), 1)),
        stars=len(size),
        elongation=robust_median(shapes.elongation),
        found=len(stars),
        clipped=int(np.count_nonzero(stars.saturated)),
        brightest_adu=float(stars.peak_adu[~stars.saturated].max()) if (~stars.saturated).any() else 0.0,
        background_adu=level,
        noise_adu=noise,
        x_px=x,
        y_px=y,
        sizes_px=size,
        lights_adu=light,
        discs=discs,
        fwhm_px=profile.fwhm_px if profile is not None else float("nan"),
        cutout=_median_star(data, x, y, cut_px, discs),
    )


def _single_stars(stars: Stars, noise_adu: float) -> NDArray[np.intp]:
    """Neither clipped, cut off, doubled nor of another shape, the brightest first."""
    good = np.flatnonzero(~stars.saturated & ~stars.edge)
    if not good.size:
        return good
    clear = good[_snr(stars, good, noise_adu) >= _CLEAR_SNR]
    good = clear if clear.size >= 4 * _LEAST_STARS else good[: 4 * _LEAST_STARS]
    good = good[:_MOST_STARS]
    middle = robust_median(stars.hfr_px[good])
    low, high = (share * middle for share in _OF_MEDIAN)
    usual = good[(stars.hfr_px[good] > low) & (stars.hfr_px[good] < high)]
    good = usual if usual.size >= _LEAST_STARS else good
    alone = good[~_doubled(stars, good)]
    return alone if alone.size >= _LEAST_STARS else good


def _may_be_star(data: NDArray[np.float32], stars: Stars, which: int) -> bool:
    """Not a piece of a disc."""
    size = float(stars.hfr_px[which])
    if size < _LEAST_EVEN_PX:
        return True
    row, column = round(float(stars.y_px[which])), round(float(stars.x_px[which]))
    found = evenness(data, row, column, (0.0, 1.2 * size), (1.8 * size, 2.2 * size))
    return found is None or (found.quarters < _MOST_UNEVEN and found.around < _MOST_AROUND)


def _snr(stars: Stars, which: NDArray[np.intp], noise_adu: float) -> Floats:
    """Over the noise of twice the half-flux radius."""
    area = np.pi * (2 * stars.hfr_px[which]) ** 2
    return np.asarray(stars.flux_adu[which] / (noise_adu * np.sqrt(area)))


def _doubled(stars: Stars, which: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Those with somebody in their aperture who gives more than a small share of their light."""
    places = np.stack([stars.x_px, stars.y_px], axis=1)
    reach = float(np.median(stars.aperture_px[which] + stars.hfr_px[which]))
    near = cKDTree(places).query_ball_point(places[which], reach)
    return np.array(
        [
            any(other != k and stars.flux_adu[other] > _PAIR_LIGHT * stars.flux_adu[k] for other in others)
            for k, others in zip(which, near, strict=True)
        ]
    )


def _discs(image: NDArray[np.generic], size: float, stars: int, obstruction: float) -> Doughnuts | None:
    """Where what was found are hardly stars: discs, and by far larger than those."""
    if stars >= _SURELY_STARS and size < _DISC_SIZE_PX:
        return None
    discs = doughnuts_in(image, obstruction)
    if discs is None or stars < _LEAST_STARS:
        return discs
    as_disc = size / np.sqrt((1 + obstruction**2) / 2)
    return discs if discs.radius_px > _DISC_OVER_STARS * as_disc else None


def _median_star(
    data: NDArray[np.float32], x: Floats, y: Floats, cut_px: float, discs: Doughnuts | None
) -> Cutout | None:
    if discs is not None:
        x, y = np.array([discs.x_px]), np.array([discs.y_px])
        cut_px = max(cut_px, _DISC_CUT * discs.radius_px)
    shrink = max(1, round(2 * cut_px / _CUT_SIDE))
    side = _CUT_SIDE if shrink > 1 else min(_CUT_SIDE, 2 * int(np.ceil(cut_px)) + 1)
    half = shrink * side // 2
    rows, columns = data.shape
    column, row = np.rint(x).astype(int), np.rint(y).astype(int)
    inside = (column >= half) & (column < columns - half - 1) & (row >= half) & (row < rows - half - 1)
    stamps = []
    for c, r in zip(column[inside][:_CUT_STARS], row[inside][:_CUT_STARS], strict=True):
        span = shrink * side
        stamp = data[r - half : r - half + span, c - half : c - half + span]
        if stamp.shape != (span, span):
            continue
        stamp = stamp.reshape(side, shrink, side, shrink).mean(axis=(1, 3))
        rim = np.concatenate([stamp[0], stamp[-1], stamp[:, 0], stamp[:, -1]])
        stamp = stamp - np.median(rim)
        light = float(stamp.sum())
        if light > 0:
            stamps.append(stamp / light)
    if not stamps:
        return None
    return Cutout(np.median(stamps, axis=0).astype(np.float32), float(shrink))
