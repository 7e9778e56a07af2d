"""What a condition says."""

from abc import ABC, abstractmethod
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING, Any, ClassVar

from vigil.documents.conditions import known
from vigil.documents.rig import Rig

if TYPE_CHECKING:
    from vigil.engine.activity import Activity
    from vigil.engine.remedy import Remedy
    from vigil.engine.view import View


_LOOK_AGAIN = timedelta(minutes=5)


class Standing(StrEnum):
    """Unknown counts as not met, and is mended by measuring."""

    MET = "met"
    NOT_MET = "not met"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Gauge:
    """How far a value is from its limit: the most it may be, or the least; with `due_at` it may not be
    reached either."""

    words: str
    value: float
    limit: float
    unit: str
    at_least: bool = False
    due_at: bool = False

    @property
    def kept(self) -> bool:
        """Whether the value is on the right side of its limit."""
        if self.at_least:
            return self.value >= self.limit
        return self.value < self.limit if self.due_at else self.value <= self.limit


@dataclass(frozen=True, slots=True)
class Check:
    """A condition's answer; `words` say it for people."""

    standing: Standing
    words: str
    gauges: tuple[Gauge, ...] = ()

    @property
    def met(self) -> bool:
        return self.standing is Standing.MET

    def told(self, name: str) -> dict[str, Any]:
        """As plain values, for status messages."""
        gauges = [{**asdict(g), "kept": g.kept} for g in self.gauges]
        return {"condition": name, "standing": self.standing.value, "words": self.words, "gauges": gauges}


class Condition(ABC):
    """Something that must hold before an exposure. One small file each, in engine/conditions/."""

    name: str
    place: ClassVar[int]
    """In the usual order, lowest first; one without a place is not looked for in engine/conditions/."""
    hard: ClassVar[bool] = False
    """Must hold to the end of the readout, and is never waived."""
    slow: ClassVar[bool] = False
    """Brought about in the background."""

    @classmethod
    def wanted(cls, rig: Rig) -> bool:
        """Whether the rig's parts make sense of it; of those that plans may name documents.conditions has
        it."""
        entry = known(cls.name)
        return entry is None or entry.wanted(rig)

    @abstractmethod
    def check(self, view: "View", start: datetime, end: datetime) -> Check:
        """Whether it holds for an exposure from `start` to `end`; pure."""

    def ends_exposure(self, view: "View", start: datetime, end: datetime) -> str | None:
        """Why an exposure under way had better end now; looked at every few seconds. None: let it go on."""
        return None

    def remedy(self, view: "View") -> "Remedy":
        """What follows while it isn't met; pure. Where nothing of ours helps, the block is looked at again in
        five minutes."""
        from vigil.engine.remedy import NotBefore  # which knows activities, and they checks

        return NotBefore(view.at + _LOOK_AGAIN, self.check(view, view.at, view.at).words)

    def look(self, view: "View") -> "Activity | None":
        """What shows, in a hold that it caused, how it stands now; None where the devices' states do."""
        return None
