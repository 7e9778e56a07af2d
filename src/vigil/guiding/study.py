"""A record studied: what of it is seeing and what the mount, and which settings would have done best."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from vigil.guiding.laws import AxisSettings
from vigil.guiding.record import AxisRecord, GuideRecord
from vigil.guiding.replay import Replayed, replay, replay_many
from vigil.guiding.split import Split, split

Floats = NDArray[np.float64]

EXPOSURES_S = (0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
STRENGTHS = tuple(round(0.1 * k, 1) for k in range(1, 11))
_BANDS_OF_SEEING = (0.0, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0)
_OTHER_STRENGTHS = (0.4, 0.7, 1.0)
_LEAST_FRAMES = 40
"""Of an exposure, for it to be tried."""
_AS_GOOD = 1.005
"""What is worse by no more is as good: then fewer corrections are better."""
_WORTH_ANOTHER_LAW = 1.02
_WILD_SIGMAS, _WILD_AROUND = 6.0, 7
_ENOUGH_FRAMES, _ENOUGH_S, _ENOUGH_CYCLES, _ENOUGH_KNOWN = 100, 240.0, 1.5, 0.1
_BLOCKS = 8


@dataclass(frozen=True, slots=True)
class Tried:
    """One axis under one choice of settings, as the replay has it."""

    exposure_s: float
    settings: AxisSettings
    slow_rms_arcsec: float
    measured_rms_arcsec: float
    corrected_share: float
    error_arcsec: float
    """Standard error of `slow_rms_arcsec`, by how it differs from part to part of the record."""


@dataclass(frozen=True, slots=True)
class AxisStudy:
    """`tried` is every choice that was played, `best` the advised one for the exposure that suits both."""

    parts: Split
    present_rms_arcsec: float
    best: Tried
    tried: tuple[Tried, ...] = field(repr=False)


@dataclass(frozen=True, slots=True)
class Study:
    """`missing` says what more of a record would be needed; empty when it is enough."""

    ra: AxisStudy
    dec: AxisStudy
    exposure_s: float
    missing: tuple[str, ...]
    more_min: float

    @property
    def enough(self) -> bool:
        return not self.missing


def study(record: GuideRecord, exposures_s: Sequence[float] = EXPOSURES_S) -> Study:
    """What is sought is the least of the mount's error that is left: what the air does to the main camera's
    stars no correction takes back, however well a guider's own figures look. Raises CantReplay for a record
    too short to be played with any of the exposures."""
    axes = {"ra": record.ra, "dec": record.dec}
    parts = {name: split(axis.at_s, calm(axis.uncorrected_arcsec())) for name, axis in axes.items()}
    tried: dict[str, list[Tried]] = {"ra": [], "dec": []}
    for exposure_s in _fitting(record.ra, exposures_s):
        for name in axes:
            tried[name] += tried_with(parts[name], exposure_s, name == "ra", axes[name].rate_arcsec_s)
    exposures = sorted({t.exposure_s for t in tried["ra"]})
    best = {
        e: {name: _best([t for t in tried[name] if t.exposure_s == e]) for name in axes} for e in exposures
    }
    total = {
        e: float(np.hypot(best[e]["ra"].slow_rms_arcsec, best[e]["dec"].slow_rms_arcsec)) for e in exposures
    }
    least = min(total.values())
    # of exposures that are as good the longest: a better star, and fewer corrections
    exposure_s = max(e for e in exposures if total[e] <= _AS_GOOD * least)
    studies = {
        name: AxisStudy(parts[name], _present(axes[name]), best[exposure_s][name], tuple(tried[name]))
        for name in axes
    }
    missing, more_min = _missing(record, [studies["ra"], studies["dec"]])
    return Study(studies["ra"], studies["dec"], exposure_s, missing, more_min)


def calm(where: Floats) -> Floats:
    """Wild samples, far from their neighbours' median, put there."""
    middle = median_filter(where, _WILD_AROUND, mode="nearest")
    away = where - middle
    sigma = 1.4826 * float(np.median(np.abs(away)))
    return np.where(np.abs(away) > _WILD_SIGMAS * max(sigma, 1e-6), middle, where)


def _present(axis: AxisRecord) -> float:
    """As it was guided; about the mean."""
    return float(np.std(axis.where_arcsec))


