"""What a held night does next: a look at the sky, go on, or wait. Shutting and parking are the guards'."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from vigil.engine.activities.connect import Connect
from vigil.engine.activity import Activity
from vigil.engine.check import Check
from vigil.engine.conditions.disk import Disk
from vigil.engine.conditions.safe import Safe
from vigil.engine.outlook import Outlook
from vigil.engine.recorder import NightRecorder
from vigil.planning.choice import Candidate, Wait

# a hold whose cause has gone ends after so long without it; a disk doesn't flap
_DWELL, _DISK_DWELL = timedelta(minutes=5), timedelta(minutes=1)
_EVERY, _LOOK_EVERY = timedelta(seconds=30), timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Act:
    """An activity, for a condition; `urgent` ones are tried until they are done."""

    activity: Activity
    condition: str
    why: str
    urgent: bool


@dataclass(frozen=True, slots=True)
class GoOn:
    """The cause has gone."""

    why: str


@dataclass(frozen=True, slots=True)
class Rest:
    """Until a moment, or until something happens."""

    until: datetime


class Holding:
    """What the guards need is looked for first; then what the cause asks for."""

    def __init__(self, outlook: Outlook, recorder: NightRecorder) -> None:
        self._outlook, self._recorder = outlook, recorder
        self._calm_since: datetime | None = None
        self._looked_at: datetime | None = None

    def began(self, now: datetime) -> None:
        self._calm_since, self._looked_at = None, now

    def next(self, choice: Candidate | Wait, now: datetime, sheltering: bool) -> Act | GoOn | Rest:
        """`sheltering`: things are being shut; a sensor that can't be reached is looked for afterwards."""
        lost = self._outlook.lost_guarded()
        if lost and not sheltering:
            return Act(Connect(tuple(lost)), "connected", f"{', '.join(lost)} not connected", urgent=True)
        cause = self._recorder.state.held_by
        if not cause:  # until a person says so
            return Rest(max(self._outlook.last_closing(now), now + timedelta(minutes=1)))
        look = self._look(cause, choice, now)
        if look is not None:
            self._looked_at = now
            return look
        check = self._cause_now(cause, choice, now)
        if check is None or not check.met:
            self._calm_since = None
            return Rest(now + _EVERY)
        self._calm_since = self._calm_since or now
        calm = now - self._calm_since
        if calm < (_DISK_DWELL if cause == Disk.name else _DWELL):
            return Rest(now + _EVERY)
        return GoOn(f"{cause} again for {calm.total_seconds() / 60:.0f} min: {check.words}")

    def _look(self, cause: str, choice: Candidate | Wait, now: datetime) -> Act | None:
        """Every few minutes, where only a frame shows whether the cause has gone, and the sky is safe."""
        if self._looked_at is not None and now - self._looked_at < _LOOK_EVERY:
            return None
        if not isinstance(choice, Candidate) or self._outlook.unsafe(now) is not None:
            return None
        condition = self._outlook.condition(cause, choice.block)
        look = condition.look(self._outlook.view(choice, now)) if condition is not None else None
        return None if look is None else Act(look, cause, self._recorder.state.hold or "", urgent=False)

    def _cause_now(self, cause: str, choice: Candidate | Wait, now: datetime) -> Check | None:
        """How the condition that holds the night stands; None while nothing can be said."""
        if cause == Safe.name:
            return self._outlook.safety(now)
        if cause == Disk.name:
            return self._outlook.disk_check(now)
        condition = self._outlook.condition(cause, choice.block) if isinstance(choice, Candidate) else None
        if condition is None or not isinstance(choice, Candidate):
            return None
        times = self._outlook.exposure_times(choice, now)
        return condition.check(self._outlook.view(choice, now), *times)
