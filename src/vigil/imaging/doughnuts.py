"""How large stars are that are far out of focus: discs, or with an obstruction rings, that an ordinary
detection breaks into false stars.

Large ones tell their size by their rims. For the others discs of many sizes are laid over the frame (a
matched filter for each); the size at which something stands out most is that of the stars. Around the
brightest of them the light inside growing circles tells it exactly.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft2, next_fast_len, rfft2
from scipy.ndimage import maximum_filter, median_filter

from vigil.imaging.evenness import evenness
from vigil.imaging.rims import Rims, rims_in
from vigil.sky.instants import Floats

_LARGEST_SIDE = 640
_GROWTH = 1.15
_LEAST_RADIUS_PX = 2.0
_MOST_SHARE = 0.22
"""Of the frame's shorter side: larger discs are not told from its background."""
_LEAST_SNR = 40.0
"""Of the disc's whole light: so far out of focus that discs overlap and leave the frame, what is left of the
sky's unevenness answers to some size too, with up to 36."""
_MOST_STARS = 8
_LEAST_FILLED = 0.5
"""Of the disc that answers best: light in less than this of it is a speck."""
_MOST_UNLIKE = 0.16
"""Of a disc's light: between its quarters, and in the ring just outside it. Genuine ones have mostly less
than 0.1, what overlapping discs and the sky answer mostly more than 0.2."""
_LEAST_EVEN_PX = 4.0
"""Smaller ones have too few pixels to tell a disc by."""
_RIM_ERROR = 0.03
"""Of a radius by rims, as a share."""
_NEIGHBOUR_SHARE = 0.25
"""How bright others must be beside the brightest one to be asked too."""


@dataclass(frozen=True, slots=True)
class Doughnuts:
    """Outer radius of the discs in unbinned pixels, its scatter from star to star, how many stars were
    asked, how clearly the best one stands out (signal to noise; pieces of rim that agree), and where (column,
    row)."""

    radius_px: float
    scatter_px: float
    stars: int
    snr: float
    x_px: float = 0.0
    y_px: float = 0.0


def doughnuts_in(image: NDArray[np.generic], obstruction: float = 0.0) -> Doughnuts | None:
    """The size of a frame's stars; `obstruction` is the share of the aperture's diameter that is covered.
    None where nothing stands out.

    A disc's radius follows from the circle that holds half of its light: r = HFR · √(2 / (1 + ε²)).
    """
    binning = max(1, int(np.ceil(max(image.shape) / _LARGEST_SIDE)))
    frame = _flattened(_binned(np.asarray(image, dtype=np.float32), binning))
    noise = _noise(frame)
    if not noise > 0:
        return None
    rims = rims_in(frame, noise)
    if rims is not None:
        place = (binning * at + (binning - 1) / 2 for at in _brightest(frame, rims))
        radius_px = rims.radius_px * binning
        return Doughnuts(radius_px, _RIM_ERROR * radius_px, len(rims.centres_px), rims.votes, *place)
    found = max(_looks(frame, noise, obstruction), key=lambda look: look[0], default=None)
    if found is None or found[0] < _LEAST_SNR:
        return None
    snr, radius, response = found
    tried = [(_radius(frame, y, x, radius, obstruction), y, x) for y, x in _peaks(response, radius)]
    measured = [(r, y, x) for r, y, x in tried if r]
    discs = [(r, y, x) for r, y, x in measured if _is_disc(frame, y, x, r, obstruction)]
    if not discs or 2 * len(discs) < len(measured):
        return None
    radii = [r for r, _, _ in discs]
    # a binned pixel's centre lies between those it was made of
    row, column = (binning * place + (binning - 1) / 2 for place in discs[0][1:])
    middle = float(np.median(radii))
    scatter = 1.4826 * float(np.median(np.abs(np.array(radii) - middle)))
    return Doughnuts(middle * binning, scatter * binning, len(radii), float(snr), column, row)


def _brightest(frame: Floats, rims: Rims) -> tuple[float, float]:
    """The centre of the brightest disc, of those that lie in the frame with their middle."""
    reach = max(1, int(rims.radius_px / 2))

    def light(centre: tuple[float, float]) -> float:
        column, row = (round(at) for at in centre)
        stamp = frame[max(row - reach, 0) : row + reach + 1, max(column - reach, 0) : column + reach + 1]
        return float(stamp.mean()) if stamp.shape == (2 * reach + 1, 2 * reach + 1) else -np.inf

    return max(rims.centres_px, key=light)