def _fitting(axis: AxisRecord, exposures_s: Sequence[float]) -> list[float]:
    step, span = axis.step_s, float(np.ptp(axis.at_s))
    fitting = [e for e in exposures_s if e >= 0.98 * step and span / e >= _LEAST_FRAMES]
    return fitting or [round(step, 2)]


def tried_with(parts: Split, exposure_s: float, worm: bool, rate_arcsec_s: float) -> list[Tried]:
    """Every choice that a study plays for an axis with an exposure; one with a worm by the predictive law
    too, another one by the damped."""
    bands = sorted({round(share * parts.seeing_rms_arcsec, 2) for share in _BANDS_OF_SEEING})
    told = []
    for strength, row in zip(STRENGTHS, replay_many(parts, STRENGTHS, bands, exposure_s), strict=True):
        for band, played in zip(bands, row, strict=True):
            told.append(_told(exposure_s, AxisSettings("proportional", strength, band), played))
    others: list[AxisSettings] = []
    if worm:
        period_s = parts.waves[0].period_s if parts.waves else None
        others += [AxisSettings("predictive", s, 0.0, period_s=period_s) for s in _OTHER_STRENGTHS]
    else:
        others += [AxisSettings("damped", s, bands[min(2, len(bands) - 1)]) for s in _OTHER_STRENGTHS]
    for settings in others:
        played = replay(parts, settings, exposure_s, rate_arcsec_s=rate_arcsec_s)
        told.append(_told(exposure_s, settings, played))
    return told


def _told(exposure_s: float, settings: AxisSettings, played: Replayed) -> Tried:
    squares = [float(np.mean(part**2)) for part in np.array_split(played.slow_arcsec, _BLOCKS) if part.size]
    slow = played.slow_rms_arcsec
    error = float(np.std(squares)) / np.sqrt(len(squares)) / (2 * slow) if slow > 0 else 0.0
    return Tried(exposure_s, settings, slow, played.measured_rms_arcsec, played.corrected_share, float(error))


def _best(tried: Sequence[Tried]) -> Tried:
    """The least that is left; of those as good the one that corrects least. Another law than the proportional
    one must be worth it."""

    def of(some: Sequence[Tried]) -> Tried:
        least = min(t.slow_rms_arcsec for t in some)
        good = [t for t in some if t.slow_rms_arcsec <= _AS_GOOD * least]
        return min(good, key=lambda t: (round(t.corrected_share, 2), t.settings.strength))

    plain = of([t for t in tried if t.settings.law == "proportional"])
    best = of(tried)
    return best if best.slow_rms_arcsec * _WORTH_ANOTHER_LAW < plain.slow_rms_arcsec else plain


def _missing(record: GuideRecord, axes: Sequence[AxisStudy]) -> tuple[tuple[str, ...], float]:
    """What is to be waited for, in words, and how many minutes more."""
    span, count = float(np.ptp(record.ra.at_s)), len(record.ra.at_s)
    step, said, wanted_s = record.ra.step_s, [], span
    if count < _ENOUGH_FRAMES:
        said.append(f"{count} frames, {_ENOUGH_FRAMES} are needed")
        wanted_s = max(wanted_s, _ENOUGH_FRAMES * step)
    if span < _ENOUGH_S:
        said.append(f"{span / 60:.1f} min long, {_ENOUGH_S / 60:.0f} are needed")
        wanted_s = max(wanted_s, _ENOUGH_S)
    longest = max((wave.period_s for axis in axes for wave in axis.parts.waves[:1]), default=0.0)
    if longest > 0 and span < _ENOUGH_CYCLES * longest:
        said.append(
            f"a wave of {longest:.0f} s has been seen {span / longest:.1f} times, not yet {_ENOUGH_CYCLES:g}"
        )
        wanted_s = max(wanted_s, _ENOUGH_CYCLES * longest)
    known = max(t.error_arcsec / max(t.measured_rms_arcsec, 1e-9) for t in (a.best for a in axes))
    if known > _ENOUGH_KNOWN and not said:
        said.append(
            f"what it promises is known to {100 * known:.0f} % only, {100 * _ENOUGH_KNOWN:.0f} are wanted"
        )
        wanted_s = max(wanted_s, span * (known / _ENOUGH_KNOWN) ** 2)
    return tuple(said), (wanted_s - span) / 60
