"""Images at a whole share of their size."""

import numpy as np
from numpy.typing import NDArray


def shrunk(image: NDArray[np.generic], times: int) -> NDArray[np.float32]:
    """Means of `times` × `times` pixels of an image [row, column]; what is left over at the far edges is cut.

    Pixels that aren't finite stay so: their whole square isn't either. Raises ValueError for an image smaller
    than one square.
    """
    rows, columns = (side // times for side in image.shape)
    if rows == 0 or columns == 0:
        raise ValueError(f"an image of {image.shape} can't be shrunk {times} times")
    cut = image[: rows * times, : columns * times].reshape(rows, times, columns, times)
    return np.asarray(cut.mean(axis=(1, 3), dtype=np.float32))
