"""A record played again under other settings: what guiding would have made of the same night."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.laws import AxisSettings, law_of
from vigil.guiding.split import Split

Floats = NDArray[np.float64]

_SETTLES_FRAMES, _SETTLES_SHARE = 15, 0.1
"""What isn't counted at the beginning: the law finds its feet there."""


class CantReplay(ValueError):
    """The record can't tell; the message says why."""


@dataclass(frozen=True, slots=True)
class Replayed:
    """What was left, by sample of the record: `slow_arcsec` of the mount's own error (the seeing taken out,
    but for what was chased of it), and `measured_arcsec` as the guider sees it, frame by frame."""

    slow_arcsec: Floats
    measured_arcsec: Floats
    corrected_share: float

    @property
    def slow_rms_arcsec(self) -> float:
        return float(np.sqrt(np.mean(self.slow_arcsec**2)))

    @property
    def measured_rms_arcsec(self) -> float:
        return float(np.sqrt(np.mean(self.measured_arcsec**2)))


@dataclass(frozen=True, slots=True)
class Frames:
    """A record cut into frames of an exposure: the star's mean place in each without corrections, when its
    middle is, and at which sample of the record it ends."""

    at_s: Floats
    where_arcsec: Floats
    ends: NDArray[np.intp]
    every_s: float


def frames_of(parts: Split, exposure_s: float, pause_s: float = 0.0) -> Frames:
    """Raises CantReplay for exposures shorter than the record's frames, and where too few fit in."""
    at_s = parts.at_s
    step_s = float(np.median(np.diff(at_s)))
    if exposure_s < 0.98 * step_s:
        raise CantReplay(
            f"the record has a frame every {step_s:.2f} s: what exposures of {exposure_s:g} s would have "
            "shown it can't tell"
        )
    every_s = exposure_s + pause_s
    begins = np.arange(at_s[0] - step_s / 2, at_s[-1] + step_s / 2 - exposure_s + 1e-6, every_s)
    if len(begins) < 2 * _SETTLES_FRAMES:
        raise CantReplay(f"only {len(begins)} frames of {exposure_s:g} s fit into the record")
    # the record as steps, each as long as its frame
    edges = np.concatenate([[at_s[0] - step_s / 2], (at_s[1:] + at_s[:-1]) / 2, [at_s[-1] + step_s / 2]])
    whole = np.concatenate([[0.0], np.cumsum((parts.slow_arcsec + parts.seeing_arcsec) * np.diff(edges))])
    over = np.interp(begins + exposure_s, edges, whole) - np.interp(begins, edges, whole)
    ends = np.searchsorted(at_s, begins + exposure_s)
    return Frames(begins + exposure_s / 2, over / exposure_s, ends, every_s)


def replay(
    parts: Split, settings: AxisSettings, exposure_s: float, pause_s: float = 0.0, rate_arcsec_s: float = 7.5
) -> Replayed:
    """One axis under other settings. Corrections act at once at the end of a frame. Raises CantReplay."""
    frames = frames_of(parts, exposure_s, pause_s)
    law = law_of(settings)
    most = settings.longest_pulse_ms / 1000 * rate_arcsec_s
    first = float(parts.slow_arcsec[: max(1, int(frames.ends[0]))].mean())
    done, after, measured = first, np.empty(len(frames.at_s)), np.empty(len(frames.at_s))
    corrected = 0
    for k, (at, where) in enumerate(zip(frames.at_s, frames.where_arcsec, strict=True)):
        measured[k] = where - done
        wanted = law.correction(measured[k], at, frames.every_s)
        sent = min(max(wanted, -most), most)
        law.took(sent)
        law.rest()
        corrected += sent != 0
        done += sent
        after[k] = done
    return _left(parts, frames, first, after, measured, corrected / len(measured))


def replay_many(
    parts: Split,
    strengths: Sequence[float],
    dead_bands: Sequence[float],
    exposure_s: float,
    pause_s: float = 0.0,
) -> list[list[Replayed]]:
    """The proportional law under every strength and dead band at once: [strength][dead band]."""
    frames = frames_of(parts, exposure_s, pause_s)
    strength, band = (grid.ravel() for grid in np.meshgrid(strengths, dead_bands, indexing="ij"))
    first = float(parts.slow_arcsec[: max(1, int(frames.ends[0]))].mean())
    count = len(frames.at_s)
    done = np.full(strength.shape, first)
    measured, after = np.empty((count, strength.size)), np.empty((count, strength.size))
    for k in range(count):
        error = frames.where_arcsec[k] - done
        measured[k] = error
        done = done + np.where(np.abs(error) > band, strength * error, 0.0)
        after[k] = done
    told = []
    for i in range(strength.size):
        corrected = float(np.mean(np.abs(measured[:, i]) > band[i]))
        told.append(_left(parts, frames, first, after[:, i], measured[:, i], corrected))
    width = len(dead_bands)
    return [told[i : i + width] for i in range(0, len(told), width)]


def _left(
    parts: Split, frames: Frames, first: float, after: Floats, measured: Floats, corrected: float
) -> Replayed:
    """The corrections in force at each sample of the record are those of the last frame that had ended."""
    number = np.searchsorted(frames.ends, np.arange(len(parts.at_s)), side="right") - 1
    in_force = np.where(number >= 0, after[np.maximum(number, 0)], first)
    skipped = max(_SETTLES_FRAMES, int(_SETTLES_SHARE * len(measured)))
    skipped = min(skipped, len(measured) // 2)
    begins, ends = int(frames.ends[skipped]), int(frames.ends[-1])
    return Replayed((parts.slow_arcsec - in_force)[begins:ends], measured[skipped:], corrected)
