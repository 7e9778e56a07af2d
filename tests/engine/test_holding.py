"""What a held night does next, decision by decision."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from typing import Any

import pytest

from campaigns.demo import demo_plan
from vigil.documents.night import NightState, RunState
from vigil.engine.activities.connect import Connect
from vigil.engine.check import Check, Standing
from vigil.engine.holding import Act, GoOn, Holding, Rest
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
    lost: list[str] = field(default_factory=list)
    cause: Check = UNMET
    looks: bool = False

    def unsafe(self, now: datetime) -> str | None:
        return None if self.sky.met else self.sky.words

    def safety(self, now: datetime) -> Check:
        return self.sky

    def lost_guarded(self) -> list[str]:
        return self.lost

    def disk_check(self, now: datetime) -> Check:
        return self.cause

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


def after(
    made: Holding, minutes: float, choice: Candidate | Wait = CANDIDATE, sheltering: bool = False
) -> Any:
    return made.next(choice, NOW + timedelta(minutes=minutes), sheltering)


def test_a_persons_hold_waits_for_the_person_to_the_end_of_the_night() -> None:
    assert after(holding(FakeOutlook(cause=MET), ""), 0) == Rest(LAST)


def test_what_the_guards_need_is_connected_first_but_not_while_all_is_being_shut() -> None:
    outlook = FakeOutlook(sky=UNMET, lost=["weather station", "roof"])
    assert isinstance(after(holding(outlook, "safe"), 0, sheltering=True), Rest)
    first = after(holding(outlook, ""), 1)
    assert isinstance(first, Act) and first.urgent and first.why == "weather station, roof not connected"
    assert isinstance(first.activity, Connect) and first.activity.names == ("weather station", "roof")


@pytest.mark.parametrize(("cause", "dwell"), [("safe", 5), ("enough stars", 5), ("room on disk", 1)])
def test_it_goes_on_only_after_the_cause_has_been_gone_for_a_while(cause: str, dwell: int) -> None:
    outlook = FakeOutlook()
    made = holding(outlook, cause)
    outlook.sky = outlook.cause = MET
    assert isinstance(after(made, 1), Rest) and isinstance(after(made, 0.9 + dwell), Rest)
    outlook.sky = outlook.cause = UNMET
    assert isinstance(after(made, 1 + dwell), Rest), "it flaps"
    outlook.sky = outlook.cause = MET
    assert isinstance(after(made, 2 + dwell), Rest)
    assert after(made, 2 + 2 * dwell) == GoOn(f"{cause} again for {dwell} min: fine")


def test_a_cause_that_only_a_frame_shows_is_looked_at_every_five_minutes_under_a_safe_sky() -> None:
    outlook = FakeOutlook(looks=True)
    made = holding(outlook, "enough stars")
    assert isinstance(after(made, 4.9), Rest), "it has just been seen"
    look = after(made, 5)
    assert isinstance(look, Act) and look.activity.KIND == "look" and not look.urgent
    assert isinstance(after(made, 9.9), Rest) and isinstance(after(made, 10), Act)
    outlook.sky = UNMET
    assert isinstance(after(made, 20), Rest), "nothing is exposed under an unsafe sky"


def test_between_blocks_only_the_sky_can_be_judged() -> None:
    outlook = FakeOutlook(cause=MET)
    wait = Wait(NOW + timedelta(hours=1), "later")
    made = holding(outlook, "enough stars")
    assert isinstance(after(made, 30, wait), Rest) and isinstance(after(made, 90, wait), Rest)
    made = holding(outlook, "safe")
    assert isinstance(after(made, 30, wait), Rest) and isinstance(after(made, 35, wait), GoOn)
