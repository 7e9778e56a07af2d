"""What happens when an activity fails, as data."""

from dataclasses import dataclass
from enum import StrEnum


class AfterTries(StrEnum):
    """What follows the last try."""

    WAIVE = "go on without it for a while"
    PUT_OFF = "leave the block alone for a while, then try again"
    LEAVE_OUT = "skip the block for tonight"
    HOLD = "hold the night for a person"
    CLOSE = "end the night"


@dataclass(frozen=True, slots=True)
class Policy:
    """So many tries with growing pauses, then one way out. `later_s` is how long a waiver or the first
    putting off lasts; each that follows lasts twice as long, up to `longest_s`: a fault costs what it
    lasts."""

    tries: int
    pauses_s: tuple[float, ...]
    then: AfterTries
    later_s: float = 300.0
    longest_s: float = 900.0

    def pause_s(self, failures: int) -> float:
        """The pause after so many failures in a row."""
        return self.pauses_s[min(failures, len(self.pauses_s)) - 1] if self.pauses_s else 0.0

    def put_off_s(self, before: int) -> float:
        """For how long, after the block was put off so many times in a row."""
        return min(self.later_s * 2.0 ** min(before, 10), self.longest_s)


POLICIES: dict[str, Policy] = {
    "connect": Policy(3, (5.0, 30.0), AfterTries.PUT_OFF, later_s=60.0, longest_s=120.0),
    "cool": Policy(3, (30.0, 60.0), AfterTries.PUT_OFF),
    "wake mount": Policy(3, (5.0, 30.0), AfterTries.PUT_OFF, later_s=120.0),
    "slew": Policy(3, (5.0, 30.0), AfterTries.PUT_OFF, later_s=120.0, longest_s=300.0),
    "dither": Policy(2, (10.0,), AfterTries.WAIVE, later_s=600.0),
    "guide": Policy(2, (10.0,), AfterTries.WAIVE, later_s=600.0),
    "align polar axis": Policy(2, (30.0,), AfterTries.WAIVE, later_s=3600.0),
    "calibrate guiding": Policy(2, (30.0,), AfterTries.WAIVE, later_s=3600.0),
    "flip": Policy(3, (15.0, 30.0), AfterTries.PUT_OFF),
    "change filter": Policy(3, (5.0, 30.0), AfterTries.PUT_OFF),
    "open": Policy(3, (10.0, 60.0), AfterTries.PUT_OFF, later_s=120.0),
    "heat": Policy(2, (10.0,), AfterTries.WAIVE, later_s=1800.0),
    "focus": Policy(4, (60.0, 10.0, 10.0), AfterTries.WAIVE, later_s=900.0),
    "turn camera": Policy(3, (10.0, 60.0), AfterTries.WAIVE, later_s=3600.0),
    "turn by hand": Policy(1, (), AfterTries.WAIVE, later_s=3600.0),
    "centre": Policy(3, (30.0, 120.0), AfterTries.PUT_OFF),
    "shelter": Policy(3, (5.0, 15.0), AfterTries.PUT_OFF, later_s=60.0),
    "stand down": Policy(1, (), AfterTries.WAIVE, later_s=300.0),
    "look": Policy(1, (), AfterTries.PUT_OFF),
    "ask": Policy(1, (), AfterTries.HOLD),
    "wait": Policy(1, (), AfterTries.WAIVE),
    "program": Policy(1, (), AfterTries.HOLD),
    "test exposure": Policy(1, (), AfterTries.WAIVE, later_s=86400.0),
    "expose": Policy(3, (5.0, 30.0), AfterTries.PUT_OFF),
}
MOST_REPEATS_WITHOUT_EXPOSURE = 6
"""Brought about so often without a frame, a condition is undone by another."""
