"""What happens when an activity fails, as data."""

from dataclasses import dataclass
from enum import StrEnum


class GiveUp(StrEnum):
    """What follows the last try."""

    WAIVE = "go on without it for a while"
    PAUSE = "wait, then try again"
    SKIP_BLOCK = "give the block up"
    HOLD = "hold the night"
    CLOSE = "end the night"


@dataclass(frozen=True, slots=True)
class Policy:
    """So many tries with growing pauses, then one way out. `later_s` is how long a waiver or pause lasts."""

    tries: int
    pauses_s: tuple[float, ...]
    then: GiveUp
    later_s: float = 300.0

    def pause_s(self, failures: int) -> float:
        """The pause after so many failures in a row."""
        return self.pauses_s[min(failures, len(self.pauses_s)) - 1] if self.pauses_s else 0.0


POLICIES: dict[str, Policy] = {
    "connect": Policy(3, (5.0, 30.0), GiveUp.PAUSE),
    "cool": Policy(3, (30.0, 60.0), GiveUp.PAUSE),
    "wake mount": Policy(3, (5.0, 30.0), GiveUp.PAUSE),
    "slew": Policy(5, (5.0, 30.0, 120.0, 300.0), GiveUp.SKIP_BLOCK),
    "dither": Policy(2, (10.0,), GiveUp.WAIVE, later_s=600.0),
    "flip": Policy(3, (15.0, 30.0), GiveUp.HOLD),
    "change filter": Policy(3, (5.0, 30.0), GiveUp.PAUSE),
    "open": Policy(3, (10.0, 60.0), GiveUp.PAUSE),
    "heat": Policy(2, (10.0,), GiveUp.WAIVE, later_s=1800.0),
    "focus": Policy(2, (60.0,), GiveUp.WAIVE, later_s=1800.0),
    "turn camera": Policy(3, (10.0, 60.0), GiveUp.WAIVE, later_s=3600.0),
    "turn by hand": Policy(1, (), GiveUp.WAIVE, later_s=3600.0),
    "centre": Policy(3, (30.0, 120.0), GiveUp.PAUSE),
    "shelter": Policy(3, (5.0, 15.0), GiveUp.PAUSE, later_s=60.0),
    "look": Policy(1, (), GiveUp.PAUSE),
    "ask": Policy(1, (), GiveUp.HOLD),
    "wait": Policy(1, (), GiveUp.WAIVE),
    "program": Policy(1, (), GiveUp.HOLD),
    "test exposure": Policy(1, (), GiveUp.WAIVE, later_s=86400.0),
    "expose": Policy(3, (5.0, 30.0), GiveUp.PAUSE),
}
MOST_ACTIVITIES_WITHOUT_EXPOSURE = 12
