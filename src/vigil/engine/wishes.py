"""What the night's loop is asked for between two decisions: by people, by guards, by what failed."""

from dataclasses import dataclass

from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig


@dataclass(frozen=True, slots=True)
class HoldWish:
    """`cause` is the condition that ends the hold by itself; without one a person does."""

    reason: str
    cause: str = ""


class Wishes:
    """The newest of each kind; a person's hold isn't replaced by one with a cause."""

    def __init__(self) -> None:
        self.hold: HoldWish | None = None
        self.end: str | None = None
        self.rig: tuple[Rig, str] | None = None
        self.plan: tuple[NightPlan, str] | None = None

    @property
    def stops(self) -> bool:
        """Whether what is under way ends for a wish, and not for a failure of its own."""
        return self.hold is not None or self.end is not None

    def want_hold(self, reason: str, cause: str = "") -> None:
        if self.hold is None or not cause:
            self.hold = HoldWish(reason, cause)

    def take_hold(self) -> HoldWish | None:
        taken, self.hold = self.hold, None
        return taken

    def take_rig(self) -> tuple[Rig, str] | None:
        taken, self.rig = self.rig, None
        return taken

    def take_plan(self) -> tuple[NightPlan, str] | None:
        taken, self.plan = self.plan, None
        return taken
