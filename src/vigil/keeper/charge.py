"""What the guards guard: the night while one is under way, else the rig as people left it."""

from collections.abc import Callable
from datetime import datetime
from typing import Any

from vigil.documents.errands import GUARD, Outcome
from vigil.documents.messages import Alarm
from vigil.engine.activity import Activity
from vigil.engine.errand import Workplace
from vigil.engine.guards.errand import GuardErrand
from vigil.engine.night import Night
from vigil.keeper.errands import Errands
from vigil.planning.daylight import DAY_ABOVE_DEG, sun_altitude_deg

_LETS_DAY_IN = frozenset(
    {
        ("roof", "open"),
        ("cover", "open"),
        ("mount", "unpark"),
        ("mount", "slew"),
        ("mount", "centre"),
        ("mount", "frame"),
        ("mount", "to"),
        ("mount", "track"),
        ("mount", "nudge"),
    }
)
"""Done by hand in daylight, these say that somebody wants the rig open to it."""


class KeeperCharge:
    """Passes on what a night under way has to know, and answers for the rig when there is none."""

    def __init__(
        self,
        place: Workplace,
        errands: Errands,
        night: Callable[[], Night | None],
        stands_open: Callable[[], list[str]],
    ) -> None:
        self._place, self._errands, self._night = place, errands, night
        self._stands_open = stands_open
        self._day_wanted = False
        self.alarm: Alarm | None = None
        """What a guard said last."""

    # -- what guards ask --------------------------------------------------------------------------

    def side(self) -> str:
        night = self._night()
        return night.side() if night is not None else ""

    def may_shelter(self) -> bool:
        night = self._night()
        return night.may_shelter() if night is not None else True

    def wants_daylight(self, now: datetime) -> bool:
        """A person's word lasts while something stands open, and until the evening; an errand's until it
        has shut again."""
        night = self._night()
        if night is not None and night.wants_daylight(now):
            return True
        if any(errand.wants_daylight(now) for errand in self._errands.under_way()):
            return True
        return self._day_wanted and bool(self._stands_open())

    def disk_trouble(self, now: datetime) -> str:
        night = self._night()
        return night.disk_trouble(now) if night is not None else ""

    def by_hand(self, device: str, action: str) -> None:
        """A person has begun to work with a device."""
        now = self._place.kit().clock.utcnow()
        by_day = sun_altitude_deg(self._place.kit().rig.site, now) > DAY_ABOVE_DEG
        if by_day and (device, action) in _LETS_DAY_IN:
            self._day_wanted = True

    def evening(self, now: datetime) -> None:
        """The sun is down: a day was wanted only as long as it lasted."""
        if self._day_wanted and sun_altitude_deg(self._place.kit().rig.site, now) <= DAY_ABOVE_DEG:
            self._day_wanted = False

    # -- what guards tell -------------------------------------------------------------------------

    def unsafe(self, words: str) -> None:
        self._say(words)
        self._pass_on(lambda night: night.unsafe(words))

    def stopped(self, words: str) -> None:
        self._pass_on(lambda night: night.stopped(words))

    def lost(self, device: str, words: str) -> None:
        self._say(words)
        self._pass_on(lambda night: night.lost(device, words))

    def disk(self, words: str) -> None:
        self._pass_on(lambda night: night.disk(words))

    async def guarded(self, values: dict[str, Any], words: str) -> None:
        self._say(words)
        night = self._night()
        if night is not None:
            await night.guarded(values, words)
        else:
            note = GuardErrand(self._place, await self._errands.recorder(GUARD), None, words, values)
            await self._errands.start(note, note.run())

    async def carry(self, activity: Activity, condition: str, why: str) -> str | None:
        self._say(f"{activity.words}: {why}")
        night = self._night()
        if night is not None:
            return await night.carry(activity, condition, why)
        return await self._alone(activity, why)

    async def _alone(self, activity: Activity, why: str) -> str | None:
        """Without a night it is an errand of the guards' own."""
        errand = GuardErrand(self._place, await self._errands.recorder(GUARD), activity, why)
        await self._errands.start(errand, errand.run())
        return None if errand.outcome is Outcome.DONE else errand.because

    def _pass_on(self, tell: Callable[[Night], None]) -> None:
        night = self._night()
        if night is not None:
            tell(night)

    def _say(self, words: str) -> None:
        self.alarm = Alarm(at=self._place.kit().clock.utcnow(), words=words)