def _binned(image: Floats, binning: int) -> Floats:
    rows, columns = (side // binning * binning for side in image.shape)
    cut = image[:rows, :columns].reshape(rows // binning, binning, columns // binning, binning)
    return np.asarray(cut.mean(axis=(1, 3)))


def _flattened(frame: Floats) -> Floats:
    """Without hot pixels, and without a background that is wider than any disc."""
    around = median_filter(frame, 5)
    # what stands out of its own surroundings by more than light through air can is no light
    spike = frame - around > np.maximum(8 * _noise(frame), 0.75 * (frame - np.median(frame)))
    clean = np.where(spike, around, frame)
    y, x = np.mgrid[-1 : 1 : frame.shape[0] * 1j, -1 : 1 : frame.shape[1] * 1j]
    terms = np.stack([np.ones_like(x), x, y, x**2, x * y, y**2], axis=-1)
    design = terms[::4, ::4].reshape(-1, 6)
    values = clean[::4, ::4].ravel()
    kept = np.ones(values.size, dtype=bool)
    for _ in range(3):
        plane = np.linalg.lstsq(design[kept], values[kept], rcond=None)[0]
        off = values - design @ plane
        kept = off < 2.5 * 1.4826 * np.median(np.abs(off[kept]))
    return np.asarray(clean - terms @ plane, dtype=np.float32)


def _noise(frame: Floats) -> float:
    """Of a pixel, from neighbours' differences: wide light doesn't count."""
    differences = np.diff(frame, axis=1)
    return float(1.4826 * np.median(np.abs(differences - np.median(differences))) / np.sqrt(2))


def _looks(frame: Floats, noise: float, obstruction: float) -> Iterator[tuple[float, float, Floats]]:
    """For each radius: how clearly the best place stands out, the radius, and every place's response."""
    shape = tuple(next_fast_len(side, real=True) for side in frame.shape)
    spectrum = rfft2(frame, shape)
    y = np.fft.fftfreq(shape[0], 1 / shape[0])[:, None]
    x = np.fft.fftfreq(shape[1], 1 / shape[1])[None, :]
    away = np.hypot(y, x)
    radius = _LEAST_RADIUS_PX
    while radius <= _MOST_SHARE * min(frame.shape):
        # edges of one pixel's softness, so that small discs are round
        disc = np.clip(radius - away + 0.5, 0, 1) - np.clip(obstruction * radius - away + 0.5, 0, 1)
        response = irfft2(spectrum * rfft2(disc, shape), shape)[: frame.shape[0], : frame.shape[1]]
        response /= noise * np.sqrt(float((disc**2).sum()))
        margin = int(np.ceil(radius))
        inner = response[margin:-margin, margin:-margin]
        yield float(inner.max()), radius, response
        radius *= _GROWTH


def _peaks(response: Floats, radius: float) -> list[tuple[int, int]]:
    """The places of the brightest stars, a diameter apart from each other and from the edges."""
    reach = int(np.ceil(2.2 * radius))
    tops = (maximum_filter(response, 2 * reach + 1) == response) & (response > 0)
    margin = int(np.ceil(1.6 * radius))
    tops[:margin], tops[-margin:], tops[:, :margin], tops[:, -margin:] = False, False, False, False
    y, x = np.nonzero(tops)
    order = np.argsort(-response[y, x])[:_MOST_STARS]
    bright = [
        k for k in order if response[y[k], x[k]] >= _NEIGHBOUR_SHARE * response[y[order[0]], x[order[0]]]
    ]
    return [(int(y[k]), int(x[k])) for k in bright]


def _radius(frame: Floats, y: int, x: int, radius: float, obstruction: float) -> float | None:
    """By the circle that holds half of the light, around the light's own centre."""
    reach = int(np.ceil(1.6 * radius)) + 1
    stamp = frame[y - reach : y + reach + 1, x - reach : x + reach + 1]
    if stamp.shape != (2 * reach + 1, 2 * reach + 1):
        return None
    dy, dx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    rim = np.hypot(dy, dx) > 1.35 * radius
    light = stamp - np.median(stamp[rim])
    inside = np.hypot(dy, dx) <= 1.3 * radius
    total = float(light[inside].sum())
    if not total > 0:
        return None
    off_y, off_x = (float((light * d)[inside].sum()) / total for d in (dy, dx))
    away = np.hypot(dy - off_y, dx - off_x).ravel()
    order = np.argsort(away)
    within = np.cumsum(light.ravel()[order])
    end = int(np.searchsorted(away[order], 1.3 * radius))
    if end < 2:  # the light's middle is outside: no disc
        return None
    half = int(np.argmax(within[:end] >= within[end - 1] / 2))
    found = float(away[order][half] * np.sqrt(2 / (1 + obstruction**2)))
    return found if found > _LEAST_FILLED * radius else None


def _is_disc(frame: Floats, y: int, x: int, radius: float, obstruction: float) -> bool:
    """Not a crowd of stars or a piece of sky."""
    if radius < _LEAST_EVEN_PX:
        return True
    found = evenness(
        frame, y, x, (1.15 * obstruction * radius, 0.85 * radius), (1.15 * radius, 1.35 * radius)
    )
    return found is not None and max(found.quarters, found.around) < _MOST_UNLIKE
