"""One star looked at closely, in focus or far out of it, for focusing by eye and hand."""

from dataclasses import dataclass

import numpy as np
import sep
from numpy.typing import NDArray

from vigil.imaging.focusframe import focus_frame

Floats = NDArray[np.float64]

_ROUNDS = 6
_APERTURE_SIZES, _LEAST_APERTURE_PX, _RIM_SHARE = 3.5, 6.0, 1.25
_CUT_SIDE = 65
_PROFILE_STEPS = 24
_DISC_SIZE_PX = 5.0
"""What is smaller is a star, though it may be alone."""


@dataclass(frozen=True, slots=True)
class OneStar:
    """Place (column, row) and half-flux radius in pixels of the frame; `disc` where it is one. `peak_adu` is
    over the background, `clipped` says that a pixel is at full scale. `profile` is the mean brightness from
    the centre outwards to `profile_px`, in shares of the peak; `cutout` the star with what is around it, one
    of its pixels `cut_scale` of the frame's across."""

    x_px: float
    y_px: float
    size_px: float
    disc: bool
    peak_adu: float
    background_adu: float
    clipped: bool
    profile: tuple[float, ...] = ()
    profile_px: float = 0.0
    cutout: NDArray[np.float32] | None = None
    cut_scale: float = 1.0


def one_star(
    image: NDArray[np.generic],
    saturation_adu: float,
    obstruction: float = 0.0,
    near: tuple[float, float] | None = None,
    reach_px: float = 80.0,
) -> OneStar | None:
    """The brightest star that doesn't clip, or the one nearest to a place (column, row) within reach. None
    where there is none. Raises ValueError for what is no image."""
    found = _place(image, saturation_adu, obstruction, near, reach_px)
    if found is None:
        return None
    x, y, guess, disc = found
    data = np.asarray(image, dtype=np.float64)
    for _ in range(_ROUNDS):
        stamp, left, bottom = _around(data, x, y, _aperture(guess) * _RIM_SHARE)
        measured = _measured(stamp, x - left, y - bottom, _aperture(guess))
        if measured is None:
            return None
        new_x, new_y, size, background = measured
        moved = np.hypot(new_x + left - x, new_y + bottom - y)
        x, y = new_x + left, new_y + bottom
        settled, guess = abs(size - guess) < 0.01 * size and moved < 0.05, size
        if settled:
            break
    stamp, left, bottom = _around(data, x, y, _aperture(guess))
    profile = _profile(stamp - background, x - left, y - bottom, _aperture(guess))
    cutout, scale = _cutout(data, x, y, _aperture(guess), background)
    return OneStar(
        x_px=float(x),
        y_px=float(y),
        size_px=float(guess),
        disc=disc,
        peak_adu=float(stamp.max() - background),
        background_adu=float(background),
        clipped=bool(stamp.max() >= saturation_adu),
        profile=tuple(round(float(v), 4) for v in profile),
        profile_px=float(_aperture(guess)),
        cutout=cutout,
        cut_scale=scale,
    )


def _place(
    image: NDArray[np.generic],
    saturation_adu: float,
    obstruction: float,
    near: tuple[float, float] | None,
    reach_px: float,
) -> tuple[float, float, float, bool] | None:
    """Where a star is, about how large, and whether it is a disc."""
    rows, columns = image.shape
    left = bottom = 0
    if near is not None:
        half = int(max(2 * reach_px, 64))
        left = int(np.clip(near[0] - half, 0, max(0, columns - 2 * half)))
        bottom = int(np.clip(near[1] - half, 0, max(0, rows - 2 * half)))
        image = image[bottom : bottom + 2 * half, left : left + 2 * half]
    frame = focus_frame(image, saturation_adu, obstruction)
    small = bool(frame.stars) and frame.size_px < _DISC_SIZE_PX
    if frame.discs is not None and not small:
        size = frame.discs.radius_px * np.sqrt((1 + obstruction**2) / 2)
        return frame.discs.x_px + left, frame.discs.y_px + bottom, float(size), True
    if not frame.stars:
        return None
    x, y = frame.x_px + left, frame.y_px + bottom
    if near is None:
        return float(x[0]), float(y[0]), float(frame.sizes_px[0]), False
    away = np.hypot(x - near[0], y - near[1])
    nearest = int(np.argmin(away))
    if away[nearest] > reach_px:
        return None
    return float(x[nearest]), float(y[nearest]), float(frame.sizes_px[nearest]), False


def _aperture(size: float) -> float:
    return max(_APERTURE_SIZES * size, _LEAST_APERTURE_PX)


def _around(data: Floats, x: float, y: float, reach: float) -> tuple[Floats, int, int]:
    """A square around a place, as much of it as is on the frame, with its left and bottom pixel."""
    half = int(np.ceil(reach))
    left, bottom = max(0, round(x) - half), max(0, round(y) - half)
    return data[bottom : round(y) + half + 1, left : round(x) + half + 1], left, bottom


def _measured(stamp: Floats, x: float, y: float, aperture: float) -> tuple[float, float, float, float] | None:
    """The light's centre, the radius of half of it and the background, around a first guess of the centre."""
    if stamp.size < 25:
        return None
    dy, dx = np.indices(stamp.shape)
    away = np.hypot(dx - x, dy - y)
    rim = stamp[away > aperture]
    background = float(np.median(rim if rim.size >= 16 else stamp))
    inside = away <= aperture
    light = np.where(inside, stamp - background, 0.0)
    total = float(light.sum())
    if not total > 0:
        return None
    x, y = float((light * dx).sum() / total), float((light * dy).sum() / total)
    # parts of pixels, so that a star of two pixels has a size
    radius, _ = sep.flux_radius(np.ascontiguousarray(stamp - background), [x], [y], [aperture], 0.5, subpix=9)
    return x, y, max(float(radius[0]), 0.3), background


def _profile(light: Floats, x: float, y: float, reach: float) -> Floats:
    """Mean brightness in rings."""
    dy, dx = np.indices(light.shape)
    ring = (np.hypot(dx - x, dy - y) / reach * _PROFILE_STEPS).astype(int).ravel()
    inside = ring < _PROFILE_STEPS
    total = np.bincount(ring[inside], light.ravel()[inside], _PROFILE_STEPS)
    count = np.bincount(ring[inside], minlength=_PROFILE_STEPS)
    filled = count > 0
    means = np.interp(np.arange(_PROFILE_STEPS), np.flatnonzero(filled), total[filled] / count[filled])
    return np.asarray(means / max(float(light.max()), 1e-9))


def _cutout(
    data: Floats, x: float, y: float, reach: float, background: float
) -> tuple[NDArray[np.float32], float]:
    """In shares of the brightest pixel; what lies outside the frame is 0."""
    shrink = max(1, int(np.ceil(2 * reach / _CUT_SIDE)))
    cells = _CUT_SIDE if shrink > 1 else min(_CUT_SIDE, 2 * int(np.ceil(reach)) + 1)
    side = shrink * cells
    stamp = np.zeros((side, side))
    left, bottom = round(x) - side // 2, round(y) - side // 2
    part = data[max(0, bottom) : bottom + side, max(0, left) : left + side] - background
    top, start = max(0, -bottom), max(0, -left)
    stamp[top : top + part.shape[0], start : start + part.shape[1]] = part
    stamp = stamp.reshape(cells, shrink, cells, shrink).mean(axis=(1, 3))
    return np.clip(stamp / max(float(stamp.max()), 1e-9), 0, 1).astype(np.float32), float(shrink)
