"""Starting the window."""

import gc
import signal
import sys
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QApplication

from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, load
from vigil.ui.bridge import Bridge
from vigil.ui.collecting import Collector
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import Connector
from vigil.ui.planmodel import PlanModel
from vigil.ui.rigmodel import RigModel
from vigil.ui.screenroom import fit
from vigil.ui.session import Session, last_night
from vigil.ui.theme import load_fonts, theme
from vigil.ui.window import Window, light_kept, settings_at

if TYPE_CHECKING:
    from vigil.documents.rig.rigs import Rigs

_kept: list[QObject] = []
"""Qt deletes every object with its application, which must not be while the interpreter runs."""
_FRAMED_MS = 300
"""So long after it is shown a window has its frame, and its size is known with it."""


def make_application(arguments: list[str] | None = None) -> QApplication:
    """The application with Vigil's fonts and style; the light is set before anything is shown."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(arguments if arguments is not None else sys.argv[:1])
        _kept.append(app)
        _kept.append(Collector(app))
    app.setApplicationName("Vigil")
    style = app.style()
    if style is None or style.objectName() != "fusion":
        app.setStyle("Fusion")
    load_fonts()
    theme.dress()
    return app


def kept_plan(path: Path, otherwise: NightPlan) -> tuple[NightPlan, str]:
    """The plan as it was left, and what is wrong with its file, if anything; the file is never touched."""
    if not path.exists():
        return otherwise, ""
    try:
        return load(NightPlan, path), ""
    except DocumentError as problem:
        return otherwise, str(problem)


@dataclass(frozen=True, slots=True)
class Files:
    """Where a rig's plan, window state and ledger are kept."""

    plan: Path
    settings: Path
    ledger: Path


@dataclass(frozen=True, slots=True)
class Opened:
    """A rig with what a desk needs for it. `save` keeps its edits."""

    rig: Rig
    plan: NightPlan
    kept_in: Files
    connect_by: Callable[[], Connector]
    save: Callable[[Rig], object] | None = None
    rigs: "Rigs | None" = None


class Desk:
    """The window with all that is behind it."""

    def __init__(self, opened: Opened) -> None:
        rig, plan, kept_in, connect_by = opened.rig, opened.plan, opened.kept_in, opened.connect_by
        self.next_rig = ""
        """The rig that is wanted in place of this one, by its id."""
        settings = settings_at(kept_in.settings)
        self.app = make_application()
        theme.set_light(*light_kept(settings))
        self.bridge, self.jobs = Bridge(connect_by), Jobs()
        kept, wrong = kept_plan(kept_in.plan, plan)
        # a plan that can't be read stays as it is: this one is not saved over it
        model = PlanModel(rig, kept, None if wrong else kept_in.plan)
        began = rig.simulated.starts_at if rig.simulated else datetime.now(UTC)
        edits = RigModel(rig, opened.save)
        self.session = Session(rig, model, self.bridge, began, edits, opened.rigs)
        self.session.another_rig.connect(self._change_rig)
        self.window = Window(self.session, self.jobs, settings)
        if wrong:
            said = f"The plan of last time can't be used; the default one is shown.\n{wrong}"
            self.window.banner.say(said)
        self._ledger = kept_in.ledger
        self._looked_back = False
        self.session.status_changed.connect(self._look_back)

    def show(self) -> None:
        self.window.show()
        QTimer.singleShot(_FRAMED_MS, self._fit)
        # the link's libraries are imported, and a keeper started, once the window can be seen
        QTimer.singleShot(0, self._begin)

    def _fit(self) -> None:
        screen = self.window.screen()
        if screen is not None:
            fit(self.window, screen.availableGeometry())

    def _begin(self) -> None:
        gc.enable()  # see cli.window.hold_garbage
        self.bridge.start()
        QTimer.singleShot(0, self.window.build_all)

    def _change_rig(self, rig_id: str) -> None:
        """Leave this rig for another one: its keeper stays where a night runs."""
        self.next_rig = rig_id
        self.window.close_window()
        if self.window.isVisible():  # a night runs, and the question stands
            self.next_rig = ""

    def close(self) -> None:
        self.bridge.stop()
        self.jobs.stop()

    def _look_back(self) -> None:
        """A keeper that has no night to tell of: the ledger has the last one."""
        status = self.session.status
        if status is None or self._looked_back:
            return
        self._looked_back = True
        if status.night is None:
            ledger, rig_id = self._ledger, self.session.rig.id
            self.jobs.run(
                "past night", lambda: last_night(ledger, rig_id), self.session.show_past_night, self._no_past
            )

    def _no_past(self, problem: Exception) -> None:
        self.window.banner.say(f"The last night can't be read from the ledger: {problem}")


def run_window(
    opened: Opened,
    open_rig: Callable[[str], Opened],
    autostart: bool = False,
    exit_when_done: bool = False,
) -> int:
    """Show the window until it is closed; another rig that is asked for is opened in its place.

    Returns 0; with `exit_when_done` 3 when frames lack.
    """
    changing = False
    while True:
        desk = Desk(opened)
        by_itself = _ByItself(desk, autostart, exit_when_done)
        signal.signal(signal.SIGINT, lambda *_, window=desk.window: window.close_window())
        desk.show()
        if changing:
            desk.window.go_to("Rig")
        desk.app.exec()
        desk.close()
        if not desk.next_rig:
            return by_itself.status
        opened, changing = open_rig(desk.next_rig), True
        autostart = exit_when_done = False


class _ByItself:
    """What `--autostart` and `--exit-when-done` do in place of a person."""

    def __init__(self, desk: Desk, autostart: bool, exit_when_done: bool) -> None:
        self._session, self._window = desk.session, desk.window
        self._autostart, self._exit_when_done = autostart, exit_when_done
        self._before: str | None = None
        """The night that was over already when ours was started."""
        self.status = 0
        self._session.status_changed.connect(self._status_changed)
        self._session.night_changed.connect(self._night_changed)

    def _status_changed(self) -> None:
        status = self._session.status
        # the first status comes before any news: what was over then is not ours
        if self._autostart and status is not None:
            self._autostart = False
            if status.run in ("ready", "over"):
                self._before = status.night
                self._session.start_night()

    def _night_changed(self) -> None:
        night = self._session.record.state.night
        if self._exit_when_done and self._session.run == "over" and night != self._before:
            done, wanted = self._session.record.tally
            self.status = 0 if done == wanted else 3
            self._exit_when_done = False
            QTimer.singleShot(500, self._window.close_window)
