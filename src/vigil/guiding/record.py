"""A guide record: where the star stood, frame after frame, and what was done about it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LEAST_FRAMES = 20
USUAL_RATE_ARCSEC_S = 0.5 * 15.041067
"""Half the sidereal rate, where a record doesn't say what a pulse does. Out of itself it can't be told: where
each correction is a share of the error, any rate explains the record with another motion of the star."""


class BadRecord(ValueError):
    """Nothing can be said by it; the message says why."""


@dataclass(frozen=True, slots=True)
class AxisRecord:
    """One axis: arrays of one length. `at_s` is the middle of each exposure, `where_arcsec` the star from its
    first place, `pulse_ms` what was done after that frame (+ moves the star to smaller values). The rate is
    what a second of pulse moves it by."""

    at_s: Floats
    where_arcsec: Floats
    pulse_ms: Floats
    rate_arcsec_s: float = USUAL_RATE_ARCSEC_S

    @property
    def step_s(self) -> float:
        """From frame to frame."""
        return float(np.median(np.diff(self.at_s)))

    def done_arcsec(self) -> Floats:
        """What all pulses before each frame have done together."""
        before_ms = np.concatenate([[0.0], np.cumsum(self.pulse_ms)[:-1]])
        return self.rate_arcsec_s * before_ms / 1000

    def uncorrected_arcsec(self) -> Floats:
        """Where the star would have stood without corrections."""
        return self.where_arcsec + self.done_arcsec()


@dataclass(frozen=True, slots=True)
class GuideRecord:
    """Both axes; right ascension is on the sky."""

    ra: AxisRecord
    dec: AxisRecord
    snr: Floats

    def __post_init__(self) -> None:
        if len(self.ra.at_s) < LEAST_FRAMES:
            raise BadRecord(f"{len(self.ra.at_s)} frames say nothing: at least {LEAST_FRAMES} are needed")
        if not np.all(np.diff(self.ra.at_s) > 0):
            raise BadRecord("times must grow from row to row")

    def between(self, begins_s: float, ends_s: float) -> "GuideRecord":
        """A part of it. Raises BadRecord for one that is too short."""
        inside = (self.ra.at_s >= begins_s) & (self.ra.at_s <= ends_s)

        def part(axis: AxisRecord) -> AxisRecord:
            return replace(
                axis,
                at_s=axis.at_s[inside],
                where_arcsec=axis.where_arcsec[inside],
                pulse_ms=axis.pulse_ms[inside],
            )

        return GuideRecord(part(self.ra), part(self.dec), self.snr[inside])
