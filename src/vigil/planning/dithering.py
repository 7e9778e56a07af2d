"""Where dithers go: beside the target by so many pixels, never twice the same."""

import math

from vigil.sky.tangent import deproject

# a sunflower's head fills a disc evenly, whatever the number of points: Vogel 1979, Math. Biosci. 44, 179
_GOLDEN_DEG = 137.50776
_HEAD = 16


def dither_offset_px(number: int, most_px: float) -> tuple[float, float]:
    """(east, north) of the dither of a number, from 1; a disc of radius `most_px` is filled by sixteen, then
    again, turned."""
    radius = most_px * math.sqrt(((number - 1) % _HEAD + 0.5) / _HEAD)
    turn = math.radians(number * _GOLDEN_DEG)
    return radius * math.sin(turn), radius * math.cos(turn)


def beside(ra_deg: float, dec_deg: float, east_arcsec: float, north_arcsec: float) -> tuple[float, float]:
    """The direction that lies beside another."""
    ra, dec = deproject(east_arcsec / 3600, north_arcsec / 3600, ra_deg, dec_deg)
    return float(ra) % 360, float(dec)
