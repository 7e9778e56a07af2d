"""Galaxies, nebulae and globular clusters as they shine: what the catalogue says of them, made into profiles.

A source is a shape of unit height over the sky, with how bright it is in starlight and in the lines of
hydrogen (656.3 nm) and doubly ionised oxygen (500.7 nm). Open clusters are their stars; dark nebulae are left
out.
"""

import zlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates
from scipy.special import expit

from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.simulator.above.light import RAYLEIGH_S_CM2_ARCSEC2
from vigil.sky.angles import separation_deg
from vigil.sky.photometry import photons_s_cm2_nm

Floats = NDArray[np.float64]
H_ALPHA_NM, O_III_NM = 656.3, 500.7
_V_WIDTH_NM = 88.0
_TEXTURE_PX = 256
_FAINTEST_MAG = 17.0
_SMALLEST_ARCMIN = 0.15
# what nebulae of unknown brightness have (those of the old lists fainter: they are large and overlap), and
# the least and most that old magnitudes are believed
_NEBULA_MAG_ARCSEC2, _LISTED_MAG_ARCSEC2 = 23.5, 25.0
_FAINT_MAG_ARCSEC2, _BRIGHT_MAG_ARCSEC2 = 23.8, 17.5
# of the light in V of each kind: starlight, hydrogen, oxygen (the lines in photons against those of V)
_SHARES = {
    "emission nebula": (0.12, 1.0, 0.3),
    "nebula": (0.12, 1.0, 0.3),
    "cluster with nebula": (0.15, 1.0, 0.4),
    "supernova remnant": (0.05, 0.9, 0.9),
    "planetary nebula": (0.05, 0.8, 1.2),
    "reflection nebula": (1.0, 0.0, 0.0),
    "galaxy": (1.0, 0.0, 0.0),
    "globular cluster": (1.0, 0.0, 0.0),
}


@dataclass(frozen=True, slots=True)
class Source:
    """`mag_arcsec2` is the brightness in V where the shape is 1; the rest are shares of it. `reach` is how
    far the shape goes, in half sizes."""

    name: str
    kind: str
    ra_deg: float
    dec_deg: float
    half_major_arcsec: float
    half_minor_arcsec: float
    position_angle_deg: float
    mag_arcsec2: float
    reach: float

    @property
    def starlight(self) -> float:
        return _SHARES[self.kind][0]

    @property
    def soft(self) -> bool:
        """Whether it has no detail as fine as a star."""
        return _profile_of(self.kind) == "cloud"

    def rayleigh(self, line_nm: float) -> float:
        """Of a line, where the shape is 1."""
        share = _SHARES[self.kind][1 if line_nm == H_ALPHA_NM else 2]
        photons = float(photons_s_cm2_nm(550.0)) * _V_WIDTH_NM * 10 ** (-0.4 * self.mag_arcsec2)
        return share * photons / RAYLEIGH_S_CM2_ARCSEC2

    def shape(self, east_arcsec: Floats, north_arcsec: Floats) -> Floats:
        """How bright it is at places beside its centre, 1 at the reference."""
        angle = np.radians(self.position_angle_deg)
        u = (east_arcsec * np.sin(angle) + north_arcsec * np.cos(angle)) / self.half_major_arcsec
        v = (-east_arcsec * np.cos(angle) + north_arcsec * np.sin(angle)) / self.half_minor_arcsec
        return _PROFILES[_profile_of(self.kind)][0](u, v, self.name)


def sources_near(ra_deg: float, dec_deg: float, radius_deg: float) -> list[Source]:
    """Those that reach into a cone."""
    sources, ra, dec, reach_deg = _all_sources()
    near = np.flatnonzero(separation_deg(ra_deg, dec_deg, ra, dec) < radius_deg + reach_deg)
    return [sources[k] for k in near]


@cache
def _all_sources() -> tuple[list[Source], Floats, Floats, Floats]:
    sources = [source for entry in all_objects() if (source := _source(entry)) is not None]
    return (
        sources,
        np.array([s.ra_deg for s in sources]),
        np.array([s.dec_deg for s in sources]),
        np.array([s.half_major_arcsec * s.reach / 3600 for s in sources]),
    )


