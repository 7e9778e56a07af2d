"""Everything that the keeper has in hand: begun, told, asked, stopped, cut off; and a new kind of it."""

import asyncio
from datetime import timedelta
from pathlib import Path
from threading import Thread
from typing import Any

import pytest

from campaigns.demo import short_plan
from campaigns.kept import RIG, Place, kept
from vigil.documents.errands import BY_HAND, NIGHT, Outcome
from vigil.documents.errands import fold_all as errand_of
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command, Samples
from vigil.documents.night import RunState, fold_all
from vigil.engine import errands as kinds
from vigil.engine.activity import Kit
from vigil.engine.arbiter import Urgency
from vigil.engine.errand import ErrandRecorder, ErrandRefused, PlainErrand, Workplace
from vigil.ledger.samples import samples_of
from vigil.ledger.store import LedgerStore


def test_work_by_hand_is_told_listed_followed_and_in_the_ledger(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        answer = await place.ask(Command.DEVICE, device="focuser", action="to", position=9000)
        assert answer.taken and answer.reason == "focuser to 9000"
        (errand,) = await place.under_way()
        assert (errand.kind, errand.words, errand.claims) == (BY_HAND, "focuser to 9000", ["focuser"])
        assert errand.id == "2027-01-12-heron-480-by-hand-2" and errand.began is not None
        await place.until(Kind.ERRAND_ENDED, outcome="done")
        await asyncio.sleep(60)
        assert await place.under_way() == []
        # who comes later hears the same as who was there
        heard: list[Event] = []
        detach = await place.keeper.attach(
            0, lambda news: heard.append(news) if isinstance(news, Event) else None
        )
        detach()
        assert heard == place.told

    kept(tmp_path, work)
    store = LedgerStore(tmp_path / "ledger.sqlite")
    state = errand_of(store.events("2027-01-12-heron-480-by-hand-2"))
    assert state.over and state.outcome is Outcome.DONE and state.reason == "at 9000"
    assert state.given == {"device": "focuser", "action": "to", "values": {"position": 9000}}
    assert [row.kind for row in store.errands(RIG.id)] == [BY_HAND, BY_HAND]


def test_it_is_stopped_by_its_name_or_the_end_of_it(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        assert (await place.ask(Command.STOP_ERRAND)).reason == "nothing is under way"
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        await place.ask(Command.DEVICE, device="camera", action="take", exposure_s=60)
        await place.ask(Command.DEVICE, device="mount", action="slew", ra="5h16m", dec="+34 21")
        await asyncio.sleep(3)
        refused = await place.ask(Command.STOP_ERRAND)
        assert not refused.taken and "say which: " in refused.reason and "by-hand-4" in refused.reason
        refused = await place.ask(Command.STOP_ERRAND, errand="dome")
        assert not refused.taken and "nothing under way is called 'dome'" in refused.reason
        assert (await place.ask(Command.STOP_ERRAND, errand="by-hand-3")).taken
        ended = await place.until(Kind.ERRAND_ENDED, outcome="stopped")
        assert ended.errand.endswith("by-hand-3") and ended.reason == "stopped by hand"
        assert (await place.ask(Command.STOP_ERRAND, errand="mount slew 5h16m +34 21")).taken
        await asyncio.sleep(5)
        assert await place.under_way() == []

    kept(tmp_path, work)


def test_beside_a_held_night_and_a_stopped_errand_is_the_night_closed(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.ask(Command.START, plan=short_plan(count=6).model_dump(mode="json"))
        await place.until(Kind.FRAME_SAVED)
        await place.ask(Command.HOLD, now=True)
        await place.until(Kind.HELD)
        await place.ask(Command.DEVICE, device="focuser", action="by", steps=2000)
        both = await place.under_way()
        assert [e.kind for e in both] == [NIGHT, BY_HAND] and both[0].words == "holding"
        told = await place.until(Kind.BY_HAND)
        ended = await place.until(Kind.ERRAND_ENDED)
        assert told.id < ended.id, "who resumes when it is over resumes a night that knows"
        refused = await place.ask(Command.STOP_ERRAND)
        assert refused.reason == "nothing is under way beside the night", "a night is named to be ended"
        assert (await place.ask(Command.STOP_ERRAND, errand=NIGHT)).reason.startswith("ending the night")
        await place.until(Kind.NIGHT_OVER)

    kept(tmp_path, work)


def test_of_two_starts_at_once_the_second_is_refused(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        plan = short_plan(count=1).model_dump(mode="json")
        answers = await asyncio.gather(*(place.ask(Command.START, plan=plan) for _ in range(3)))
        assert [answer.taken for answer in answers] == [True, False, False]
        assert all("is under way already" in answer.reason for answer in answers[1:])
        assert [e.kind for e in await place.under_way()] == [NIGHT]

    kept(tmp_path, work)


def test_a_loop_s_frames_are_a_stream_and_no_events(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        heard: list[Any] = []
        deaf: list[Any] = []
        await place.keeper.attach(0, heard.append, {"loop"})
        await place.keeper.attach(0, deaf.append)
        await place.do("all", "connect")
        before = len(place.told)
        await place.ask(Command.DEVICE, device="camera", action="loop", exposure_s=2)
        await asyncio.sleep(60)
        await place.ask(Command.STOP_ERRAND)
        await place.until(Kind.ERRAND_ENDED, outcome="stopped")
        assert len(place.told) == before + 2, "its beginning and its end"
        frames = [row.values["number"] for news in heard if isinstance(news, Samples) for row in news.rows]
        assert len(frames) > 5 and frames == list(range(1, len(frames) + 1))
        assert not any(isinstance(news, Samples) for news in deaf)

    kept(tmp_path, work)
    found = samples_of(tmp_path / "ledger.sqlite", "2027-01-12-heron-480-by-hand-2", "loop")
    assert found[0][1]["number"] == 1 and "stars" in found[0][1]


def test_what_a_dead_keeper_had_under_way_by_hand_is_cut_off(tmp_path: Path) -> None:
    async def dies(place: Place) -> None:
        await place.do("all", "connect")
        await place.ask(Command.DEVICE, device="camera", action="take", exposure_s=60)
        await asyncio.sleep(3)

    async def again(place: Place) -> None:
        assert await place.under_way() == []
        (ended,) = [e for e in place.told if e.kind is Kind.ERRAND_ENDED]
        assert ended.values["outcome"] == "cut off" and "the keeper was gone" in ended.reason
        await place.do("all", "connect")
        assert place.told[-1].errand.endswith("by-hand-3"), "a name is not given twice"

    kept(tmp_path, dies, killed=True)
    kept(tmp_path, again)


def test_two_keepers_of_two_rigs_on_one_ledger_at_once(tmp_path: Path) -> None:
    """Each on a thread of its own, with a night and work by hand; neither waits for, or sees, the other's."""
    other = RIG.model_copy(update={"id": "wren-90", "name": "Wren 90"})
    plan = short_plan(count=1).model_dump(mode="json")

    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("focuser", "to", position=9000)
        assert (await place.ask(Command.START, plan=plan)).taken
        await place.until(Kind.NIGHT_OVER)

    problems: list[BaseException] = []

    def run(rig: Any) -> None:
        try:
            kept(tmp_path, work, rig=rig)
        except BaseException as problem:
            problems.append(problem)

    both = [Thread(target=run, args=(rig,)) for rig in (RIG, other)]
    for thread in both:
        thread.start()
    for thread in both:
        thread.join()
    assert not problems
    store = LedgerStore(tmp_path / "ledger.sqlite")
    for rig in (RIG, other):
        night = store.last_night(rig.id)
        assert night is not None and rig.id in night
        state = fold_all(store.events(night))
        assert state.run is RunState.OVER and state.good == 2
        assert [row.kind for row in store.errands(rig.id)] == [NIGHT, BY_HAND, BY_HAND]
        assert {frame["rig"] for frame in store.frames(night)} == {rig.id}


# -- a new kind, as docs/architecture.md tells it -------------------------------------------------------


class Blinking(PlainErrand):
    """Made up: the panel on and off, so many times; asks whether that was seen."""

    KIND = "blinking"
    URGENCY = Urgency.BENCH
    GRACE_S = 900.0

    @classmethod
    def asked_for(
        cls, place: Workplace, recorder: ErrandRecorder, asked: str, values: dict[str, Any]
    ) -> "Blinking":
        if not 1 <= (times := int(values.get("times", 3))) <= 9:
            raise ErrandRefused(f"blinking {times} times is not possible: 1 to 9")
        given = {"times": times, "every_s": float(values.get("every_s", 2.0))}
        return cls(place, recorder, f"blinking {times} times", frozenset({"focuser"}), asked, given)

    yielded = ""

    def yield_to(self, why: str) -> None:
        self.yielded = why

    async def work(self, kit: Kit) -> dict[str, Any]:
        times = int(self.state.given["times"])
        self.progress.begin("blink", self.words, 0, times, "times")
        for number in range(times):
            if self.yielded:
                return {"blinked": number, "summary": f"left off for {self.yielded}"}
            await kit.clock.sleep(float(self.state.given["every_s"]))
            self.progress.current = number + 1
            self.sample("blinks", {"number": number})
            await kit.step({"number": number}, f"blink {number + 1}")
        async with kit.questions.ask("seen?", ("yes", "no"), timedelta(minutes=10), "no") as question:
            answer = await question.wait(kit.clock.utcnow() + timedelta(minutes=10))
        return {"blinked": times, "seen": answer == "yes", "summary": f"seen: {answer or 'nobody answered'}"}


@pytest.fixture
def blinking(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("vigil.keeper.keeper.kinds", lambda: {**kinds.kinds(), Blinking.KIND: Blinking})


def test_a_new_kind_is_begun_asks_is_answered_and_told(tmp_path: Path, blinking: None) -> None:
    async def work(place: Place) -> None:
        refused = await place.ask(Command.BEGIN, kind="dancing")
        assert not refused.taken and "there is by hand, " in refused.reason and "blinking" in refused.reason
        refused = await place.ask(Command.BEGIN, kind="blinking", times=20)
        assert not refused.taken and "1 to 9" in refused.reason
        name = (await place.ask(Command.BEGIN, kind="blinking", times=2)).reason
        await place.until(Kind.QUESTION_ASKED)
        (errand,) = await place.under_way()
        (question,) = errand.questions
        assert errand.id == name and question.words == "seen?" and question.answers == ["yes", "no"]
        assert question.otherwise == "no" and question.until is not None
        refused = await place.ask(Command.ANSWER, answer="perhaps")
        assert refused.reason == "'perhaps' is no answer to that; there is yes, no"
        assert (await place.ask(Command.ANSWER, answer="y")).reason == "seen?: yes"
        assert not (await place.ask(Command.ANSWER)).taken, "it is answered"
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["seen"] and ended.reason == "seen: yes"
        assert [e.kind for e in place.of(name)] == [
            Kind.ERRAND_STARTED,
            Kind.ERRAND_STEP,
            Kind.ERRAND_STEP,
            Kind.QUESTION_ASKED,
            Kind.QUESTION_ANSWERED,
            Kind.ERRAND_ENDED,
        ]

    kept(tmp_path, work)
    assert len(samples_of(tmp_path / "ledger.sqlite", "2027-01-12-heron-480-blinking-2", "blinks")) == 2


def test_a_question_that_nobody_answers_goes_by_what_it_says(tmp_path: Path, blinking: None) -> None:
    async def work(place: Place) -> None:
        asked_at = place.keeper._equipment.clock.utcnow()
        await place.ask(Command.BEGIN, kind="blinking", times=1)
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.reason == "seen: nobody answered" and ended.at - asked_at >= timedelta(minutes=10)
        answered = next(e for e in place.told if e.kind is Kind.QUESTION_ANSWERED)
        assert answered.values["answer"] == "" and answered.reason == "seen?: nobody has answered"

    kept(tmp_path, work)


def test_a_new_kind_yields_to_the_night_is_stopped_and_is_cut_off(tmp_path: Path, blinking: None) -> None:
    async def work(place: Place) -> None:
        name = (await place.ask(Command.BEGIN, kind="blinking", times=9, every_s=600)).reason
        await place.ask(Command.START, plan=short_plan(count=1).model_dump(mode="json"))
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.errand == name and ended.values["outcome"] == "done"
        assert ended.reason.startswith("left off for connecting")
        running = await place.ask(Command.BEGIN, kind="blinking")
        assert running.reason == "blinking: a night runs; hold it first"
        await place.until(Kind.NIGHT_OVER)
        await place.do("all", "connect")
        second = (await place.ask(Command.BEGIN, kind="blinking")).reason
        await asyncio.sleep(3)
        assert (await place.ask(Command.STOP_ERRAND)).taken
        stopped = await place.until(Kind.ERRAND_ENDED, outcome="stopped")
        assert stopped.errand == second
        await place.ask(Command.BEGIN, kind="blinking")
        await asyncio.sleep(3)

    async def again(place: Place) -> None:
        assert [e.values["outcome"] for e in place.told if e.kind is Kind.ERRAND_ENDED] == ["cut off"]

    kept(tmp_path, work, killed=True)
    kept(tmp_path, again)
