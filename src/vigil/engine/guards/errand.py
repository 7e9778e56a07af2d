"""What guards do while no night runs, as an errand: on record, and done though nothing can be written."""

from typing import Any

from vigil.documents.errands import GUARD
from vigil.engine.activity import Activity, Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, PlainErrand, Workplace


class GuardErrand(PlainErrand):
    """An activity of a guard's; or without one, what it has noticed and done already."""

    KIND = GUARD
    URGENCY = Urgency.SHELTER
    MUST = True

    def __init__(
        self,
        place: Workplace,
        recorder: ErrandRecorder,
        activity: Activity | None,
        why: str,
        noticed: dict[str, Any] | None = None,
    ) -> None:
        words = activity.words if activity is not None else why
        claims = activity.claims if activity is not None else frozenset[str]()
        super().__init__(place, recorder, words, claims, given={"why": why, **(noticed or {})})
        self._activity = activity

    def stop(self, why: str) -> str:
        """Only an emergency stop comes before it, and does so through the arbiter."""
        return f"{self.words}: a guard's work is not stopped by hand; stop everything instead"

    async def work(self, kit: Kit) -> dict[str, Any]:
        if self._activity is None:
            return {"summary": self.words}
        result = await self._activity.run(kit)
        return {"summary": self._activity.words, **result}
