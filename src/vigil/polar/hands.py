"""Turns of the adjusters, seen in what is left from frame to frame: a hand moves, then it is quiet again."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from vigil.polar.adjusters import AdjusterName, Turn
from vigil.polar.error import PolarError

_SIGMAS = 3.5
_QUIET_FRAMES = 2
FRAME_SIGMA_ARCMIN = 0.05
"""How well one frame tells what is left; the measurement's own error is the same in all of them."""


@dataclass
class HandWatch:
    """Fed with what is left, frame after frame; tells each turn once two frames agree again."""

    sigma_arcmin: float = FRAME_SIGMA_ARCMIN
    _quiet: dict[AdjusterName, float] = field(default_factory=dict)
    _last: dict[AdjusterName, float] = field(default_factory=dict)
    _alike: dict[AdjusterName, int] = field(default_factory=dict)

    @property
    def _moved_arcmin(self) -> float:
        return _SIGMAS * 2**0.5 * self.sigma_arcmin

    def frame(self, left: PolarError) -> Iterator[tuple[AdjusterName, Turn]]:
        """Turns that are over with this frame."""
        for name, now in (("altitude", left.altitude_arcmin), ("azimuth", left.azimuth_arcmin)):
            turn = self._axis(name, now)  # type: ignore[arg-type]
            if turn is not None:
                yield name, turn  # type: ignore[misc]

    def _axis(self, name: AdjusterName, now: float) -> Turn | None:
        before, last = self._quiet.get(name), self._last.get(name)
        self._last[name] = now
        if before is None or last is None:
            self._quiet[name] = now
            return None
        alike = abs(now - last) <= self._moved_arcmin
        self._alike[name] = self._alike.get(name, 0) + 1 if alike else 0
        if abs(now - before) <= self._moved_arcmin or self._alike[name] < _QUIET_FRAMES:
            return None
        self._quiet[name] = now
        return Turn(before, now, self.sigma_arcmin)

    @property
    def moving(self) -> bool:
        """Whether a hand is at the screws, by the last frame."""
        return any(
            abs(self._last[name] - quiet) > self._moved_arcmin
            for name, quiet in self._quiet.items()
            if name in self._last
        )
