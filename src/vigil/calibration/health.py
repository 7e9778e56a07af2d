"""A camera's health by its darks: dark current and hot pixels."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_HOT_SIGMA = 10.0


@dataclass(frozen=True, slots=True)
class Health:
    """`dark_e_s` is the median pixel's dark current; `hot_share` pixels that stand out by ten times the
    noise, and `hot_e_s` from which current on that is."""

    dark_e_s: float
    hot_share: float
    hot_e_s: float


def health_of(
    dark: NDArray[np.generic], zero_adu: float, electrons_per_adu: float, exposure_s: float
) -> Health:
    """Of one dark [row, column]; `zero_adu` is the level without exposure, of a bias frame. Raises ValueError
    for an exposure that is none (Janesick, Scientific Charge-Coupled Devices, 2001, 7.1)."""
    if not exposure_s > 0:
        raise ValueError(f"a dark of {exposure_s:g} s tells no dark current")
    data = np.asarray(dark, dtype=np.float32)
    middle = float(np.median(data))
    noise = max(1.4826 * float(np.median(np.abs(data - middle))), 0.5)
    hot = data > middle + _HOT_SIGMA * noise
    # the mean of what isn't hot: a median of whole ADU is too coarse for a cold camera
    level = float(data[~hot].mean())
    each = electrons_per_adu / exposure_s
    return Health(max(level - zero_adu, 0.0) * each, float(hot.mean()), _HOT_SIGMA * noise * each)
