"""The window: ribbon, workspace words, work area, status line; keys; closing."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings, Qt
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vigil.documents.messages import Command
from vigil.documents.shelf import Framed
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.asking import Asking
from vigil.ui.calls import Calls
from vigil.ui.commandbar import CommandBar
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.overlay import Banner, Question
from vigil.ui.pieces import label, row
from vigil.ui.ribbon import Ribbon
from vigil.ui.second import Seconds
from vigil.ui.session import Session
from vigil.ui.statusline import ALARM_LASTS, PaceRow, StatusLine
from vigil.ui.theme import Light, Size, theme
from vigil.ui.windowactions import window_actions
from vigil.ui.workspace import Workspace
from vigil.ui.workspacerow import WORKSPACES, WorkspaceRow


class Window(QMainWindow):
    """`settings` keeps its state between runs; None keeps none."""

    def __init__(self, session: Session, jobs: Jobs, settings: QSettings | None = None) -> None:
        super().__init__()
        self.session = session
        self._jobs = jobs
        self._settings = settings
        self.calls = Calls(session, settings, lambda said: self.banner.say(said))
        self._may_close = False
        self._folded = False
        self._full = False
        self.scenery: QWidget | None = None
        self.setMinimumSize(*Size.LEAST_WINDOW)
        self.resize(*Size.DESIGN_WINDOW)
        self.ribbon = Ribbon(session)
        self.row = WorkspaceRow()
        self.pace = PaceRow(session)
        self.clock: QLabel = label("", "number")
        self.banner = Banner()
        self.asking = Asking(self.session)
        self.stack = QStackedWidget()
        self.status = StatusLine(session)
        self.workspaces: dict[str, Workspace] = {}
        self._lay_out()
        self.question = Question(self)
        self.command_bar = CommandBar(self, self.find_actions)
        self._add_workspaces()
        self.seconds = Seconds(lambda name, jobs: self._makers[name](jobs))
        self._connect()
        self._actions = window_actions(self)
        for action in self._actions:
            self._add_shortcut(action)
        self._restore()
        self._show_clock()
        theme.dress_window(self)
        self.setFocus()

    # -- building --------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self.place = label("", "soft")
        self._show_place()
        self.pace.sky.clicked.connect(self.toggle_scenery)
        self._bar = QWidget()
        bar = QHBoxLayout(self._bar)
        bar.setContentsMargins(0, 0, Size.MARGIN, 0)
        bar.setSpacing(10)
        bar.addWidget(self.row, 1)
        bar.addWidget(self.clock)
        bar.addWidget(self.pace)
        bar.addWidget(self.place)
        self._bar.setFixedHeight(Size.WORKSPACES)
        central = QWidget()
        layout = QVBoxLayout(central)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for widget in (self.ribbon, self._bar, self.asking, self.banner):
            layout.addWidget(widget)
        self._across = row(self.stack, gap=0)
        layout.addLayout(self._across, 1)
        layout.addWidget(self.status)
        self.setCentralWidget(central)

    def _show_place(self) -> None:
        rig = self.session.rig
        self.setWindowTitle(f"Vigil — {rig.name}")
        self.place.setText(f"{rig.name} · {rig.site.name}")

    def _add_workspaces(self) -> None:
        """A workspace is built when it is first wanted, or when the first picture is past."""
        self._makers: dict[str, Callable[[Jobs], Workspace]] = {
            "Rig": self._make_rig,
            "Targets": self._make_targets,
            "Night": self._make_night,
            "Tune": self._make_tune,
            "Watch": self._make_watch,
            "Flats & darks": self._make_flats,
            "Ledger": self._make_ledger,
        }

    def workspace(self, name: str) -> Workspace:
        """The workspace of a name, built if it isn't yet."""
        if name not in self.workspaces:
            made = self._makers[name](self._jobs)
            self.workspaces[name] = made
            self.stack.addWidget(made)
            for action in made.actions_here():
                self._add_shortcut(action)
        return self.workspaces[name]

    def build_all(self) -> None:
        for name in WORKSPACES:
            self.workspace(name)

    def _make_rig(self, jobs: Jobs) -> Workspace:
        from vigil.ui.rig.workspace import RigWorkspace

        return RigWorkspace(self.session, jobs, self.question.ask)

    def _make_night(self, jobs: Jobs) -> Workspace:
        from vigil.ui.night.workspace import NightWorkspace

        made = NightWorkspace(self.session, jobs, lambda: self.go_to("Rig"))
        made.find_target.clicked.connect(lambda: self.go_to("Targets"))
        return made

    def _make_targets(self, jobs: Jobs) -> Workspace:
        from vigil.ui.targets.workspace import Targets

        made = Targets(self.session, jobs, self.go_to)
        made.project_wanted.connect(self._begin_project)
        return made

    def _make_watch(self, jobs: Jobs) -> Workspace:
        from vigil.ui.watch.workspace import Watch

        return Watch(self.session, jobs)

    def _make_flats(self, jobs: Jobs) -> Workspace:
        from vigil.ui.flats.workspace import FlatsWorkspace

        return FlatsWorkspace(self.session, jobs)

    def _make_ledger(self, jobs: Jobs) -> Workspace:
        from vigil.ui.ledger.workspace import LedgerWorkspace

        return LedgerWorkspace(self.session, jobs)

    def _make_tune(self, jobs: Jobs) -> Workspace:
        from vigil.ui.tune.workspace import Tune

        tune = Tune(self.session, jobs)
        tune.polar.place_wanted.connect(self._show_on_chart)
        return tune

    def _begin_project(self, framed: Framed) -> None:
        """In Ledger, of a target as it is framed."""
        from vigil.ui.ledger.workspace import LedgerWorkspace

        self.go_to("Ledger")
        if isinstance(self.current, LedgerWorkspace):
            self.current.begin_project(framed)

    def _show_on_chart(self, ra_deg: float, dec_deg: float) -> None:
        """On the sky chart."""
        from vigil.ui.targets.workspace import Targets

        self.go_to("Targets")
        if isinstance(self.current, Targets):
            self.current.show_place(ra_deg, dec_deg, "where a drift shows")
            self.current.chart.look_at_frame()

    def _connect(self) -> None:
        session = self.session
        self.row.chosen.connect(self.go_to)
        self.status.end.clicked.connect(self.ask_to_end)
        self._guard_said = ""
        session.status_changed.connect(self._show_guard)
        session.programs_asked.connect(self.ask_for_programs)
        session.refused.connect(lambda why: self.banner.say(f"Not done: {why}"))
        session.link_changed.connect(self._link_changed)
        session.night_begun.connect(self._night_begun)
        session.rig_changed.connect(self._show_place)
        session.moments.now_changed.connect(self._show_clock)
        session.moments.changed.connect(self._show_clock)

    def _add_shortcut(self, action: Action) -> None:
        if not action.keys or action.keys == "Esc":  # whoever has the focus may want Esc first
            return
        shortcut = QShortcut(QKeySequence(action.keys), self)

        def go() -> None:
            if not self.question.isVisible() and not action.hindrance():
                action.run()

        shortcut.activated.connect(go)

    def find_actions(self, typed: str) -> list[Action]:
        """What matches the words typed: that of just this name, whatever hinders it, then those that can be
        done now. What a workspace offers is done there, where it is seen."""
        self.build_all()
        there = [self._done_in(n, a) for n, w in self.workspaces.items() for a in w.actions_here()]
        told = [*self._actions, *there, *self.calls.actions()]
        found = [a for a in told if a.matches(typed) and a.name != "Commands"]
        begins = typed.casefold().strip()

        def rank(action: Action) -> tuple[bool, bool, bool]:
            name = action.name.casefold()
            return name != begins, bool(action.hindrance()), not name.startswith(begins)

        return sorted(found, key=rank)

    def _done_in(self, name: str, action: Action) -> Action:
        def go() -> None:
            self.go_to(name)
            action.run()

        return replace(action, run=go)

    # -- going about -----------------------------------------------------------------------------------

    def search_targets(self) -> None:
        """From wherever one is, also before the workspace is built: what is typed next goes to its field."""
        self.go_to("Targets")
        self.current.begin_search()

    @property
    def current(self) -> Workspace:
        widget = self.stack.currentWidget()
        assert isinstance(widget, Workspace)
        return widget

    def go_to(self, name: str) -> None:
        workspace = self.workspace(name)
        self.stack.setCurrentWidget(workspace)
        self.row.show_current(name)
        self._fold()
        workspace.enlarge(self._full)
        workspace.entered()

    def next_part(self) -> None:
        """Move the focus on: workspace words, list, main picture, inspector, status line, and round. In each
        to what the workspace begins with if that can be used, else to its first field, or what there is."""
        here = self.current
        drawer = self.scenery if self.scenery is not None and self.scenery.isVisible() else None
        sides = (self._bar, here.list, here.main, here.inspector, drawer, self.status)
        parts = [p for p in sides if p is not None]

        def part_of(widget: QWidget) -> int:
            """Its number; an inspector may stand inside the main part."""
            return max((i for i, part in enumerate(parts) if part.isAncestorOf(widget)), default=-1)

        focused = self.focusWidget()
        at = part_of(focused) if focused is not None else -1
        for step in range(1, len(parts) + 1):
            number = (at + step) % len(parts)
            reach = [child for child in _reach(parts[number]) if part_of(child) == number]
            if reach:
                fields = (child for child in reach if isinstance(child, QLineEdit))
                first = here.first if here.first in reach else next(fields, reach[0])
                first.setFocus(Qt.FocusReason.TabFocusReason)
                return

    def toggle_fold(self) -> None:
        self._folded = not self._folded
        self._fold()

    def _fold(self) -> None:
        """The sides as they are wanted; they give way to the drawer where there is no room for all."""
        here = self.current
        here.fold(self._folded or self._full)
        if self.scenery is None or not self.scenery.isVisible():
            return
        left = self.width() - self.scenery.width()
        for side in (here.inspector, here.list):
            left -= side.width() if side is not None and side.isVisible() else 0
        for side in (here.list, here.inspector):
            if side is not None and side.isVisible() and left < here.least_main:
                side.hide()
                left += side.width()

    def toggle_full(self) -> None:
        """The main picture on the whole screen; F11 or Esc brings everything back."""
        self._full = not self._full
        for widget in (self.ribbon, self._bar):
            widget.setVisible(not self._full)
        if self._full and self.scenery is not None and self.scenery.isVisible():
            self.toggle_scenery()
        self._fold()
        self.status.enlarge(self._full)
        self.current.enlarge(self._full)
        if self._full:
            self.showFullScreen()
        else:
            self.showNormal()

    def toggle_scenery(self) -> None:
        """The drawer of the simulated sky; made when first wanted."""
        if self.scenery is None:
            from vigil.ui.scenery.drawer import SceneryDrawer

            self.scenery = SceneryDrawer(self.session)
            self.scenery.closed.connect(self.toggle_scenery)
            self.scenery.hide()
            self._across.addWidget(self.scenery)
        shown = not self.scenery.isVisible()
        self.scenery.setVisible(shown)
        self.pace.sky.setChecked(shown)
        self._fold()
        (self.scenery if shown else self).setFocus()

    def toggle_red(self) -> None:
        theme.set_light(Light.DARK if theme.red else Light.RED)

    def dim_red(self, by: float) -> None:
        theme.set_light(Light.RED, theme.brightness + by)

    def _show_clock(self) -> None:
        moments = self.session.moments
        zone = self.session.zone
        name = words.zone_name(moments.now, zone)
        if moments.as_at is not None:
            self.clock.setText(f"as at {words.clock(moments.as_at, zone)} {name}")
        else:
            self.clock.setText(f"{words.clock(moments.now, zone, True)} {name}")
        self.clock.setToolTip(words.both_clocks(moments.as_at or moments.now, zone))

    # -- what the keeper does --------------------------------------------------------------------------

    def _show_guard(self) -> None:
        """What a guard does where no night tells of it, whole: the status line has only room for its name."""
        session, status = self.session, self.session.status
        if status is None:
            return
        if status.stopped_until is not None:
            until = words.clock(status.stopped_until, session.zone)
            said = f"Everything stands still until you resume. Without a word the guards may shut at {until}."
            self._guard_said = said
            self.banner.say(said, "Resume", session.resume, lasting=True)
        elif status.alarm is not None and session.run != "running":
            said = f"Guard, {words.clock(status.alarm.at, session.zone)}: {status.alarm.words}"
            if said != self._guard_said and session.now - status.alarm.at < ALARM_LASTS:
                self._guard_said = said
                self.banner.say(said)
        elif self._guard_said:
            self._guard_said = ""
            self.banner.hide()

    def _night_begun(self) -> None:
        if self.session.run != "over":
            self.go_to("Watch")

    def _link_changed(self) -> None:
        session = self.session
        if session.link is LinkState.GONE:
            what = (
                "The keeper has died: nothing looks after the night. "
                if session.under_way
                else "No keeper answers. "
            )
            then = "A new one takes the night up where it was." if session.under_way else ""
            self.banner.say(
                f"{what}{then}\n{session.link_words}",
                "Start the keeper again",
                session.start_keeper,
                lasting=True,
            )
        elif session.link is LinkState.LEFT:
            self.banner.say("The keeper has left.", "Start a keeper", session.start_keeper, lasting=True)
        elif session.link is LinkState.OPEN:
            self.banner.hide()

    # -- ending and closing ----------------------------------------------------------------------------

    def ask_for_programs(self, programs: list[list[str]]) -> None:
        """A stranger's plan runs nothing unasked."""
        said = "\n".join(" ".join(program) for program in programs)
        self.question.ask(
            "May this plan run programs?",
            f"It would run, on this computer and with your rights:\n{said}",
            [
                ("They may, now and later", "primary", lambda: self.session.allow_programs(programs)),
                ("Don't start", "plain", lambda: None),
            ],
        )

    def ask_to_end(self) -> None:
        session = self.session
        if not session.takes_wishes:
            return
        done, wanted = session.record.tally
        exposing = session.record.exposing
        lost = f" The exposure under way ({exposing.words}) is lost." if exposing else ""
        self.question.ask(
            "End the night?",
            f"{done} of {wanted} frames are on disk.{lost} The mount parks, the camera warms up, "
            "the devices are disconnected.",
            [
                ("Keep it running", "", lambda: None),
                ("End the night", "fault", session.end_night),
            ],
        )

    def close_window(self) -> None:
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        session = self.session
        if self._may_close or not session.under_way or session.link is not LinkState.OPEN:
            if not session.under_way and session.link is LinkState.OPEN:
                session.ask(Command.RETIRE, if_free=True)  # nothing to look after
            self._keep()
            self.seconds.close()
            event.accept()
            return
        event.ignore()
        self.question.ask(
            "The night goes on without this window",
            "The keeper looks after it. Open Vigil again at any time to see all that has happened meanwhile.",
            [
                ("Close the window, the night goes on", "primary", self._close_now),
                ("End the night and close", "fault", self._end_and_close),
                ("Stay", "plain", lambda: None),
            ],
        )

    def _close_now(self) -> None:
        self._may_close = True
        self.close()

    def _end_and_close(self) -> None:
        self.session.end_night()
        self._close_now()

    # -- state kept ------------------------------------------------------------------------------------

    def _keep(self) -> None:
        if self._settings is None:
            return
        self._settings.setValue("geometry", self.saveGeometry())
        self._settings.setValue("workspace", self.current.name)
        self._settings.setValue("folded", int(self._folded))
        self._settings.setValue("light", theme.light.value)
        self._settings.setValue("brightness", theme.brightness)
        self._settings.sync()

    def _restore(self) -> None:
        name = "Night"
        if self._settings is not None:
            geometry = self._settings.value("geometry")
            if isinstance(geometry, QByteArray):
                self.restoreGeometry(geometry)
            name = str(self._settings.value("workspace", name))
            self._folded = str(self._settings.value("folded", "0")) == "1"
        self.go_to(name if name in WORKSPACES else "Night")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            if self._full:
                self.toggle_full()
            else:
                self.session.moments.look_at(None)
            return
        super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.question.place()
        self.command_bar.place()


def settings_at(path: Path) -> QSettings:
    """The window's state, in a file of its own."""
    return QSettings(str(path), QSettings.Format.IniFormat)


def light_kept(settings: QSettings) -> tuple[Light, float]:
    """The light of the last time, before anything is shown: nothing may flash."""
    light = Light.RED if settings.value("light") == Light.RED.value else Light.DARK
    try:
        return light, float(str(settings.value("brightness", 1.0)))
    except ValueError:
        return light, 1.0


def _reach(part: QWidget) -> list[QWidget]:
    """What Tab comes to in a part of the window."""
    return [
        child
        for child in part.findChildren(QWidget)
        if child.isVisible()
        and child.isEnabled()
        and child.focusPolicy() & Qt.FocusPolicy.TabFocus
        and not isinstance(child, QAbstractScrollArea)
    ]
