"""What a picture's header says about where it looks."""

from typing import Any

from vigil.optics.train import image_scale_arcsec_px
from vigil.sky.angles import parse_dec_deg, parse_ra_deg

_SCALE_TOLERANCE = 0.2


class NoHint(ValueError):
    """Neither the call nor the header says where to look or how large the image is."""


def header_position(header: dict[str, Any]) -> tuple[float, float]:
    """ICRS degrees from RA and DEC, numbers in degrees or sexagesimal text. Raises NoHint."""
    try:
        ra, dec = header["RA"], header["DEC"]
        if isinstance(ra, str) or isinstance(dec, str):
            return parse_ra_deg(str(ra)), parse_dec_deg(str(dec))
        if not (0 <= ra <= 360 and -90 <= dec <= 90):
            raise ValueError(f"RA {ra}, DEC {dec} are not degrees on the sky")
        return float(ra), float(dec)
    except KeyError as missing:
        raise NoHint(f'the header has no {missing.args[0]}: say where to look with --near "RA DEC"') from None
    except ValueError as problem:
        raise NoHint(f'{problem}: say where to look with --near "RA DEC"') from None


def header_scale(header: dict[str, Any]) -> tuple[float, float]:
    """Scale limits from FOCALLEN, XPIXSZ (unbinned) and XBINNING. Raises NoHint."""
    try:
        focal_length_mm, pixel_um = float(header["FOCALLEN"]), float(header["XPIXSZ"])
        binning = int(header.get("XBINNING", 1))
        if not (focal_length_mm > 0 and pixel_um > 0 and binning > 0):
            raise ValueError("FOCALLEN, XPIXSZ and XBINNING must be above 0")
    except KeyError as missing:
        raise NoHint(f"the header has no {missing.args[0]}: give the scale with --scale MIN..MAX") from None
    except (ValueError, TypeError) as problem:
        raise NoHint(f"the header's scale can't be used ({problem}): give --scale MIN..MAX") from None
    scale = image_scale_arcsec_px(focal_length_mm, pixel_um, binning)
    return scale / (1 + _SCALE_TOLERANCE), scale * (1 + _SCALE_TOLERANCE)
