"""Where a guide star stands, and how well that is known."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import correlate

Floats = NDArray[np.float64]

_ROUNDS, _SETTLED_PX, _LONGEST_STEP_PX = 12, 1e-4, 0.6
_REACH_FWHM, _LEAST_REACH_PX = 1.6, 3.0
"""How far from its centre a star's light is fitted."""
_RIM_PX = 3
_SEARCH_PX = 6.0
_LOST_SNR = 4.0
_SUB = (-0.3872983346, 0.0, 0.3872983346), (5 / 18, 8 / 18, 5 / 18)
"""A pixel's light by three points on each axis: places and weights of Gauss and Legendre."""


@dataclass(frozen=True, slots=True)
class Profile:
    """How a star's light is spread: a Moffat profile of that width at half of the maximum (across, when it is
    longer one way) and exponent, so many times as long as wide, along an angle from the columns' direction
    towards the rows'. A large `beta` is a Gaussian."""

    fwhm_px: float
    beta: float = 4.0
    elongation: float = 1.0
    angle_deg: float = 0.0

    def light(self, dx: Floats, dy: Floats) -> tuple[Floats, Floats, Floats]:
        """Per square pixel, of a star of light 1, so far from its centre; and its derivatives by the place of
        the centre (x, y)."""
        wide2 = (self.fwhm_px / 2) ** 2 / (2 ** (1 / self.beta) - 1)
        long2 = wide2 * self.elongation**2
        c, s = np.cos(np.radians(self.angle_deg)), np.sin(np.radians(self.angle_deg))
        along, across = c * dx + s * dy, -s * dx + c * dy
        base = 1 + along**2 / long2 + across**2 / wide2
        value = (self.beta - 1) / (np.pi * np.sqrt(long2 * wide2)) * base**-self.beta
        steep = 2 * self.beta * value / base
        return (
            value,
            steep * (along * c / long2 - across * s / wide2),
            steep * (along * s / long2 + across * c / wide2),
        )

    def on_pixels(self, x: float, y: float, rows: int, columns: int) -> tuple[Floats, Floats, Floats]:
        """The same summed over the pixels of a stamp [row, column], the centre at (x, y) there."""
        places, weights = np.array(_SUB[0]), np.array(_SUB[1])
        dx = (np.arange(columns) - x)[None, None, None, :] + places[None, :, None, None]
        dy = (np.arange(rows) - y)[None, None, :, None] + places[:, None, None, None]
        both = np.outer(weights, weights)
        value, by_x, by_y = (np.tensordot(both, part, 2) for part in self.light(dx, dy))
        return value, by_x, by_y


@dataclass(frozen=True, slots=True)
class Place:
    """A star's centre (column, row) in pixels of the frame with its standard error on each axis, its light
    over the background, the highest pixel over it, and the light over its own error."""

    x_px: float
    y_px: float
    error_px: float
    light_adu: float
    peak_adu: float
    background_adu: float
    snr: float


def place_of(
    image: NDArray[np.generic],
    near: tuple[float, float],
    profile: Profile,
    adu_per_electron: float = 1.0,
    search_px: float = _SEARCH_PX,
) -> Place | None:
    """The star nearest in likeness to the profile within `search_px` of a place (column, row) of an image
    [row, column]: the profile's light, centre and the background's level by maximum likelihood (weighted
    least squares, the weights by the fit itself: Mighell 2005, Mon. Not. R. Astron. Soc. 361, 861). None
    where there is none over four times its noise.

    Its error is the fit's own, which is the Cramér–Rao bound for light that is spread as the profile says.
    """
    reach, half = _fitted_px(profile), reach_px(profile, search_px)
    left, bottom = max(0, round(near[0]) - half), max(0, round(near[1]) - half)
    stamp = np.asarray(image[bottom : round(near[1]) + half + 1, left : round(near[0]) + half + 1])
    if min(stamp.shape, default=0) < 2 * _RIM_PX + 3:
        return None
    data = stamp.astype(np.float64)
    level, noise = _level(data)
    start = _likest(data - level, profile, (near[0] - left, near[1] - bottom), search_px)
    if start is None:
        return None
    fitted = _fitted(data, *start, level, noise, profile, reach, adu_per_electron)
    if (
        fitted is None
        or np.hypot(fitted.x_px + left - near[0], fitted.y_px + bottom - near[1]) > search_px + 1
    ):
        return None
    return Place(
        fitted.x_px + left,
        fitted.y_px + bottom,
        fitted.error_px,
        fitted.light_adu,
        fitted.peak_adu,
        fitted.background_adu,
        fitted.snr,
    )


