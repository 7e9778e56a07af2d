"""What follows when a condition isn't met, as a value: each says why."""

from dataclasses import dataclass
from datetime import datetime

from vigil.engine.activity import Activity


@dataclass(frozen=True, slots=True)
class Do:
    """This brings it about. A `skippable` one is left out when no time remains for it and a frame after
    it."""

    activity: Activity
    skippable: bool = False


@dataclass(frozen=True, slots=True)
class NotBefore:
    """It can't be helped before a moment: what is open elsewhere goes on until then. A moment after the
    block's span has closed means not tonight."""

    moment: datetime
    why: str


@dataclass(frozen=True, slots=True)
class NotNow(NotBefore):
    """Not in this stretch of the span any more; `moment` is its end."""


@dataclass(frozen=True, slots=True)
class Hold:
    """Nothing of ours mends it, and it is worth waiting for: the night is held until it is met again."""

    why: str


@dataclass(frozen=True, slots=True)
class GiveUp:
    """The block is over for tonight."""

    why: str


Remedy = Do | NotBefore | NotNow | Hold | GiveUp
