"""What a chart draws besides stars and objects: constellations, Milky Way, the bright stars with their
names."""

import csv
import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np

from vigil.sky.stars import SkyStars

Line = tuple[np.ndarray, np.ndarray]
"""Right ascensions and declinations of a polyline, degrees."""

_FAINTEST_FIRST = "ol1", "ol2", "ol3", "ol4", "ol5"
# points of a polyline are at most this far apart, so that it bends as great circles and parallels do
_LONGEST_DEG = 2.0


@dataclass(frozen=True, slots=True)
class Constellation:
    """Its figure, its borders, and where its name stands."""

    short: str
    name: str
    lines: tuple[Line, ...]
    bounds: tuple[Line, ...]
    ra_deg: float
    dec_deg: float


@dataclass(frozen=True, slots=True)
class BrightStars:
    """The stars to magnitude 6.5, with names where they have any, else their designation."""

    stars: SkyStars
    names: tuple[str, ...]
    designations: tuple[str, ...]


@cache
def constellations() -> tuple[Constellation, ...]:
    """All 88."""
    lines, bounds, names = (_read(f"constellation-{what}.json") for what in ("lines", "bounds", "names"))
    made = []
    for short, name in names.items():
        figure = tuple(_polyline(points) for points in lines.get(short, []))
        borders = tuple(_polyline(points) for points in bounds.get(short, []))
        ra, dec = _middle(figure or borders)
        made.append(Constellation(short, name, figure, borders, ra, dec))
    return tuple(made)


@cache
def milky_way() -> tuple[tuple[Line, ...], ...]:
    """Levels from the faintest up, each of closed rings: what an odd number of them encloses belongs to
    it."""
    shapes = _read("milky-way.json")
    return tuple(
        tuple(
            (np.array(ring)[:, 0] % 360, np.array(ring)[:, 1])
            for polygon in shapes.get(key, [])
            for ring in polygon
            if len(ring) > 3
        )
        for key in _FAINTEST_FIRST
    )


@cache
def bright_stars() -> BrightStars:
    """Names are read once."""
    rows = list(csv.DictReader(_text("bright-stars.csv").splitlines()))
    stars = SkyStars(
        np.array([float(r["ra_deg"]) for r in rows]),
        np.array([float(r["dec_deg"]) for r in rows]),
        np.array([float(r["hp_mag"]) for r in rows]),
        np.arange(len(rows)),
    )
    return BrightStars(
        stars,
        tuple(r["name"] for r in rows),
        tuple(f"{r['designation']} {r['constellation']}".strip() if r["designation"] else "" for r in rows),
    )


def _text(name: str) -> str:
    return (files("vigil") / "data" / name).read_text(encoding="utf-8")


def _read(name: str) -> Any:
    return json.loads(_text(name))


def _polyline(points: list[list[float]]) -> Line:
    """Long legs are divided evenly in both coordinates: borders run along parallels and hour circles."""
    corner = np.array(points, dtype=float)
    ra = np.degrees(np.unwrap(np.radians(corner[:, 0])))
    parts_ra, parts_dec = [], []
    for k in range(len(corner) - 1):
        reach = max(abs(ra[k + 1] - ra[k]), abs(corner[k + 1, 1] - corner[k, 1]))
        steps = np.linspace(0, 1, max(2, int(np.ceil(reach / _LONGEST_DEG)) + 1))[:-1]
        parts_ra.append(ra[k] + steps * (ra[k + 1] - ra[k]))
        parts_dec.append(corner[k, 1] + steps * (corner[k + 1, 1] - corner[k, 1]))
    parts_ra.append(ra[-1:])
    parts_dec.append(corner[-1:, 1])
    return np.concatenate(parts_ra) % 360, np.concatenate(parts_dec)


def _middle(lines: tuple[Line, ...]) -> tuple[float, float]:
    ra, dec = (np.radians(np.concatenate([line[k] for line in lines])) for k in (0, 1))
    x, y, z = (np.cos(dec) * np.cos(ra)).mean(), (np.cos(dec) * np.sin(ra)).mean(), np.sin(dec).mean()
    return float(np.degrees(np.arctan2(y, x)) % 360), float(np.degrees(np.arctan2(z, np.hypot(x, y))))
