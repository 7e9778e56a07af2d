"""Positions as people paste them: every usual notation, of J2000 or of date."""

import re
from dataclasses import dataclass

import erfa
import numpy as np

from vigil.sky.angles import parse_dec_deg, parse_ra_deg
from vigil.sky.instants import Instants

# how a position of the moment is marked; anything else is taken as J2000, that is ICRS to 0.02″
_OF_DATE = re.compile(r"\b(?:of date|jnow|apparent|eod)\b", re.IGNORECASE)
_J2000 = re.compile(r"\b(?:j2000(?:\.0)?|icrs|fk5)\b", re.IGNORECASE)
_LABEL = re.compile(
    r"(?:right ascension|declination|\bra\b|\bdec(?:l)?\b\.?|\bde\b|α|δ)\s*[:=]?\s*", re.IGNORECASE
)
_HELP = 'write for example "05 16 12 +34 27", "5h16.2m 34°27′" or "79.05 34.45"'


@dataclass(frozen=True, slots=True)
class Spoken:
    """A position as ICRS degrees. `of_date` tells that it was given for the moment's equator and equinox."""

    ra_deg: float
    dec_deg: float
    of_date: bool


def looks_like_position(text: str) -> bool:
    """Whether a typed text may be meant as a position: it begins with a number, and has two."""
    bare = _LABEL.sub("", text.strip())
    return bool(re.match(r"[(\[]?[+\-−]?\d", bare)) and len(re.findall(r"\d+(?:\.\d+)?", bare)) >= 2


def parse_spoken(text: str, now: Instants) -> Spoken:
    """A position from a text such as "05 16 12 +34 27", "5h16.2m 34°27′", "79.05 34.45" or
    "RA 05:16:12, Dec +34:27 of date". Raises ValueError that says what was wrong."""
    of_date = _OF_DATE.search(text) is not None
    bare = _J2000.sub(" ", _OF_DATE.sub(" ", text))
    bare = _LABEL.sub(" | ", bare).strip().strip("|").strip()
    bare = re.sub(r"[()\[\]]", " ", bare)
    ra_text, dec_text = _halves(bare, text)
    ra, dec = parse_ra_deg(ra_text), parse_dec_deg(dec_text)
    if of_date:
        ra, dec = from_date(ra, dec, now)
    return Spoken(ra, dec, of_date)


def from_date(ra_deg: float, dec_deg: float, now: Instants) -> tuple[float, float]:
    """ICRS degrees of an apparent place, true equator and equinox of date (IAU 2006/2000A)."""
    origins = erfa.eo06a(now.tt1, now.tt2)
    ri = erfa.anp(np.radians(ra_deg) + origins)
    ra, dec, _ = erfa.atic13(ri, np.radians(dec_deg), now.tt1, now.tt2)
    return float(np.degrees(ra)) % 360.0, float(np.degrees(dec))


def to_date(ra_deg: float, dec_deg: float, now: Instants) -> tuple[float, float]:
    """The apparent place of ICRS degrees: the inverse of `from_date`."""
    ri, di, origins = erfa.atci13(np.radians(ra_deg), np.radians(dec_deg), 0, 0, 0, 0, now.tt1, now.tt2)
    return float(np.degrees(erfa.anp(ri - origins))), float(np.degrees(di))


def _halves(bare: str, text: str) -> tuple[str, str]:
    """Right ascension and declination of a text without labels."""
    for divider in (r"\s*\|\s*,?\s*", r"\s*[,;]\s*"):
        parts = [p.strip(" ,;") for p in re.split(divider, bare) if p.strip(" ,;")]
        # a comma may also be a decimal one: then there are more pieces than two
        if len(parts) == 2:
            return parts[0], parts[1]
    signed = re.match(r"^(.*\S)\s*([+\-−].*)$", bare)
    if signed and re.search(r"\d", signed[1]):
        return signed[1], signed[2]
    # the first degree sign, or the hours' end, divides
    marked = re.match(r"^(\s*\d[\d.\s]*h.*?)\s+(\d+(?:\.\d+)?\s*[°d].*)$", bare, re.IGNORECASE)
    if marked:
        return marked[1], marked[2]
    glued = re.match(r"^(.*?[hms])\s*(\d+(?:\.\d+)?\s*[°d].*)$", bare, re.IGNORECASE)
    if glued:
        return glued[1], glued[2]
    words = bare.split()
    if len(words) in (2, 4, 6):
        half = len(words) // 2
        return " ".join(words[:half]), " ".join(words[half:])
    if len(words) == 5:
        return " ".join(words[:3]), " ".join(words[3:])
    raise ValueError(f"{text.strip()!r} is not a position; {_HELP}")
