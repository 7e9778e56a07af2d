"""What guide pulses have turned the axes by, and when: an exposure is drawn when it ends, with its whole
way."""

from collections import deque
from itertools import takewhile

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_KEPT = 4000
"""Two hours and more of pulses on both axes: no exposure lasts longer."""


class Corrections:
    """Each is taken to be done in no time."""

    def __init__(self) -> None:
        self._done: deque[tuple[float, float, float, float]] = deque(maxlen=_KEPT)

    def add(self, at_s: float, ra_deg: float, dec_deg: float, tube_deg: float) -> None:
        """The right ascension and declination that encoders show, and the tube's own declination, are more
        by so much from then on."""
        self._done.append((at_s, ra_deg, dec_deg, tube_deg))

    def forget(self) -> None:
        """The mount has gone elsewhere."""
        self._done.clear()

    def since(self, at_s: Floats) -> tuple[Floats, Floats, Floats]:
        """How much of each came after these moments (seconds, in order or not)."""
        first = float(np.min(at_s))
        later = list(takewhile(lambda done: done[0] > first, reversed(self._done)))[::-1]
        if not later:
            nothing = np.zeros_like(at_s)
            return nothing, nothing, nothing
        when, ra, dec, tube = np.array(later).T
        before = np.searchsorted(when, at_s, side="right")
        ra_done, dec_done, tube_done = (
            np.concatenate([[0.0], np.cumsum(steps)]) for steps in (ra, dec, tube)
        )
        return (
            ra_done[-1] - ra_done[before],
            dec_done[-1] - dec_done[before],
            tube_done[-1] - tube_done[before],
        )
