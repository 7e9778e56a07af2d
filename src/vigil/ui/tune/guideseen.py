"""What the window has heard of the guider: its frames and what was changed, as arrays to draw and reckon."""

from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.guiding.figures import AxisFigures, figures_of
from vigil.guiding.record import AxisRecord, GuideRecord

Floats = NDArray[np.float64]

AXES = ("ra", "dec")
AXIS_WORDS = {"ra": "right ascension", "dec": "declination"}
_MOST = 20_000


@dataclass(frozen=True, slots=True)
class Change:
    """Of a setting, or a dither; in words."""

    at: datetime
    words: str
    axis: str = ""
    before: dict[str, Any] | None = None


@dataclass
class GuideSeen:
    """One errand's frames, oldest first. Places are NaN where no star was seen."""

    errand: str = ""
    at: list[datetime] = field(default_factory=list)
    error: list[tuple[float, float]] = field(default_factory=list)
    place: list[tuple[float, float]] = field(default_factory=list)
    choice: list[int] = field(default_factory=list)
    sent: list[tuple[float, float]] = field(default_factory=list)
    snr: list[float] = field(default_factory=list)
    stars: list[int] = field(default_factory=list)
    marks: list[str] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)
    star: dict[str, Any] | None = None
    """How it looked last."""

    def add(self, row: dict[str, Any]) -> None:
        """A row of the stream."""
        self.at.append(datetime.fromisoformat(row["at"]))
        ra, dec = row.get("error", (np.nan, np.nan))
        self.error.append((ra, dec))
        place_ra, place_dec = row.get("place", (np.nan, np.nan))
        self.place.append((place_ra, place_dec))
        self.choice.append(row.get("choice", 0))
        (ra_ms, dec_ms), (ra_rate, dec_rate) = row["pulse_ms"], row["rates"]
        self.sent.append((ra_ms / 1000 * ra_rate, dec_ms / 1000 * dec_rate))
        self.snr.append(row["snr"])
        self.stars.append(row["stars"])
        self.marks.append(row.get("mark", ""))
        self.star = row.get("star", self.star)
        if len(self.at) > _MOST:
            for kept in (
                self.at, self.error, self.place, self.choice, self.sent, self.snr, self.stars, self.marks,
            ):  # fmt: skip
                del kept[: _MOST // 10]

    @property
    def last(self) -> datetime | None:
        return self.at[-1] if self.at else None

    def since(self, moment: datetime | None) -> slice:
        """The frames from a moment on."""
        if moment is None:
            return slice(0, len(self.at))
        first = next((k for k, at in enumerate(self.at) if at >= moment), len(self.at))
        return slice(first, len(self.at))

    def axis(self, name: str, part: slice) -> tuple[Floats, Floats, Floats]:
        """Seconds, errors and corrections of the good frames of a part."""
        k = AXES.index(name)
        at = np.array([(a - self.at[part.start]).total_seconds() for a in self.at[part]])
        error = np.array([e[k] for e in self.error[part]], dtype=float)
        sent = np.array([s[k] for s in self.sent[part]], dtype=float)
        good = np.isfinite(error) & np.array([m in ("", "dimmed") for m in self.marks[part]], dtype=bool)
        return at[good], error[good], sent[good]

    def record(self) -> GuideRecord:
        """Of the good frames, for a study: the longest stretch by the same stars, dithers and all. Raises
        BadRecord."""
        longest = Counter(self.choice).most_common(1)[0][0] if self.choice else 0
        good = [
            k
            for k, place in enumerate(self.place)
            if np.isfinite(place[0]) and self.choice[k] == longest and self.marks[k] != "wild"
        ]
        at = np.array([(self.at[k] - self.at[good[0]]).total_seconds() for k in good])
        axes = []
        for axis in (0, 1):
            sent = np.cumsum([s[axis] for s in self.sent])
            # what was sent in frames that are left out moved the star all the same
            done = sent[good] if good else np.empty(0)
            before = done[0] - self.sent[good[0]][axis] if good else 0.0
            pulses = np.diff(done, prepend=before) if good else np.empty(0)
            where = np.array([self.place[k][axis] for k in good])
            axes.append(AxisRecord(at, where, 1000 * pulses, 1.0))
        return GuideRecord(axes[0], axes[1], np.array([self.snr[k] for k in good]))

    def figures(self, name: str, part: slice) -> AxisFigures | None:
        if part.start >= len(self.at):
            return None
        return figures_of(*self.axis(name, part))
