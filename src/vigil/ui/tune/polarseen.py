"""What the polar bench has heard: frames, measurements, the star on its way, a drift."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from vigil.documents.polar import PolarRecord

_MOST_POINTS = 4000


@dataclass
class PolarSeen:
    """Of one window. `before` is the measurement that was made before `record`, of the same session."""

    frames: list[dict[str, Any]] = field(default_factory=list)
    frames_wanted: int = 3
    record: PolarRecord | None = None
    before: PolarRecord | None = None
    live: dict[str, Any] = field(default_factory=dict)
    """The last frame while the adjusters are turned that was solved."""
    trouble: str = ""
    """What the last one says where it wasn't."""
    image: dict[str, Any] | None = None
    seen_at: datetime | None = None
    turned: str = ""
    """What the last turn has done."""
    points: list[tuple[float, float]] = field(default_factory=list)
    """Seconds and arc-seconds of the drift under way."""
    drift: dict[str, Any] = field(default_factory=dict)
    drift_axis: str = "azimuth"
    star: dict[str, Any] = field(default_factory=dict)
    """The drift's star while its adjuster is turned."""

    def begin_frames(self, wanted: int) -> None:
        self.frames, self.frames_wanted = [], wanted

    def begin_turning(self) -> None:
        self.live, self.trouble, self.image, self.turned = {}, "", None, ""

    def begin_drift(self, axis: str) -> None:
        self.points, self.drift, self.star, self.turned = [], {}, {}, ""
        self.drift_axis = axis

    def take_record(self, record: PolarRecord) -> None:
        if record.method == "frames":
            self.before, self.record = self.record, record

    def take_turning(self, row: dict[str, Any]) -> None:
        """A frame of the stream while the adjusters are turned."""
        self.seen_at = datetime.fromisoformat(row["at"])
        if row.get("image"):
            self.image = row["image"]
        self.trouble = str(row.get("reason", ""))
        if "altitude_arcmin" in row:
            self.live = row

    def take_drift(self, row: dict[str, Any]) -> None:
        """A frame of a drift's stream."""
        self.seen_at = datetime.fromisoformat(row["at"])
        self.trouble = str(row.get("reason", ""))
        if row.get("phase") == "turning":
            self.star = row
            return
        if self.points and row["at_s"] < self.points[-1][0]:  # measured again
            self.points, self.drift = [], {}
        self.star = {}
        self.points = [*self.points, (row["at_s"], row["dec_arcsec"])][-_MOST_POINTS:]
        if "words" in row:
            self.drift = row
