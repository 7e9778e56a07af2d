"""A set of catalogue stars, as plain arrays."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats


@dataclass(frozen=True, slots=True)
class SkyStars:
    """Stars by ICRS position and magnitude; arrays of one length. `number` tells them apart for good."""

    ra_deg: Floats
    dec_deg: Floats
    mag: Floats
    number: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.ra_deg)

    def where(self, chosen: NDArray[np.bool_] | NDArray[np.intp]) -> "SkyStars":
        """The stars of a mask or of indices."""
        return SkyStars(self.ra_deg[chosen], self.dec_deg[chosen], self.mag[chosen], self.number[chosen])
