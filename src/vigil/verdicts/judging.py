"""Which lights to keep: their figures against their own night's and their project's."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from vigil.verdicts.robust import course, level, spread

Floats = NDArray[np.float64]
# stars grow with the air mass to this power (Roddier 1981, Progress in Optics 19, 281)
_SEEING_POWER = 0.6
# what the atmosphere takes of stars for each air mass, and how many fewer are seen for a magnitude less
_STARS_AIR_MASS, _FLUX_AIR_MASS = 0.12, 0.18
# stars over a flux grow about so (log-log), and the flux that is found with noise and width
_COUNT_SLOPE = 0.7
# scatters between frames that nobody minds: of sizes, star counts, light and background (logs), elongation
_SIZE, _STARS, _FLUX, _SKY, _LONG = 0.03, 0.05, 0.03, 0.015, 0.02
_GUIDE = 0.12
_FAR = 4.0
"""Standard deviations from what is expected that a fault has at least, beside its limit."""
_TOGETHER = 5.0
"""Of several figures that are each somewhat off, taken together."""
_TRAIL_SIGMA = 9.0
_HOPELESS_SIZE, _HOPELESS_STARS, _HOPELESS_LONG = 1.7, 0.35, 0.6
_FEWEST = 4
"""Frames that say what is usual."""


class Standing(StrEnum):
    """A light's verdict."""

    KEPT = "kept"
    DOUBTFUL = "doubtful"
    REJECTED = "rejected"


@dataclass(frozen=True, slots=True)
class Lights:
    """Lights of one project through one filter with one exposure, a value each; NaN where one is not known.
    `stars` 0 is none found, `night` tells nights apart, `at_s` are POSIX seconds, `size_px` FWHM or HFR,
    `elongation` the ratio of a star's axes, `flux_adu` that of the bright stars, `noise_adu` that
    between pixels of the sky, `trail_sigma` how far a straight trail stands out."""

    night: NDArray[np.int64]
    at_s: Floats
    size_px: Floats
    stars: Floats
    flux_adu: Floats
    noise_adu: Floats
    elongation: Floats
    background_adu: Floats
    guide_rms_arcsec: Floats
    air_mass: Floats
    trail_sigma: Floats

    def __len__(self) -> int:
        return len(self.at_s)


@dataclass(frozen=True, slots=True)
class Limits:
    """As `documents.project.VerdictLimits`; NaN asks nothing (of `guide_arcsec`: half again the usual)."""

    grown: float = 0.30
    fewer: float = 0.30
    longer: float = 0.12
    brighter: float = 0.25
    guide_arcsec: float = float("nan")
    trails: bool = True


@dataclass(frozen=True, slots=True)
class Judged:
    """A verdict, with the reason in words; empty for one that is kept."""

    standing: Standing
    because: str = ""


