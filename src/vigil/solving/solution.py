"""What solving an image comes to."""

from dataclasses import dataclass

from vigil.sky.instants import Floats
from vigil.solving.wcs import Wcs

NEAR, BLIND = "near", "blind"


@dataclass(frozen=True, slots=True)
class Matches:
    """Stars of the image and of the catalogue that are the same, arrays of one length: 0-based pixel, ICRS
    degrees, magnitude, and how far the image's one is from where the WCS puts the catalogue's (pixels)."""

    column_px: Floats
    row_px: Floats
    ra_deg: Floats
    dec_deg: Floats
    mag: Floats
    dx_px: Floats
    dy_px: Floats

    def __len__(self) -> int:
        return len(self.column_px)


@dataclass(frozen=True, slots=True)
class Solution:
    """The outcome. When not solved, only `reason` and the counts mean anything.

    `method` is "near" or "blind", whichever came to this. `chance_log10` is the decimal logarithm of the
    probability that chance alone, in all that was tried, gives a fit as good as this one.
    """

    solved: bool
    reason: str
    stars_detected: int
    stars_matched: int = 0
    rms_arcsec: float = float("nan")
    rms_px: float = float("nan")
    chance_log10: float = 0.0
    wcs: Wcs | None = None
    method: str = NEAR
    matches: Matches | None = None
