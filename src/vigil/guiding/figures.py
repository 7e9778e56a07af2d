"""How well it is guided: figures of a stretch of frames."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class AxisFigures:
    """Of one axis, in arc-seconds: root mean square and peak to peak of where the star stood, the drift that
    its corrections had to hold (a minute), how many corrections a minute, the share of frames that were
    corrected, and the share of corrections after which the star stood on the other side."""

    rms_arcsec: float
    peak_to_peak_arcsec: float
    drift_arcsec_min: float
    corrections_min: float
    corrected_share: float
    overshoot_share: float


def figures_of(
    at_s: Sequence[float] | Floats,
    error_arcsec: Sequence[float] | Floats,
    sent_arcsec: Sequence[float] | Floats,
    counts: Sequence[bool] | NDArray[np.bool_] | None = None,
) -> AxisFigures | None:
    """Of frames in order; `counts` leaves out those of gusts and dithers. None for fewer than three."""
    at, error, sent = (np.asarray(v, dtype=float) for v in (at_s, error_arcsec, sent_arcsec))
    use = np.ones(len(at), dtype=bool) if counts is None else np.asarray(counts, dtype=bool)
    if np.count_nonzero(use) < 3:
        return None
    minutes = max(float(at[use][-1] - at[use][0]) / 60, 1e-9)
    before, after = error[:-1], error[1:]
    pairs = use[:-1] & use[1:] & (sent[:-1] != 0)
    turned = float(np.mean(before[pairs] * after[pairs] < 0)) if pairs.any() else 0.0
    whole = error + np.concatenate([[0.0], np.cumsum(sent)[:-1]])
    t = at[use] - at[use].mean()
    drift = float(t @ (whole[use] - whole[use].mean()) / max(float(t @ t), 1e-9))
    return AxisFigures(
        rms_arcsec=float(np.sqrt(np.mean(error[use] ** 2))),
        peak_to_peak_arcsec=float(np.ptp(error[use])),
        drift_arcsec_min=60 * drift,
        corrections_min=float(np.count_nonzero(sent[use])) / minutes,
        corrected_share=float(np.mean(sent[use] != 0)),
        overshoot_share=turned,
    )