def _source(entry: DeepSkyObject) -> Source | None:
    if entry.kind not in _SHARES or entry.major_arcmin < _SMALLEST_ARCMIN:
        return None
    if entry.kind in ("galaxy", "globular cluster") and (entry.mag is None or entry.mag > _FAINTEST_MAG):
        return None
    major = 30.0 * entry.major_arcmin
    minor = 30.0 * (entry.minor_arcmin or entry.major_arcmin)
    profile, whole = _profile_of(entry.kind), None
    if entry.mag is not None and entry.kind != "reflection nebula":  # those bear their star's
        # the magnitude is that of the profile's whole light
        whole = entry.mag + 2.5 * np.log10(major * minor * _area_of(profile))
    if profile == "cloud":
        if whole is None:
            whole = _LISTED_MAG_ARCSEC2 if entry.kind == "emission nebula" else _NEBULA_MAG_ARCSEC2
        else:
            whole = float(np.clip(whole, _BRIGHT_MAG_ARCSEC2, _FAINT_MAG_ARCSEC2))
    elif whole is None:
        whole = _NEBULA_MAG_ARCSEC2 - 2.0
    return Source(
        entry.name,
        entry.kind,
        entry.ra_deg,
        entry.dec_deg,
        major,
        minor,
        entry.position_angle_deg or 0.0,
        float(whole),
        _PROFILES[profile][1],
    )


def _profile_of(kind: str) -> str:
    if kind in ("galaxy", "globular cluster"):
        return kind
    return "shell" if kind == "planetary nebula" else "cloud"


def _galaxy(u: Floats, v: Floats, name: str) -> Floats:
    """An exponential disc that ends at the catalogue's isophote after 3.2 scale lengths, and a small
    round-off bulge."""
    r = np.hypot(u, v)
    return np.exp(-3.2 * r) + 1.5 * np.exp(-(np.sqrt((r / 0.012) ** 2 + 1) ** 0.5))


def _globular(u: Floats, v: Floats, name: str) -> Floats:
    """The light of stars too faint to be drawn: King's empirical law, 1962, AJ 67, 471, with a core of an
    eighth of the half size."""
    squared = u**2 + v**2
    edge = 1 / np.sqrt(1 + 64.0)
    return np.asarray(np.maximum(1 / np.sqrt(1 + 64 * squared) - edge, 0.0) ** 2)


def _shell(u: Floats, v: Floats, name: str) -> Floats:
    """A planetary nebula: a hollow ball seen from outside."""
    r2 = u**2 + v**2
    outer, inner = np.sqrt(np.maximum(1 - r2, 0)), np.sqrt(np.maximum(0.45 - r2, 0))
    return np.asarray(outer - 0.85 * inner)


def _cloud(u: Floats, v: Floats, name: str) -> Floats:
    """Structured noise under a soft, ragged envelope."""
    texture = texture_of(name)
    place = [(w * 0.25 + 0.5) * (_TEXTURE_PX - 1) for w in (v, u)]
    knots = map_coordinates(texture, place, order=1, mode="grid-wrap")
    rim = np.hypot(u, v) + 0.18 * knots
    return np.asarray(expit((0.8 - rim) / 0.09) * np.exp(0.75 * knots))


_PROFILES: dict[str, tuple[Callable[[Floats, Floats, str], Floats], float]] = {
    "galaxy": (_galaxy, 1.6),
    "globular cluster": (_globular, 1.0),
    "shell": (_shell, 1.0),
    "cloud": (_cloud, 1.6),
}
"""The shape of each, and how far it reaches in half sizes."""


@cache
def _area_of(profile: str) -> float:
    """Integral of a shape over (u, v): light over the product of the half sizes, by sums on a grid that is
    finer towards the centre."""
    if profile == "cloud":
        return float(np.pi)
    shape, reach = _PROFILES[profile]
    r = reach * np.linspace(0, 1, 4000) ** 3
    middle = (r[1:] + r[:-1]) / 2
    return float((shape(middle, np.zeros_like(middle), "") * np.pi * np.diff(r**2)).sum())


@lru_cache(maxsize=32)
def texture_of(name: str) -> Floats:
    """Periodic noise whose power falls as the third power of frequency, of unit variance; always the same for
    one object."""
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    frequency = np.hypot(*np.meshgrid(*[np.fft.fftfreq(_TEXTURE_PX) * _TEXTURE_PX] * 2))
    frequency[0, 0] = np.inf
    spectrum = np.fft.fft2(rng.standard_normal((_TEXTURE_PX, _TEXTURE_PX))) * frequency**-1.5
    noise = np.fft.ifft2(spectrum).real
    return np.asarray((noise - noise.mean()) / noise.std())
