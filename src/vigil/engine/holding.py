"""What a held night does next: shelter, a look at the sky, go on, or wait."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from vigil.documents.plan import StandingOrders
from vigil.engine.activities.connect import Connect
from vigil.engine.activities.shelter import Shelter
from vigil.engine.activity import Activity
from vigil.engine.check import Check
from vigil.engine.conditions.safe import Safe
from vigil.engine.outlook import Outlook
from vigil.engine.recorder import Recorder
from vigil.planning.choice import Candidate, Wait

# a hold whose cause has gone ends after so long without it
_DWELL = timedelta(minutes=5)
_EVERY, _LOOK_EVERY = timedelta(seconds=30), timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Do:
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
    """Shelter comes first, whatever the hold is for; then what the cause asks for."""

    def __init__(self, outlook: Outlook, recorder: Recorder) -> None:
        self._outlook, self._recorder = outlook, recorder
        self._calm_since: datetime | None = None
        self._looked_at: datetime | None = None

    def began(self, now: datetime) -> None:
        self._calm_since, self._looked_at = None, now

    def next(self, choice: Candidate | Wait, orders: StandingOrders, now: datetime) -> Do | GoOn | Rest:
        """`orders` are the plan's."""
        shelter = self._shelter(orders, now)
        if shelter is not None:
            return shelter
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
        if calm < _DWELL:
            return Rest(now + _EVERY)
        return GoOn(f"{cause} again for {calm.total_seconds() / 60:.0f} min: {check.words}")

    def _shelter(self, orders: StandingOrders, now: datetime) -> Do | None:
        """Under an unsafe sky shut and park where that is ordered, and bring sensors back that were lost."""
        unsafe = self._outlook.unsafe(now)
        opened = self._outlook.unsheltered() if orders.when_unsafe == "shelter" else []
        lost = self._outlook.lost_sensors()
        if unsafe is None or not (opened or lost):
            return None
        # shut first: a sensor that can't be reached must not keep the roof open
        activity: Activity = Shelter() if opened else Connect()
        return Do(activity, "sheltered", "; ".join([unsafe, *(opened or lost)]), urgent=True)

    def _look(self, cause: str, choice: Candidate | Wait, now: datetime) -> Do | None:
        """Every few minutes, where only a frame shows whether the cause has gone, and the sky is safe."""
        if self._looked_at is not None and now - self._looked_at < _LOOK_EVERY:
            return None
        if not isinstance(choice, Candidate) or self._outlook.unsafe(now) is not None:
            return None
        condition = self._outlook.condition(cause, choice.block)
        look = condition.look(self._outlook.view(choice, now)) if condition is not None else None
        return None if look is None else Do(look, cause, self._recorder.state.hold or "", urgent=False)

    def _cause_now(self, cause: str, choice: Candidate | Wait, now: datetime) -> Check | None:
        """How the condition that holds the night stands; None while nothing can be said."""
        if cause == Safe.name:
            return self._outlook.safety(now)
        condition = self._outlook.condition(cause, choice.block) if isinstance(choice, Candidate) else None
        if condition is None or not isinstance(choice, Candidate):
            return None
        times = self._outlook.exposure_times(choice, now)
        return condition.check(self._outlook.view(choice, now), *times)
