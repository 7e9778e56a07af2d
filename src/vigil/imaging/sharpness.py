"""How sharp a picture of anything is: the moon, a distant tower by day, a field of stars."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_CLIPPED_SHARE = 0.98


@dataclass(frozen=True, slots=True)
class Sharpness:
    """`value` grows with sharpness; `blur` is what a run takes for a size: it is least in focus and grows
    with the distance from there as a star's size does. `scatter` is its standard error as a share, from noise
    alone. `clipped` is the share of pixels at full scale."""

    value: float
    blur: float
    scatter: float
    clipped: float


def sharpness_of(image: NDArray[np.generic], full_scale_adu: float = 65535.0) -> Sharpness:
    """Of an image [row, column]: the mean squared gradient over two pixels (Brenner et al. 1976, J.
    Histochem. Cytochem. 24, 100), without the noise's share, over the picture's own variance. Brightness and
    contrast of the subject drop out. Raises ValueError for what is no image.

    Blur of width w keeps detail up to 1/w, so that the mean squared gradient goes as 1/w² where there is
    detail of all sizes: its inverse root goes as w.
    """
    if image.ndim != 2 or min(image.shape) < 32:
        raise ValueError(
            f"an image of shape {image.shape} can't be measured: give a plane of 32 × 32 or more"
        )
    data = np.asarray(image, dtype=np.float64)
    # two by two: single hot pixels and a mosaic's pattern are no detail
    rows, columns = (side // 2 * 2 for side in data.shape)
    data = data[:rows, :columns].reshape(rows // 2, 2, columns // 2, 2).mean(axis=(1, 3))
    noise2 = _noise(data) ** 2
    across, up = data[:, 2:] - data[:, :-2], data[2:] - data[:-2]
    gradient = (float(np.mean(across**2)) + float(np.mean(up**2))) / 2 - 2 * noise2
    variance = max(float(data.var()) - noise2, 1e-9)
    value = max(gradient, 1e-6 * variance) / variance
    spread = 2 * noise2 * np.sqrt(2 / data.size) / max(gradient, 1e-9)
    return Sharpness(
        value=value,
        blur=value**-0.5,
        scatter=float(min(max(spread / 2, 0.002), 1.0)),
        clipped=float(np.mean(np.asarray(image, dtype=np.float64) >= _CLIPPED_SHARE * full_scale_adu)),
    )


def _noise(data: NDArray[np.float64]) -> float:
    """Of a pixel: the median of a difference that leaves smooth detail out (Immerkaer 1996, Comput. Vis.
    Image Underst. 64, 300)."""
    mixed = (
        data[:-2, :-2] - 2 * data[:-2, 1:-1] + data[:-2, 2:]
        - 2 * data[1:-1, :-2] + 4 * data[1:-1, 1:-1] - 2 * data[1:-1, 2:]
        + data[2:, :-2] - 2 * data[2:, 1:-1] + data[2:, 2:]
    )  # fmt: skip
    return float(1.4826 * np.median(np.abs(mixed)) / 6)
