"""Whether guiding has settled after a move: inside the tolerance for as long as is wanted."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum


class Settled(StrEnum):
    """How far it is."""

    NOT_YET = "settling"
    YES = "settled"
    TOO_LONG = "not settled in time"


@dataclass(slots=True)
class Settling:
    """Is told of every frame since the move: when it was (s after it) and how far the star stood off. One
    frame outside the tolerance begins the dwell anew."""

    tolerance_arcsec: float
    dwell_s: float = 10.0
    longest_s: float = 120.0
    _inside_since: float | None = None
    took_s: float | None = field(default=None, init=False)
    """When it was inside for good, s after the move."""

    def frame(self, after_s: float, off_arcsec: float | None) -> Settled:
        if off_arcsec is None or off_arcsec > self.tolerance_arcsec:
            self._inside_since = None
        elif self._inside_since is None:
            self._inside_since = after_s
        if self._inside_since is not None and after_s - self._inside_since >= self.dwell_s:
            self.took_s = self._inside_since
            return Settled.YES
        return Settled.TOO_LONG if after_s > self.longest_s else Settled.NOT_YET


_OF_RMS, _MOST_ARCSEC = 2.0, 3.0


def usual_tolerance_arcsec(rms_arcsec: float | None, scale_arcsec_px: float) -> float:
    """From the night's own guiding, its rms on both axes together: a frame stands farther off than twice that
    in two of a hundred (exp(−2²), axes alike). Without one, a guide pixel. More than that, and than so much,
    no guiding deserves: then it was in trouble."""
    if rms_arcsec is None:
        return scale_arcsec_px
    return min(_OF_RMS * rms_arcsec, max(scale_arcsec_px, _MOST_ARCSEC))


def overshoot_share(error_arcsec: Sequence[float], moved_arcsec: float) -> float:
    """How far beyond its new place a star went after a move, as a share of the move: of the frames after it,
    whose errors begin at − the move."""
    if not error_arcsec or not moved_arcsec:
        return 0.0
    way = 1 if moved_arcsec > 0 else -1
    return max(0.0, max(way * error for error in error_arcsec)) / abs(moved_arcsec)


def too_tight(tolerance_arcsec: float, rms_arcsec: float) -> str:
    """What is to be said of a tolerance that the guiding can't give; empty when it can."""
    if tolerance_arcsec >= rms_arcsec:
        return ""
    return (
        f"{tolerance_arcsec:.2f}″ is tighter than the guiding gives ({rms_arcsec:.2f}″ in all): "
        "it would hardly ever settle"
    )
