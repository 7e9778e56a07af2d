"""Angles as people write them, and angles between directions."""

import re

import numpy as np

from vigil.sky.instants import Floats


def parse_ra_deg(text: str) -> float:
    """Right ascension in degrees from "05h 16m 12s", "05:16:12", "5 16 12" (hours) or "79.05" (degrees).

    A lone number counts as degrees unless marked with h. Raises ValueError that says what was wrong.
    """
    parts = _parts(text, "right ascension", "05h 16m 12s, 05:16:12 or degrees such as 79.05")
    in_hours = len(parts) > 1 or "h" in text.lower()
    value = _sexagesimal(parts, text) * (15.0 if in_hours else 1.0)
    if text.strip().startswith(("-", "−")) or not 0 <= value < 360:
        raise ValueError(f"right ascension {text.strip()!r} is outside 0…24 h (0…360°)")
    return value


def parse_dec_deg(text: str) -> float:
    """Declination in degrees from "+34° 27′ 12″", "+34:27:12", "34 27 12" or "34.45".

    Raises ValueError that says what was wrong.
    """
    parts = _parts(text, "declination", "+34° 27′ 12″, +34:27:12 or degrees such as 34.45")
    value = _sexagesimal(parts, text)
    if text.strip().startswith(("-", "−")):
        value = -value
    if abs(value) > 90:
        raise ValueError(f"declination {text.strip()!r} is outside −90…+90°")
    return value


def parse_position_deg(text: str) -> tuple[float, float]:
    """A position "RA DEC" in one text: the sign of the declination, a comma, or the middle divides it."""
    stripped = text.strip()
    for divider in (r"^(.+?)\s*,\s*(.+)$", r"^([^+−-]+?)\s*([+−-].+)$"):
        match = re.match(divider, stripped)
        if match:
            return parse_ra_deg(match[1]), parse_dec_deg(match[2])
    words = stripped.split()
    if len(words) >= 2 and len(words) % 2 == 0:
        half = len(words) // 2
        return parse_ra_deg(" ".join(words[:half])), parse_dec_deg(" ".join(words[half:]))
    raise ValueError(
        f'{text!r} is not a position; write for example "05h 16m 12s +34° 27′" or "79.05 +34.45"'
    )


def _parts(text: str, what: str, right: str) -> list[float]:
    body = text.strip().lstrip("+-−").strip()
    pieces = [p for p in re.split(r"[\shmsd°:′″'\"]+", body, flags=re.IGNORECASE) if p]
    try:
        numbers = [float(p) for p in pieces]
    except ValueError:
        numbers = []
    if not 1 <= len(numbers) <= 3 or not np.all(np.isfinite(numbers)):
        raise ValueError(f"{text.strip()!r} is not a {what}; write {right}")
    return numbers


def _sexagesimal(parts: list[float], text: str) -> float:
    if any(p < 0 or p >= 60 for p in parts[1:]):
        raise ValueError(f"minutes and seconds in {text.strip()!r} must be from 0 to below 60")
    return float(sum(p / 60.0**i for i, p in enumerate(parts)))


def format_ra(ra_deg: float, decimals: int = 0) -> str:
    """Right ascension as "05h 16m 12s", rounded so that no field shows 60."""
    h, m, s = _split(ra_deg % 360 / 15, decimals)
    return f"{h % 24:02d}h {m:02d}m {s:0{_width(decimals)}.{decimals}f}s"


def format_dec(dec_deg: float, decimals: int = 0) -> str:
    """Declination as "+34° 27′ 12″", rounded so that no field shows 60."""
    d, m, s = _split(abs(dec_deg), decimals)
    sign = "−" if dec_deg < 0 and (d, m, s) != (0, 0, 0) else "+"
    return f"{sign}{d:02d}° {m:02d}′ {s:0{_width(decimals)}.{decimals}f}″"


def fits_sexagesimal(ra_deg: float, dec_deg: float) -> tuple[str, str]:
    """The pair in the plain ASCII form of FITS headers: "05 16 12.35", "+34 27 12.1"."""
    h, m, s = _split(ra_deg % 360 / 15, 2)
    d, dm, ds = _split(abs(dec_deg), 1)
    sign = "-" if dec_deg < 0 else "+"
    return f"{h % 24:02d} {m:02d} {s:05.2f}", f"{sign}{d:02d} {dm:02d} {ds:04.1f}"


def _width(decimals: int) -> int:
    return 2 if decimals == 0 else 3 + decimals


def _split(value: float, decimals: int) -> tuple[int, int, float]:
    unit = 10**decimals
    ticks = round(value * 3600 * unit)
    return ticks // (3600 * unit), ticks // (60 * unit) % 60, ticks % (60 * unit) / unit


def separation_deg(
    ra1_deg: float | Floats, dec1_deg: float | Floats, ra2_deg: float | Floats, dec2_deg: float | Floats
) -> Floats:
    """Angle between directions, degrees; good at all sizes (Vincenty's form on the sphere)."""
    d1, d2 = np.radians(dec1_deg), np.radians(dec2_deg)
    dra = np.radians(np.subtract(ra2_deg, ra1_deg))
    across = np.hypot(
        np.cos(d2) * np.sin(dra), np.cos(d1) * np.sin(d2) - np.sin(d1) * np.cos(d2) * np.cos(dra)
    )
    along = np.sin(d1) * np.sin(d2) + np.cos(d1) * np.cos(d2) * np.cos(dra)
    return np.asarray(np.degrees(np.arctan2(across, along)))


def position_angle_deg(ra_deg: float, dec_deg: float, to_ra_deg: float, to_dec_deg: float) -> float:
    """Of the great circle from one direction to another, north through east, 0…360."""
    d1, d2 = np.radians(dec_deg), np.radians(to_dec_deg)
    dra = np.radians(to_ra_deg - ra_deg)
    east = np.cos(d2) * np.sin(dra)
    north = np.cos(d1) * np.sin(d2) - np.sin(d1) * np.cos(d2) * np.cos(dra)
    return float(np.degrees(np.arctan2(east, north)) % 360)


def wrap_180(angle_deg: float | Floats) -> Floats:
    """The same angle in −180…180 (−180 included)."""
    return np.asarray((np.asarray(angle_deg) + 180.0) % 360.0 - 180.0)
