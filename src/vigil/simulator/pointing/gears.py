"""What gears do to an axis: periodic error, play, sticking adjusters."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from vigil.documents.scenario.mount import Harmonic

Floats = NDArray[np.float64]
SIDEREAL_ARCSEC_S = 15.041067


def periodic_error_arcsec(
    axis_deg: float | Floats, worm_period_s: float, waves: Sequence[Harmonic]
) -> Floats:
    """By how much the right ascension axis runs ahead (westward) where it stands: the worm's turn follows
    from the axis's angle, so that the same place has the same error."""
    turns = np.asarray(axis_deg) * 3600 / (worm_period_s * SIDEREAL_ARCSEC_S)
    error = np.zeros_like(turns)
    for wave in waves:
        error += wave.amplitude_arcsec * np.sin(2 * np.pi * wave.order * turns + np.radians(wave.phase_deg))
    return error


def take_up(driven: float, drive: float, play: float) -> float:
    """Where something driven stands after its drive has moved: it follows once the play is used up."""
    return min(max(driven, drive - play / 2), drive + play / 2)


def adjusted_arcmin(turned_arcmin: float, sticks_arcmin: float, jumps: float, chance: float) -> float:
    """How far an axis really goes when its adjuster is turned: not at all for small turns, then by a share
    too far or not far enough (`chance` in −1…1)."""
    if abs(turned_arcmin) < sticks_arcmin:
        return 0.0
    return turned_arcmin * (1 + jumps * chance)
