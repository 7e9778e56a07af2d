"""What is to be said of how it is guided: named, with its numbers."""

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.figures import AxisFigures

Floats = NDArray[np.float64]

ENOUGH_FRAMES = 60
_OFTEN, _CHASES, _LOOSE, _SELDOM = 0.6, -0.2, 0.5, 0.45
_DRIFT_ARCSEC_MIN = 2.0
_ARCSEC_MIN_A_POLAR_ARCMIN = 60 * 2 * np.pi / 1440
"""A polar axis off by an arc-minute lets declination drift by so much at most (ε · 2π a day)."""
_STUCK, _TURNS_NEEDED = 0.3, 6

Level = Literal["good", "look", "wait"]


@dataclass(frozen=True, slots=True)
class Finding:
    """`level`: all is well, something to look at, or not yet known."""

    level: Level
    words: str


def diagnose(
    axis: str, at_s: Floats, error_arcsec: Floats, sent_arcsec: Floats, figures: AxisFigures | None
) -> list[Finding]:
    """One axis ("right ascension", "declination") over a stretch of good frames."""
    count = len(error_arcsec)
    if figures is None or count < ENOUGH_FRAMES:
        step_s = float(np.median(np.diff(at_s))) if count > 2 else 2.0
        minutes = max(1, int(np.ceil((ENOUGH_FRAMES - count) * step_s / 60)))
        return [Finding("wait", f"{axis}: too few frames to judge, about {minutes} min more")]
    alike = _alike(error_arcsec)
    found = []
    if np.any(sent_arcsec):
        if alike < _CHASES and figures.corrected_share > _OFTEN:
            found.append(
                Finding(
                    "look",
                    f"{axis} chases the seeing: {100 * figures.overshoot_share:.0f} % of corrections "
                    "overshoot; less strength, or a wider dead band",
                )
            )
        elif alike < _CHASES:
            found.append(Finding("look", f"{axis} overshoots: less strength"))
        elif alike > _LOOSE:
            share = f"{100 * figures.corrected_share:.0f} % of frames are corrected"
            remedy = "a narrower dead band" if figures.corrected_share < _SELDOM else "more strength"
            found.append(Finding("look", f"{axis} is too loose: errors last, {share}; {remedy}"))
        stuck = stuck_share(error_arcsec, sent_arcsec)
        if axis == "declination" and stuck is not None and stuck > 1 - _STUCK:
            found.append(
                Finding(
                    "look",
                    "declination hardly moves when it turns back: backlash, or bad balance; "
                    "the damped method turns it back least",
                )
            )
    drift = abs(figures.drift_arcsec_min)
    if drift > _DRIFT_ARCSEC_MIN:
        said = f"{axis} drifts by {drift:.1f}″/min"
        if axis == "declination":
            said += f": the polar axis is off by {drift / _ARCSEC_MIN_A_POLAR_ARCMIN:.0f}′ or more"
        found.append(Finding("look", said))
    return found


def good_enough(total_rms_arcsec: float, limit_arcsec: float) -> Finding:
    """Against the main camera's pixel or the telescope's resolution, whichever is wanted."""
    if total_rms_arcsec <= limit_arcsec:
        return Finding(
            "good", f"good enough: {total_rms_arcsec:.2f}″ in all, the limit is {limit_arcsec:.2f}″"
        )
    return Finding("look", f"{total_rms_arcsec:.2f}″ in all, over the limit of {limit_arcsec:.2f}″")


def _alike(error: Floats) -> float:
    """The correlation of an error with the next one."""
    off = error - error.mean()
    power = float(off @ off)
    return float(off[:-1] @ off[1:]) / power if power > 0 else 0.0


def stuck_share(error: Floats, sent: Floats) -> float | None:
    """How much of a correction is lost where it goes the other way than the last one did (0: nothing); None
    for too few turns."""
    indices = np.flatnonzero(sent)
    turns = [k for before, k in pairwise(indices) if sent[before] * sent[k] < 0]
    turns = [k for k in turns if k + 1 < len(error)]
    if len(turns) < _TURNS_NEEDED:
        return None
    went = np.array([error[k] - error[k + 1] for k in turns])
    wanted = np.array([sent[k] for k in turns])
    return float(1 - (went @ wanted) / (wanted @ wanted))
