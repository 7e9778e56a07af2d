"""What the guards guard: the night while one is under way, else the rig as people left it."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.hand import ALL
from vigil.documents.messages import Alarm, Deed, Stage
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.engine.arbiter import Arbiter
from vigil.engine.night import Night
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
    """Passes on what a night under way has to know, and answers for the rig when there is none. `tell` gets
    what clients should hear."""

    def __init__(
        self,
        kit: Callable[[], Kit],
        arbiter: Arbiter,
        night: Callable[[], Night | None],
        tell: Callable[[Deed], None],
        stands_open: Callable[[], list[str]],
    ) -> None:
        self._kit, self._arbiter, self._night, self._tell = kit, arbiter, night, tell
        self._stands_open = stands_open
        self._day_wanted = False
        self._count = 0
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
        """A person's word lasts while something stands open, and until the evening."""
        night = self._night()
        if night is not None and night.wants_daylight(now):
            return True
        return self._day_wanted and bool(self._stands_open())

    def disk_trouble(self, now: datetime) -> str:
        night = self._night()
        return night.disk_trouble(now) if night is not None else ""

    def by_hand(self, device: str, action: str) -> None:
        """A person has begun to work with a device."""
        now = self._kit().clock.utcnow()
        by_day = sun_altitude_deg(self._kit().rig.site, now) > DAY_ABOVE_DEG
        if by_day and (device, action) in _LETS_DAY_IN:
            self._day_wanted = True

    def evening(self, now: datetime) -> None:
        """The sun is down: a day was wanted only as long as it lasted."""
        if self._day_wanted and sun_altitude_deg(self._kit().rig.site, now) <= DAY_ABOVE_DEG:
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
            self._deed(str(values.get("device", ALL)), "guard", words, Stage.DONE, words)

    async def carry(self, activity: Activity, condition: str, why: str) -> str | None:
        self._say(f"{activity.words}: {why}")
        night = self._night()
        if night is not None:
            return await night.carry(activity, condition, why)
        return await self._alone(activity, why)

    async def _alone(self, activity: Activity, why: str) -> str | None:
        """Without a night there is no ledger to write to; whoever listens is told."""
        number = self._deed(ALL, "guard", activity.words, Stage.BEGUN, why)

        async def step(values: dict[str, Any], reason: str) -> None:
            self._deed(ALL, "guard", activity.words, Stage.UNDER_WAY, reason, values, number)

        problem = None
        async with self._arbiter.claim(activity.claims, activity.words, activity.URGENCY):
            try:
                await activity.run(replace(self._kit(), step=step))
            except (DeviceError, ActivityFailed) as failure:
                problem = str(failure)
        stage = Stage.DONE if problem is None else Stage.FAILED
        self._deed(ALL, "guard", activity.words, stage, problem or why, number=number)
        return problem

    def _pass_on(self, tell: Callable[[Night], None]) -> None:
        night = self._night()
        if night is not None:
            tell(night)

    def _say(self, words: str) -> None:
        self.alarm = Alarm(at=self._kit().clock.utcnow(), words=words)

    def _deed(
        self,
        device: str,
        action: str,
        words: str,
        stage: Stage,
        reason: str,
        values: dict[str, Any] | None = None,
        number: int | None = None,
    ) -> int:
        if number is None:
            self._count += 1
            number = self._count
        at = self._kit().clock.utcnow()
        self._tell(
            Deed(
                id=f"guard-{number}", at=at, device=device, action=action, words=words, stage=stage,
                reason=reason, values=values or {},
            )
        )  # fmt: skip
        return number
