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
_STRETCH_S = 2400.0
"""Between a night's interruptions, after which a law has to learn anew."""
_WILD_SIGMAS, _WILD_AROUND = 6.0, 7
_ENOUGH_FRAMES, _ENOUGH_S, _ENOUGH_CYCLES, _ENOUGH_KNOWN = 100, 240.0, 1.5, 0.1
_BLOCKS = 8


@dataclass(frozen=True, slots=True)
class Tried:
    """One axis under one choice of settings, as the replay has it. `promised_rms_arcsec` is what will be left
    of the mount's error later on: less than in the record for a law that had to learn there first."""

    exposure_s: float
    settings: AxisSettings
    slow_rms_arcsec: float
    measured_rms_arcsec: float
    corrected_share: float
    promised_rms_arcsec: float
    error_arcsec: float
    """Standard error of what is promised, by how it differs from part to part of the record."""

    @property
    def predicted_rms_arcsec(self) -> float:
        """As the guider will see it: like its figure in the record, but for what has been learnt since."""
        learnt2 = self.slow_rms_arcsec**2 - self.promised_rms_arcsec**2
        return float(np.sqrt(max(self.measured_rms_arcsec**2 - learnt2, self.promised_rms_arcsec**2)))


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
        e: float(np.hypot(best[e]["ra"].promised_rms_arcsec, best[e]["dec"].promised_rms_arcsec))
        for e in exposures
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
    many = replay_many(parts, STRENGTHS, bands, exposure_s)
    plain = min((played for row in many for played in row), key=lambda played: played.slow_rms_arcsec)
    for strength, row in zip(STRENGTHS, many, strict=True):
        for band, played in zip(bands, row, strict=True):
            told.append(_told(exposure_s, AxisSettings("proportional", strength, band), played))
    others: list[AxisSettings] = []
    if worm:
        wave = parts.waves[0] if parts.waves else None
        known = (wave.period_s, wave.amplitude_arcsec) if wave else (None, None)
        others += [
            AxisSettings("predictive", s, 0.0, period_s=known[0], wave_arcsec=known[1])
            for s in _OTHER_STRENGTHS
        ]
    else:
        others += [AxisSettings("damped", s, bands[min(2, len(bands) - 1)]) for s in _OTHER_STRENGTHS]
    for settings in others:
        played = replay(parts, settings, exposure_s, rate_arcsec_s=rate_arcsec_s)
        learnt = _learnt_share(played, plain, parts) if settings.law == "predictive" else 1.0
        told.append(_told(exposure_s, settings, played, learnt))
    return told


def _learnt_share(played: Replayed, plain: Replayed, parts: Split) -> float:
    """Of its whole record's error what a law that learns will have in a longer stretch: the record's first
    half once, its later half for the rest. Both beside a law that doesn't learn, since one half may have
    been the calmer one."""
    halves = [[_rms(half) for half in np.array_split(p.slow_arcsec, 2)] for p in (played, plain)]
    first, later = (own / max(other, 1e-9) for own, other in zip(*halves, strict=True))
    learning = min(float(np.ptp(parts.at_s)) / 2 / _STRETCH_S, 0.5)
    share = np.sqrt(learning * first**2 + (1 - learning) * later**2)
    return min(float(share) * plain.slow_rms_arcsec / played.slow_rms_arcsec, 1.0)


def _rms(values: Floats) -> float:
    return float(np.sqrt(np.mean(values**2)))


def _told(exposure_s: float, settings: AxisSettings, played: Replayed, learnt: float = 1.0) -> Tried:
    slow = played.slow_arcsec if learnt == 1.0 else played.slow_arcsec[len(played.slow_arcsec) // 2 :]
    squares = [float(np.mean(part**2)) for part in np.array_split(slow, _BLOCKS) if part.size]
    spread = float(np.std(squares) / np.mean(squares)) if any(squares) else 0.0
    promised = learnt * played.slow_rms_arcsec
    return Tried(
        exposure_s,
        settings,
        played.slow_rms_arcsec,
        played.measured_rms_arcsec,
        played.corrected_share,
        promised,
        promised * spread / 2 / np.sqrt(len(squares)),
    )


def _best(tried: Sequence[Tried]) -> Tried:
    """The least that is left; of those as good the one that corrects least. Another law than the proportional
    one must be worth it."""

    def of(some: Sequence[Tried]) -> Tried:
        least = min(t.promised_rms_arcsec for t in some)
        good = [t for t in some if t.promised_rms_arcsec <= _AS_GOOD * least]
        return min(good, key=lambda t: (round(t.corrected_share, 2), t.settings.strength))

    plain = of([t for t in tried if t.settings.law == "proportional"])
    best = of(tried)
    worth_it = best.promised_rms_arcsec * _WORTH_ANOTHER_LAW < plain.promised_rms_arcsec
    return best if worth_it else plain


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
    return tuple(said), float(wanted_s - span) / 60
