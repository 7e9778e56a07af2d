"""The bridge: what the keeper says comes over in batches; it dies, leaves, comes back."""

import asyncio
from collections.abc import AsyncIterator, Callable, Collection, Iterator
from datetime import UTC, datetime
from types import TracebackType
from typing import Any, Self

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Ask, Command, Live, Resync, Sample, Samples, Status
from vigil.link.endpoint import KeeperGone, News
from vigil.ui.bridge import Bridge
from vigil.ui.linkstate import LinkState

AT = datetime(2027, 1, 12, 18, tzinfo=UTC)
STATUS = Status(
    version="0", keeper_pid=1, rig="Heron", clock="scaled", speed=60, at=AT, run="running", night="n",
    doing="", because="", hold=None, done=0, wanted=1, lines=[], conditions=[], devices={}, last_event=0,
)  # fmt: skip


def event(number: int) -> Event:
    return Event(id=number, errand="n", at=AT, kind=Kind.WAITING, values={}, reason=f"{number}")


def until(qtbot: QtBot, holds: Callable[[], bool]) -> None:
    """A slow machine may take its time."""
    qtbot.waitUntil(holds, timeout=60_000)


class FakeKeeper:
    """A connector and its link: says what its script holds, then what the script ends with."""

    def __init__(self) -> None:
        self.there = True
        self.can_start = True
        self.started = 0
        self.script: list[News | Exception | None] = []
        self.after: list[int] = []
        self.asked: list[Command] = []
        self.statuses_fail = 0

    async def ensure(self) -> None:
        if not self.there:
            if not self.can_start:
                raise KeeperGone("the keeper did not start: no such rig")
            self.started += 1
            self.there = True

    async def answers(self) -> bool:
        return self.there

    def open(self) -> "FakeKeeper":
        return self

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        pass

    async def status(self) -> Status:
        if not self.there:
            raise KeeperGone("no keeper answers")
        if self.statuses_fail:
            self.statuses_fail -= 1
            raise KeeperGone("the keeper answers 500: Internal Server Error")
        return STATUS

    async def ask(self, ask: Ask) -> Answer:
        self.asked.append(ask.command)
        taken = ask.command is not Command.START
        return Answer(id=ask.id, taken=taken, reason="" if taken else "a night is under way already")

    async def news(self, after: int = 0, streams: Collection[str] = ()) -> AsyncIterator[News]:
        self.after.append(after)
        while True:
            if not self.script:
                await asyncio.sleep(0.01)
                continue
            item = self.script.pop(0)
            if item is None:
                self.there = False
                return
            if isinstance(item, Exception):
                self.there = False
                raise item
            yield item
            if isinstance(item, Resync):
                return


@pytest.fixture
def talk(qapp: QApplication, qtbot: QtBot) -> Iterator[tuple[Bridge, FakeKeeper, dict[str, list[Any]]]]:
    keeper = FakeKeeper()
    bridge = Bridge(lambda: keeper)
    heard: dict[str, list[Any]] = {"batches": [], "links": [], "answers": [], "statuses": []}
    bridge.told.connect(heard["batches"].append)
    bridge.link_changed.connect(lambda state, words: heard["links"].append((state, words)))
    bridge.answered.connect(lambda ask, answer: heard["answers"].append((ask.command, answer)))
    bridge.status_came.connect(heard["statuses"].append)
    bridge.start()
    until(qtbot, lambda: (LinkState.OPEN, "") in heard["links"])
    yield bridge, keeper, heard
    bridge.stop()


def test_news_come_in_batches_in_order(talk: Any, qtbot: QtBot) -> None:
    _, keeper, heard = talk
    keeper.script += [event(n) for n in range(1, 201)]
    until(qtbot, lambda: sum(map(len, heard["batches"])) == 200)
    assert [e.id for batch in heard["batches"] for e in batch] == list(range(1, 201))
    assert len(heard["batches"]) < 20
    assert heard["statuses"][0] == STATUS


def test_a_slow_client_asks_anew_from_where_it_was(talk: Any, qtbot: QtBot) -> None:
    _, keeper, heard = talk
    live = Live(errand="n", at=AT, topic="cool", words="cooling", initial=0, current=1, target=2, unit="°C")
    frame = Samples(errand="h", stream="loop", rows=[Sample(at=AT, values={"stars": 3})])
    keeper.script += [event(1), live, frame, Resync(), event(2)]
    until(qtbot, lambda: sum(map(len, heard["batches"])) == 4)
    assert keeper.after == [0, 1]


def test_a_status_that_failed_is_asked_again(talk: Any, qtbot: QtBot) -> None:
    _, keeper, heard = talk
    keeper.statuses_fail = 2
    until(qtbot, lambda: keeper.statuses_fail == 0)
    before = len(heard["statuses"])
    until(qtbot, lambda: len(heard["statuses"]) > before)
    assert [state for state, _ in heard["links"]][-1] is LinkState.OPEN


def test_a_dead_keeper_is_told_and_started_again(talk: Any, qtbot: QtBot) -> None:
    bridge, keeper, heard = talk
    keeper.script += [event(7), KeeperGone("the keeper has died")]
    until(qtbot, lambda: (LinkState.GONE, "the keeper has died") in heard["links"])
    assert sum(map(len, heard["batches"])) == 1  # nothing that was said is lost
    keeper.can_start = False
    bridge.start_keeper()
    until(qtbot, lambda: any("did not start" in words for _, words in heard["links"]))
    keeper.can_start = True
    bridge.start_keeper()
    until(qtbot, lambda: heard["links"][-1][0] is LinkState.OPEN)
    assert keeper.started == 1 and keeper.after[-1] == 7


def test_a_keeper_that_leaves_in_good_order_and_one_that_comes_by_itself(talk: Any, qtbot: QtBot) -> None:
    _, keeper, heard = talk
    keeper.script.append(None)
    until(qtbot, lambda: heard["links"][-1][0] is LinkState.LEFT)
    keeper.there = True
    until(qtbot, lambda: heard["links"][-1][0] is LinkState.OPEN)
    assert keeper.started == 0


def test_commands_are_answered_and_the_last_one_is_still_sent(talk: Any, qtbot: QtBot) -> None:
    bridge, keeper, heard = talk
    bridge.ask(Command.START, plan={})
    until(qtbot, lambda: bool(heard["answers"]))
    command, answer = heard["answers"][0]
    assert command is Command.START and answer.reason == "a night is under way already"
    bridge.ask(Command.RETIRE)
    bridge.stop()
    assert keeper.asked == [Command.START, Command.RETIRE]


def test_a_command_without_a_keeper_says_so(talk: Any, qtbot: QtBot) -> None:
    bridge, keeper, heard = talk
    keeper.can_start = False
    keeper.script.append(KeeperGone("gone"))
    until(qtbot, lambda: heard["links"][-1][0] is LinkState.GONE)
    bridge.ask(Command.HOLD)
    until(qtbot, lambda: bool(heard["answers"]))
    assert heard["answers"][0][1].reason == "no keeper answers: start it first"


def test_an_error_in_the_link_is_told_too(talk: Any, qtbot: QtBot) -> None:
    _, keeper, heard = talk
    keeper.script.append(ValueError("nonsense from the keeper"))
    until(qtbot, lambda: heard["links"][-1][0] is LinkState.GONE)
    assert "error in Vigil: ValueError: nonsense" in heard["links"][-1][1]