def _fitted_px(profile: Profile) -> float:
    return max(_REACH_FWHM * profile.fwhm_px * profile.elongation, _LEAST_REACH_PX)


def reach_px(profile: Profile, search_px: float) -> int:
    """How far around a place `place_of` looks at the image."""
    return int(np.ceil(_fitted_px(profile) + search_px)) + _RIM_PX


def _likest(
    light: Floats, profile: Profile, near: tuple[float, float], search_px: float
) -> tuple[float, float] | None:
    """The pixel within reach that looks most like the middle of a star."""
    side = 2 * max(1, round(profile.fwhm_px)) + 1
    kernel = profile.on_pixels(side // 2, side // 2, side, side)[0]
    alike = correlate(light, kernel - kernel.mean(), mode="nearest")
    row, column = np.indices(light.shape)
    alike[np.hypot(column - near[0], row - near[1]) > search_px] = -np.inf
    row, column = np.unravel_index(int(np.argmax(alike)), alike.shape)
    return (float(column), float(row)) if np.isfinite(alike[row, column]) else None


def _fitted(
    data: Floats,
    x: float,
    y: float,
    level: float,
    noise: float,
    profile: Profile,
    reach: float,
    adu_per_electron: float,
) -> Place | None:
    """Gauss and Newton; the places are those of the stamp."""
    far = int(np.ceil(reach)) + 1
    left, bottom = max(0, round(x) - far), max(0, round(y) - far)
    data = data[bottom : round(y) + far + 1, left : round(x) + far + 1]
    x, y = x - left, y - bottom
    row, column = np.indices(data.shape)
    middle = x, y
    inside = np.hypot(column - x, row - y) <= reach + 1
    counted = data[inside]
    light = max(float((counted - level).sum()), noise)
    for _ in range(_ROUNDS):
        value, by_x, by_y = (part[inside] for part in profile.on_pixels(x, y, *data.shape))
        model = light * value + level
        weight = 1 / (noise**2 + np.maximum(light * value, 0.0) * adu_per_electron + 1e-9)
        design = np.stack([value, light * by_x, light * by_y, np.ones_like(value)])
        normal = (design * weight) @ design.T
        try:
            covariance = np.linalg.inv(normal)
        except np.linalg.LinAlgError:
            return None
        step = covariance @ ((design * weight) @ (counted - model))
        moved = float(np.hypot(step[1], step[2]))
        shorten = min(1.0, _LONGEST_STEP_PX / moved) if moved > 0 else 1.0
        light, level = light + float(step[0]), level + float(step[3])
        x, y = x + shorten * float(step[1]), y + shorten * float(step[2])
        if light <= 0 or np.hypot(x - middle[0], y - middle[1]) > reach:
            return None
        if moved < _SETTLED_PX:
            break
    snr = light / float(np.sqrt(covariance[0, 0]))
    if not snr >= _LOST_SNR:
        return None
    error = float(np.sqrt((covariance[1, 1] + covariance[2, 2]) / 2))
    return Place(x + left, y + bottom, error, light, float(counted.max() - level), level, snr)


def _level(data: Floats) -> tuple[float, float]:
    """Background and its noise, by the stamp's rim; the star's wings and neighbours hardly count."""
    rim = np.concatenate(
        [
            data[:_RIM_PX].ravel(),
            data[-_RIM_PX:].ravel(),
            data[:, :_RIM_PX].ravel(),
            data[:, -_RIM_PX:].ravel(),
        ]
    )
    level = float(np.median(rim))
    spread = 1.4826 * float(np.median(np.abs(rim - level)))
    near = rim[np.abs(rim - level) <= 3 * max(spread, 1e-9)]
    return (
        (float(near.mean()), max(float(near.std()), 1e-6)) if near.size >= 16 else (level, max(spread, 1e-6))
    )


def least_error_px(profile: Profile, light_e: float, background_e: float, read_noise_e: float) -> float:
    """The Cramér–Rao bound of one coordinate for a star of so much light in the middle of a pixel, with the
    Poisson noise of star and background (electrons a pixel) and the read noise (Winick 1986, J. Opt. Soc. Am.
    A 3, 1809): [Σ (∂p/∂x)² / σ²]^(−1/2)."""
    side = 2 * int(np.ceil(6 * profile.fwhm_px * profile.elongation)) + 1
    value, by_x, by_y = profile.on_pixels(side // 2, side // 2, side, side)
    variance = light_e * value + background_e + read_noise_e**2
    informed = [float(((light_e * slope) ** 2 / variance).sum()) for slope in (by_x, by_y)]
    return float(np.sqrt(np.mean([1 / i for i in informed])))
