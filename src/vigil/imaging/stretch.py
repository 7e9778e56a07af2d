"""Making faint light visible: for the eye only, it never enters a measurement."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LEVELS = 65536
_BACKGROUND_TONE = 0.14
_BLACK_SIGMAS = 2.5
_LEAST_RANGE_SIGMAS = 60.0
_WHITE_PERCENTILE = 99.9
_SAMPLED_PIXELS = 300_000


@dataclass(frozen=True, slots=True)
class Stretch:
    """Black and white point (ADU) and the softening of an asinh curve; a large one is a straight line."""

    black: float
    white: float
    softening: float

    def __post_init__(self) -> None:
        if not (self.white > self.black and self.softening > 0):
            raise ValueError(
                f"a stretch from {self.black:g} to {self.white:g} with softening {self.softening:g} is not "
                "possible: white must be above black, softening above 0"
            )

    def tone(self, adu: float | Floats) -> Floats:
        """Brightness 0…1: asinh((v − black) / softening), scaled.

        Lupton, Gunn & Szalay 1999, AJ 118, 1406.
        """
        above = np.clip(np.asarray(adu, dtype=float), self.black, self.white) - self.black
        top = np.arcsinh((self.white - self.black) / self.softening)
        return np.asarray(np.arcsinh(above / self.softening) / top)


def sample(image: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """Evenly spread pixels of an image, at most about 300,000: enough for its statistics."""
    flat = image.reshape(-1)
    # an odd step does not lock on to columns of an even width
    step = max(1, flat.size // _SAMPLED_PIXELS) | 1
    return flat[::step]


def auto_stretch(image: NDArray[np.uint16]) -> Stretch:
    """Black just under the background, the background at a dark grey, faint things well above it."""
    values = sample(image).astype(np.float32)
    middle = float(np.median(values))
    sigma = max(1.0, 1.4826 * float(np.median(np.abs(values - middle))))
    black = max(0.0, middle - _BLACK_SIGMAS * sigma)
    white = min(
        float(LEVELS - 1),
        max(float(np.percentile(values, _WHITE_PERCENTILE)), middle + _LEAST_RANGE_SIGMAS * sigma),
    )
    white = max(white, black + 1.0)
    low, high = 1e-3, 1e6
    for _ in range(60):  # the background's tone falls as the softening grows
        softening = float(np.sqrt(low * high))
        if Stretch(black, white, softening).tone(middle) > _BACKGROUND_TONE:
            low = softening
        else:
            high = softening
    return Stretch(black, white, softening)


def table(stretch: Stretch) -> NDArray[np.uint8]:
    """The tone of every level, 0…255: one look-up a pixel."""
    return np.asarray(np.rint(255 * stretch.tone(np.arange(LEVELS, dtype=float))), dtype=np.uint8)


def histogram(image: NDArray[np.uint16], low: float, high: float, bins: int) -> NDArray[np.int64]:
    """Counts of sampled pixels in equal bins from `low` to `high`."""
    return np.histogram(sample(image), bins=bins, range=(low, max(high, low + 1.0)))[0]
