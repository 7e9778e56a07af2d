"""Halved copies of an image for looking at it from afar: every pixel counts, so that no star vanishes."""

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.uint16]


def halve(image: Plane) -> Plane:
    """The mean of each 2 × 2 pixels, rounded down; an odd last row or column is left out.

    Pairs of neighbours in a row are added as the halves of 32-bit words, several times faster than
    taking every second column.
    """
    rows, columns = image.shape[0] // 2 * 2, image.shape[1] // 2 * 2
    even = np.ascontiguousarray(image[:rows, :columns])
    words = even.view(np.uint32)
    pairs = (words & np.uint32(0xFFFF)) + (words >> np.uint32(16))
    return ((pairs[0::2] + pairs[1::2]) >> np.uint32(2)).astype(np.uint16)


class Pyramid:
    """An image and its halvings, made when first asked for."""

    def __init__(self, image: Plane) -> None:
        if image.dtype != np.uint16 or image.ndim != 2 or image.size == 0:
            raise ValueError(f"a pyramid needs a plane of uint16, not {image.dtype} of shape {image.shape}")
        self._levels = [image]

    @property
    def image(self) -> Plane:
        return self._levels[0]

    def level(self, halvings: int) -> Plane:
        """The image halved so many times, as far as it goes."""
        while len(self._levels) <= halvings and min(self._levels[-1].shape) >= 2:
            self._levels.append(halve(self._levels[-1]))
        return self._levels[min(halvings, len(self._levels) - 1)]

    def halvings_for(self, screen_px_per_px: float) -> int:
        """How often to halve so that there is still at least one pixel for each of the screen's."""
        most = int(np.log2(min(self.image.shape)))
        return int(np.clip(np.floor(-np.log2(screen_px_per_px)), 0, most)) if screen_px_per_px < 1 else 0
