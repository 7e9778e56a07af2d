"""The real window, offscreen, with a keeper that only tells what a played night told."""

import gc
import os

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Answer, Ask, Command, Status
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.ui.app import make_application
from vigil.ui.collecting import Collector
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.planmodel import PlanModel
from vigil.ui.session import Session
from vigil.ui.theme import Light, theme
from vigil.ui.window import Window


@dataclass
class ToldNight:
    """A night as its keeper told it: a status with each event."""

    rig: Rig
    plan: NightPlan
    events: list[Event] = field(default_factory=list)
    statuses: list[Status] = field(default_factory=list)

    def upto(self, kind: Kind, number: int = 1, /, **values: Any) -> int:
        """How many events there are up to the number-th of a kind with these values."""
        found = [
            i
            for i, e in enumerate(self.events)
            if e.kind is kind and all(e.values.get(k) == v for k, v in values.items())
        ]
        return found[number - 1] + 1


@pytest.fixture(scope="session")
def told(tmp_path_factory: pytest.TempPathFactory) -> ToldNight:
    """A short night on small frames, with a hold in it."""
    night = ToldNight(quick_rig(), short_plan(count=3))

    async def listen(event: Event, played: Played) -> None:
        night.events.append(event)
        status = await played.link.status()
        night.statuses.append(status.model_copy(update={"clock": "scaled", "speed": 60.0}))
        measured = sum(e.kind is Kind.FRAME_MEASURED for e in night.events)
        if event.kind is Kind.FRAME_MEASURED and measured == 2:
            await played.ask(Command.HOLD, reason="held by hand")
        if event.kind is Kind.HELD:
            await played.ask(Command.RESUME)

    play(night.rig, night.plan, tmp_path_factory.mktemp("frames"), on_event=listen)
    return night


class Listening(QObject):
    """In place of the bridge: keeps what is asked."""

    told = pyqtSignal(list)
    status_came = pyqtSignal(object)
    link_changed = pyqtSignal(object, str)
    answered = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.asked: list[tuple[Command, dict[str, Any]]] = []
        self.keepers_started = 0

    def ask(self, command: Command, **values: Any) -> str:
        self.asked.append((command, values))
        return "id"

    def start_keeper(self) -> None:
        self.keepers_started += 1

    def refuse(self, reason: str) -> None:
        ask = Ask(id="id", command=Command.START)
        self.answered.emit(ask, Answer(id="id", taken=False, reason=reason))


class Stage:
    """The window, and what its keeper says."""

    def __init__(self, told: ToldNight, qtbot: QtBot, plan_path: Path | None = None) -> None:
        self.told, self.qtbot = told, qtbot
        assert told.rig.simulated is not None
        self.bridge, self.jobs = Listening(), Jobs()
        self.plan = PlanModel(told.rig, told.plan, plan_path)
        self.session = Session(told.rig, self.plan, self.bridge, told.rig.simulated.starts_at)  # type: ignore[arg-type]
        self.window = Window(self.session, self.jobs)
        qtbot.addWidget(self.window, before_close_func=lambda w: setattr(w, "_may_close", True))
        self.window.show()
        self.link(LinkState.OPEN)
        ready = told.statuses[0].model_copy(
            update={"run": "ready", "night": None, "conditions": [], "doing": ""}
        )
        self.bridge.status_came.emit(ready)

    def link(self, state: LinkState, words: str = "") -> None:
        self.bridge.link_changed.emit(state, words)

    def at(self, events: int) -> None:
        """Tell the night up to so many events, and wait for what is read in threads."""
        last = self.session.record.state.last_id
        self.bridge.told.emit([e for e in self.told.events[:events] if e.id > last])
        self.bridge.status_came.emit(self.told.statuses[events - 1])
        self.settle()

    def settle(self) -> None:
        targets = self.window.workspaces.get("Targets")
        self.qtbot.waitUntil(
            lambda: not self.jobs.busy_at_all and not (targets and targets.settling), timeout=120_000
        )
        for _ in range(8):  # what came in, then what follows in the layout
            QApplication.processEvents()

    def workspace(self, name: str) -> Any:
        self.window.go_to(name)
        self.settle()
        return self.window.workspace(name)

    def press(self, key: Qt.Key, control: bool = False) -> None:
        modifier = Qt.KeyboardModifier.ControlModifier if control else Qt.KeyboardModifier.NoModifier
        target = QApplication.focusWidget() or self.window
        self.qtbot.keyClick(target, key, modifier)


@pytest.fixture(autouse=True)
def a_shelf_of_its_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A shelf and pictures of its own for each test."""
    for name in ("DATA", "STATE", "CACHE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name))


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    """The application as the program makes it."""
    return make_application(["vigil"])


@pytest.fixture(autouse=True)
def collected_here() -> Iterator[None]:
    """Widgets that are garbage are freed in this thread, as the program does it; others collect as usual."""
    gc.disable()
    yield
    Collector.collect()
    gc.enable()


@pytest.fixture
def stage(qapp: QApplication, qtbot: QtBot, told: ToldNight, tmp_path: Path) -> Iterator[Stage]:
    made = Stage(told, qtbot, tmp_path / "plan.json")
    with qtbot.waitExposed(made.window):
        pass
    made.window.activateWindow()
    yield made
    made.jobs.stop()
    theme.set_light(Light.DARK, 1.0)
