"""Starting the window."""

import signal
import sys
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QStyleFactory

from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, load
from vigil.ui.bridge import Bridge, Connector, LinkState
from vigil.ui.jobs import Jobs
from vigil.ui.planmodel import PlanModel
from vigil.ui.session import Session, last_night
from vigil.ui.theme import load_fonts, theme
from vigil.ui.window import Window, light_kept, settings_at


def make_application(arguments: list[str] | None = None) -> QApplication:
    """The application with Vigil's fonts and style; the light is set before anything is shown."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(arguments if arguments is not None else sys.argv[:1])
    app.setApplicationName("Vigil")
    app.setStyle(QStyleFactory.create("Fusion"))
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


def run_window(
    rig: Rig,
    plan: NightPlan,
    plan_path: Path,
    settings_path: Path,
    ledger_path: Path,
    connector: Connector,
    autostart: bool = False,
    exit_when_done: bool = False,
) -> int:
    """Show the window until it is closed. Returns 0; with `exit_when_done` 3 when frames lack."""
    settings = settings_at(settings_path)
    app = make_application()
    theme.set_light(*light_kept(settings))
    bridge, jobs = Bridge(connector), Jobs()
    kept, wrong = kept_plan(plan_path, plan)
    # a plan that can't be read stays as it is: this one is not saved over it
    model = PlanModel(rig, kept, None if wrong else plan_path)
    began = rig.simulated.starts_at if rig.simulated else datetime.now(UTC)
    session = Session(rig, model, bridge, began)
    window = Window(session, jobs, settings)
    if wrong:
        window.banner.say(f"The plan of last time can't be used; the default one is shown.\n{wrong}")
    outcome = _Outcome(session, window, autostart, exit_when_done)
    session.link_changed.connect(outcome.link_changed)
    session.status_changed.connect(outcome.status_changed)
    session.night_changed.connect(outcome.night_changed)

    def past(events: list[Event]) -> None:
        if not session.under_way:
            session.show_past_night(events)

    def look_back() -> None:
        jobs.run("past night", lambda: last_night(ledger_path, rig.id), past, lambda problem: None)

    outcome.look_back = look_back
    signal.signal(signal.SIGINT, lambda *_: window.close_window())
    signal.signal(signal.SIGTERM, lambda *_: app.quit())
    window.show()
    # the link's libraries are imported, and a keeper started, once the window can be seen
    QTimer.singleShot(0, bridge.start)
    app.exec()
    bridge.stop()
    jobs.stop()
    return outcome.status


class _Outcome:
    """What `--autostart` and `--exit-when-done` wait for."""

    def __init__(self, session: Session, window: Window, autostart: bool, exit_when_done: bool) -> None:
        self._session, self._window = session, window
        self._autostart, self._exit_when_done = autostart, exit_when_done
        self.look_back = lambda: None
        self.status = 0

    def link_changed(self) -> None:
        pass

    def status_changed(self) -> None:
        session = self._session
        if session.status is None or session.link is not LinkState.OPEN:
            return
        if session.status.night is None:
            look, self.look_back = self.look_back, lambda: None
            look()
        if self._autostart and session.status.run == "ready":
            self._autostart = False
            session.start_night()
        elif self._autostart and session.status.run in ("running", "held", "closing"):
            self._autostart = False

    def night_changed(self) -> None:
        if self._exit_when_done and self._session.run == "over" and not self._autostart:
            done, wanted = self._session.record.rate
            self.status = 0 if done == wanted else 3
            self._exit_when_done = False
            QTimer.singleShot(500, self._window.close_window)


__all__ = ["Kind", "make_application", "run_window"]