def judge(lights: Lights, limits: Limits = Limits()) -> list[Judged]:
    """A verdict for each light.

    Sizes are brought to the zenith, star counts to one air mass; then each figure is held against its own
    night's level, which a few bad frames don't move, and that against the project's. A frame is doubtful
    where a figure is over its limit and far outside of its usual scatter, or several are somewhat off
    together; rejected where nothing could be made of it.
    """
    count = len(lights)
    if not count:
        return []
    air = np.where(np.isfinite(lights.air_mass), lights.air_mass, 1.2)
    none = lights.stars <= 0
    with np.errstate(divide="ignore", invalid="ignore"):
        noise = np.log(np.where(lights.noise_adu > 0, lights.noise_adu, np.nan))
        size = np.log(np.where(none, np.nan, lights.size_px)) - _SEEING_POWER * np.log(air)
        # a moonlit sky and wide stars hide faint ones: that is no cloud
        hidden = _COUNT_SLOPE * (np.nan_to_num(noise) + np.nan_to_num(np.log(lights.size_px)))
        stars = np.log(np.where(none, np.nan, lights.stars)) + _STARS_AIR_MASS * (air - 1) + hidden
        flux = np.log(np.where(lights.flux_adu > 0, lights.flux_adu, np.nan)) + _FLUX_AIR_MASS * (air - 1)
        sky = np.log(np.where(lights.background_adu > 0, lights.background_adu, np.nan))
        guide = np.log(np.where(lights.guide_rms_arcsec > 0, lights.guide_rms_arcsec, np.nan))
    size_off, size_z = _against(size, lights.night, 0.35, _SIZE)
    stars_off, stars_z = _against(stars, lights.night, 0.65, _STARS)
    flux_off, flux_z = _against(flux, lights.night, 0.65, _FLUX)
    long_off, long_z = _against(lights.elongation, lights.night, 0.35, _LONG)
    guide_off, guide_z = _against(guide, lights.night, 0.4, _GUIDE)
    sky_off, sky_z = _sky_against(sky, lights)
    said: list[list[str]] = [[] for _ in range(count)]
    worse = np.zeros(count, dtype=bool)

    def say(where: NDArray[np.bool_], words: str, numbers: Floats) -> None:
        for k in np.flatnonzero(where):
            said[k].append(words.format(float(numbers[k])))

    for k in np.flatnonzero(none):
        said[k].append("no stars")
    worse |= none
    grown = 100 * (np.exp(size_off) - 1)
    say((size_z > _FAR) & (grown > 100 * limits.grown), "stars {:.0f} % larger than usual", grown)
    worse |= (size_z > _FAR) & (np.exp(size_off) > _HOPELESS_SIZE)
    fewer = 100 * (1 - np.exp(stars_off))
    say((stars_z < -_FAR) & (fewer > 100 * limits.fewer), "{:.0f} % of the stars are missing", fewer)
    worse |= (stars_z < -_FAR) & (np.exp(stars_off) < _HOPELESS_STARS)
    dimmer = 100 * (1 - np.exp(flux_off))
    say((flux_z < -_FAR) & (dimmer > 100 * limits.fewer), "{:.0f} % of the light is missing", dimmer)
    worse |= (flux_z < -_FAR) & (np.exp(flux_off) < _HOPELESS_STARS)
    say((long_z > _FAR) & (long_off > limits.longer), "stars longer by {:.2f} of their width", long_off)
    worse |= (long_z > _FAR) & (long_off > _HOPELESS_LONG)
    brighter = 100 * (np.exp(sky_off) - 1)
    say((sky_z > _FAR) & (brighter > 100 * limits.brighter), "sky {:.0f} % brighter than around", brighter)
    if np.isfinite(limits.guide_arcsec):
        over = lights.guide_rms_arcsec > limits.guide_arcsec
    else:
        over = (guide_z > _FAR) & (guide_off > np.log(1.5))
    say(over, "guiding {:.2f}″ rms", lights.guide_rms_arcsec)
    if limits.trails:
        say(lights.trail_sigma > _TRAIL_SIGMA, "a trail across, {:.0f} times its noise", lights.trail_sigma)
    # what is wrong in several ways at once is wrong before any one is over its limit
    bad_ways = np.stack([size_z, np.fmax(-stars_z, -flux_z), long_z, guide_z])
    together = np.sqrt(np.sum(np.clip(np.nan_to_num(bad_ways) - 1.5, 0, _TOGETHER) ** 2, axis=0))
    share = np.nanmax(
        np.nan_to_num(
            np.stack([
                size_off / np.log1p(limits.grown), -stars_off / -np.log1p(-limits.fewer),
                -flux_off / -np.log1p(-limits.fewer),
                long_off / limits.longer, guide_off / np.log(1.5),
            ]),
            nan=0.0,
        ),
        axis=0,
    )  # fmt: skip
    several = (together > _TOGETHER) & (np.sum(np.nan_to_num(bad_ways) > 2.5, axis=0) >= 2) & (share > 0.5)
    unsaid = np.array([not words for words in said])
    for k in np.flatnonzero(several & unsaid):
        said[k].append(_somewhat(grown[k], fewer[k], long_off[k]))
    return [
        Judged(Standing.KEPT)
        if not words
        else Judged(Standing.REJECTED if worse[k] else Standing.DOUBTFUL, "; ".join(words))
        for k, words in enumerate(said)
    ]


def _somewhat(grown: float, fewer: float, longer: float) -> str:
    parts = []
    if grown > 5:
        parts.append(f"stars {grown:.0f} % larger")
    if fewer > 5:
        parts.append(f"{fewer:.0f} % missing")
    if longer > 0.03:
        parts.append(f"longer by {longer:.2f}")
    return ", ".join(parts) + " at once"


def _against(
    values: Floats, night: NDArray[np.int64], begin_at: float, least: float
) -> tuple[Floats, Floats]:
    """How far each is from what is expected, and that in standard deviations. Expected is the night's level,
    but for a night that is much worse than the project's: against that one (by half of what they differ)."""
    if np.isfinite(values).sum() < _FEWEST:
        none = np.full(len(values), np.nan)
        return none, none
    worse = 1.0 if begin_at < 0.5 else -1.0
    off = np.full(len(values), np.nan)
    nights = [values[night == number] for number in np.unique(night)]
    levels = [level(own, begin_at, least) for own in nights if np.isfinite(own).sum() >= _FEWEST]
    # seeing differs from night to night, clear air hardly does: a usual night's, a good night's
    whole = (
        float(np.quantile(levels, 0.5 if worse > 0 else 0.75)) if levels else level(values, begin_at, least)
    )
    for number in np.unique(night):
        here = night == number
        own = values[here]
        if np.isfinite(own).sum() >= _FEWEST:
            there = level(own, begin_at, least)
            # a whole night under thin cloud is no measure of itself
            slip = worse * (there - whole)
            expected = there if slip < 0.1 else there - worse * (slip - 0.1)
        else:
            expected = whole
        off[here] = own - expected
    good = np.abs(off) < 0.5
    return off, off / spread(off[good], least)


def _sky_against(sky: Floats, lights: Lights) -> tuple[Floats, Floats]:
    """The sky changes through a night by moon and altitude: against a course through the night."""
    off = np.full(len(sky), np.nan)
    for number in np.unique(lights.night):
        here = lights.night == number
        if np.isfinite(sky[here]).sum() >= _FEWEST:
            off[here] = sky[here] - course(lights.at_s[here], sky[here], 2, _SKY)
    return off, off / spread(off[np.abs(off) < 0.5], _SKY)
