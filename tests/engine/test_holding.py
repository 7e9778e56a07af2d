"""What a held night does next, decision by decision."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from typing import Any

import pytest

from campaigns.demo import demo_plan
from vigil.documents.night import NightState, RunState
from vigil.documents.plan import StandingOrders
from vigil.engine.activities.connect import Connect
from vigil.engine.activities.shelter import Shelter
from vigil.engine.check import Check, Standing
from vigil.engine.holding import Do, GoOn, Holding, Rest
from vigil.planning.choice import Candidate, Wait

NOW = datetime(2027, 1, 12, 22, tzinfo=UTC)
BLOCK = demo_plan().blocks[0]
CANDIDATE = Candidate(BLOCK, BLOCK.lines[0], 1, NOW, NOW + timedelta(hours=3))
MET, UNMET = Check(Standing.MET, "fine"), Check(Standing.NOT_MET, "not fine")
LAST = NOW + timedelta(hours=5)


@dataclass
class FakeOutlook:
    """Answers as the test says."""

    sky: Check = MET
    opened: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)
    cause: Check = UNMET
    looks: bool = False

    def unsafe(self, now: datetime) -> str | None:
        return None if self.sky.met else self.sky.words

    def safety(self, now: datetime) -> Check:
        return self.sky

    def unsheltered(self) -> list[str]:
        return self.opened

    def lost_sensors(self) -> list[str]:
        return self.lost

    def last_closing(self, otherwise: datetime) -> datetime:
        return LAST

    def view(self, candidate: Candidate, now: datetime) -> Any:
        return None

    def exposure_times(self, candidate: Candidate, now: datetime) -> tuple[datetime, datetime]:
        return now, now

    def condition(self, name: str, block: Any) -> Any:
        look = SimpleNamespace(KIND="look") if self.looks else None
        return SimpleNamespace(check=lambda *_: self.cause, look=lambda view: look)


def holding(outlook: FakeOutlook, cause: str) -> Holding:
    state = NightState(run=RunState.HELD, held_by=cause, hold="it is so")
    made = Holding(outlook, SimpleNamespace(state=state))  # type: ignore[arg-type]
    made.began(NOW)
    return made


def after(made: Holding, minutes: float, choice: Candidate | Wait = CANDIDATE, **orders: Any) -> Any:
    return made.next(choice, StandingOrders(**orders), NOW + timedelta(minutes=minutes))


def test_a_persons_hold_waits_for_the_person_to_the_end_of_the_night() -> None:
    assert after(holding(FakeOutlook(cause=MET), ""), 0) == Rest(LAST)


def test_what_is_open_is_shut_before_a_lost_sensor_is_looked_for() -> None:
    outlook = FakeOutlook(sky=UNMET, opened=["roof open"], lost=["weather station not connected"])
    first = after(holding(outlook, "safe"), 0)
    assert isinstance(first, Do) and isinstance(first.activity, Shelter) and first.urgent
    assert first.why == "not fine; roof open"
    outlook.opened = []
    second = after(holding(outlook, "safe"), 1)
    assert isinstance(second, Do) and isinstance(second.activity, Connect)
    outlook.lost = []
    assert isinstance(after(holding(outlook, "safe"), 2), Rest)


def test_a_plan_may_leave_everything_open() -> None:
    outlook = FakeOutlook(sky=UNMET, opened=["roof open"])
    assert isinstance(after(holding(outlook, "safe"), 0, when_unsafe="stay"), Rest)
    outlook.lost = ["weather station not connected"]
    lost = after(holding(outlook, "safe"), 0, when_unsafe="stay")
    assert isinstance(lost, Do) and isinstance(lost.activity, Connect), "its sensors are wanted all the same"


@pytest.mark.parametrize("cause", ["safe", "room on disk"])
def test_it_goes_on_only_after_the_cause_has_been_gone_for_a_while(cause: str) -> None:
    outlook = FakeOutlook()
    made = holding(outlook, cause)
    outlook.sky = outlook.cause = MET
    assert isinstance(after(made, 1), Rest) and isinstance(after(made, 5.9), Rest)
    outlook.sky = outlook.cause = UNMET
    assert isinstance(after(made, 6), Rest), "it flaps"
    outlook.sky = outlook.cause = MET
    assert isinstance(after(made, 7), Rest)
    assert after(made, 12) == GoOn(f"{cause} again for 5 min: fine")


def test_a_cause_that_only_a_frame_shows_is_looked_at_every_five_minutes_under_a_safe_sky() -> None:
    outlook = FakeOutlook(looks=True)
    made = holding(outlook, "stars seen")
    assert isinstance(after(made, 4.9), Rest), "it has just been seen"
    look = after(made, 5)
    assert isinstance(look, Do) and look.activity.KIND == "look" and not look.urgent
    assert isinstance(after(made, 9.9), Rest) and isinstance(after(made, 10), Do)
    outlook.sky = UNMET
    assert isinstance(after(made, 20), Rest), "nothing is exposed under an unsafe sky"


def test_between_blocks_only_the_sky_can_be_judged() -> None:
    outlook = FakeOutlook(cause=MET)
    wait = Wait(NOW + timedelta(hours=1), "later")
    assert isinstance(after(holding(outlook, "room on disk"), 30, wait), Rest)
    made = holding(outlook, "safe")
    assert isinstance(after(made, 30, wait), Rest) and isinstance(after(made, 35, wait), GoOn)
