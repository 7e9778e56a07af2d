"""What a polar error does to frames: stars drift unguided, and the field turns about the one held."""

import math
from dataclasses import dataclass

_SIDEREAL_RAD_S = math.radians(15.041067 / 3600)
_GOOD_PX = 1.0
_CLOSEST_COS = 0.02


@dataclass(frozen=True, slots=True)
class Effect:
    """In pixels over one exposure, at worst: without guiding, and at the frame's corners while a star in its
    middle is held."""

    drift_px: float
    corner_px: float

    @property
    def good_guided(self) -> bool:
        return self.corner_px <= _GOOD_PX

    @property
    def good_unguided(self) -> bool:
        return self.drift_px <= _GOOD_PX and self.good_guided


def effect_of(
    error_arcmin: float, exposure_s: float, dec_deg: float, scale_arcsec_px: float, shape: tuple[int, int]
) -> Effect:
    """An axis off by e lets stars drift by ω e t at most, and the field turn by ω e t / cos δ (Hook 1989,
    J. Brit. Astron. Assoc. 99, 19). `shape` is rows and columns."""
    turned_rad = _SIDEREAL_RAD_S * exposure_s * math.radians(error_arcmin / 60)
    drift_px = math.degrees(turned_rad) * 3600 / scale_arcsec_px
    cos = max(math.cos(math.radians(dec_deg)), _CLOSEST_COS)
    return Effect(drift_px, turned_rad / cos * math.hypot(*shape) / 2)
