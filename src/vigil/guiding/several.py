"""Several guide stars as one: each counts by how quiet it has been."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.centroid import Place

Floats = NDArray[np.float64]

_MEMORY = 30
"""Frames over which a star's own noise is averaged."""
_FIRST_VARIANCE_PX2 = 0.04
_WILD = 5.5
"""Times its noise, by which a star stands elsewhere than the others say: it doesn't count in that frame."""
_GONE_AFTER = 20
"""Frames without it, after which a star's place is learnt anew when it comes back."""


@dataclass(slots=True)
class _Star:
    reference: Floats
    variance: float = _FIRST_VARIANCE_PX2
    seen: int = 0
    missed: int = 0


@dataclass(frozen=True, slots=True)
class Shift:
    """By how much the stars stand beside their first places (px), the standard error of that, how many
    counted, and which were left out as wild."""

    dx_px: float
    dy_px: float
    error_px: float
    counted: int
    wild: tuple[int, ...] = ()


@dataclass(slots=True)
class StarGroup:
    """Stars by their first places (column, row). A star's weight is the inverse of the variance that it
    shows about the others (so the seeing that it has for itself counts, whatever its light); that of the
    frame's own fit is the least."""

    stars: list[_Star] = field(default_factory=list)

    @classmethod
    def at(cls, places: Sequence[tuple[float, float]]) -> "StarGroup":
        return cls([_Star(np.array(place, dtype=float)) for place in places])

    def expected(self, shift: tuple[float, float]) -> list[tuple[float, float]]:
        """Where each should be looked for when the group stands so far beside its first place."""
        return [(float(s.reference[0] + shift[0]), float(s.reference[1] + shift[1])) for s in self.stars]

    def shift_of(self, places: Sequence[Place | None]) -> Shift | None:
        """Of a frame in which these stars were found; None without any. Learns from it."""
        found = [k for k, place in enumerate(places) if place is not None]
        if not found:
            self._missed(set())
            return None
        moved = np.array([[places[k].x_px, places[k].y_px] - self.stars[k].reference for k in found])  # type: ignore[union-attr]
        noise2 = np.array([self._variance(k, places[k]) for k in found])
        known = np.array([self.stars[k].missed < _GONE_AFTER for k in found])
        counts = known if known.any() else np.ones(len(found), dtype=bool)
        counts = counts & self._alike(moved, noise2, counts)
        weights = np.where(counts, 1 / noise2, 0.0)
        mean = weights @ moved / weights.sum()
        self._learn(found, places, moved, mean, noise2, counts)
        wild = tuple(k for k, right in zip(found, counts | ~known, strict=True) if not right)
        return Shift(
            float(mean[0]), float(mean[1]), float(weights.sum() ** -0.5), int(np.count_nonzero(counts)), wild
        )

    def _variance(self, k: int, place: Place | None) -> float:
        assert place is not None
        return max(self.stars[k].variance, place.error_px**2)

    @staticmethod
    def _alike(moved: Floats, noise2: Floats, counts: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Those that moved as the others did: about the weighted median, which one wild star doesn't move.
        Of two that differ neither is known to be the wild one."""
        if np.count_nonzero(counts) < 3:
            return np.ones(len(moved), dtype=bool)
        middle = np.array([_weighted_median(moved[counts, axis], 1 / noise2[counts]) for axis in (0, 1)])
        away = np.hypot(*(moved - middle).T)
        return np.asarray(away <= _WILD * np.sqrt(noise2 + 1 / (1 / noise2[counts]).sum()))

    def _learn(
        self,
        found: list[int],
        places: Sequence[Place | None],
        moved: Floats,
        mean: Floats,
        noise2: Floats,
        counts: NDArray[np.bool_],
    ) -> None:
        whole = float(np.where(counts, 1 / noise2, 0.0).sum())
        for row, k in enumerate(found):
            star = self.stars[k]
            if star.missed >= _GONE_AFTER:  # its place is where the others say that it is
                star.reference = star.reference + moved[row] - mean
                star.missed = 0
                continue
            star.missed = 0
            if not counts[row] or np.count_nonzero(counts) < 2:
                continue
            # about the mean of the others: its own share in the mean would hide its noise
            share = 1 / noise2[row] / whole
            beside = (moved[row] - mean) / (1 - share)
            others = 1 / (whole - 1 / noise2[row])
            own = max(float((beside**2).mean()) - others, 0.25 * places[k].error_px ** 2)  # type: ignore[union-attr]
            star.seen += 1
            memory = min(star.seen + 1, _MEMORY)
            star.variance += (own - star.variance) / memory
        self._missed(set(found))

    def _missed(self, found: set[int]) -> None:
        for k, star in enumerate(self.stars):
            if k not in found:
                star.missed += 1


def _weighted_median(values: Floats, weights: Floats) -> float:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    return float(values[order][int(np.searchsorted(sums, sums[-1] / 2))])
