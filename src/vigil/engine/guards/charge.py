"""What the guards ask of, and tell, whatever they guard: a night, or a keeper that runs none."""

from datetime import datetime
from typing import Any, Protocol

from vigil.engine.activity import Activity


class Charge(Protocol):
    """Nothing in it may take long: a guard doesn't wait for it, but for `carry`."""

    def side(self) -> str:
        """Of the pier, by the last slew; "" where nobody knows."""
        ...

    def may_shelter(self) -> bool:
        """Whether an unsafe sky is to be shut out."""
        ...

    def wants_daylight(self, now: datetime) -> bool:
        """Whether somebody asked for things to stand open by day."""
        ...

    def disk_trouble(self, now: datetime) -> str:
        """Why frames can't be written, in words; "" when they can."""
        ...

    def unsafe(self, words: str) -> None:
        """The sky is not safe any more, or the day has come."""
        ...

    def stopped(self, words: str) -> None:
        """A guard has stopped the mount."""
        ...

    def lost(self, device: str, words: str) -> None:
        """A device doesn't answer any more."""
        ...

    def disk(self, words: str) -> None:
        """Frames can't be written."""
        ...

    async def carry(self, activity: Activity, condition: str, why: str) -> str | None:
        """Carry out what a guard has to do; returns what went wrong."""
        ...

    async def guarded(self, values: dict[str, Any], words: str) -> None:
        """Put on record what a guard did or noticed."""
        ...
