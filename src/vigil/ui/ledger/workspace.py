"""Ledger: projects first; tonight's best use, how long to expose, verdicts, across nights, nights, hand
over."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QStackedWidget, QWidget

from vigil.documents.project import Project, Projects
from vigil.documents.rig import Rig
from vigil.ledger.accounts import lost_by_night
from vigil.ledger.projecthours import all_progress
from vigil.ledger.reading import nights
from vigil.runtime.folders import ledger_file, projects_folder
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.ledger.acrossdesk import AcrossDesk
from vigil.ui.ledger.desk import (
    ACROSS,
    HANDOVER,
    LENGTH,
    NIGHTS,
    NO_PROJECTS,
    PROJECTS,
    TONIGHT,
    VERDICTS,
    Desk,
    Read,
    Room,
)
from vigil.ui.ledger.edits import ProjectEdits
from vigil.ui.ledger.handoverdesk import HandoverDesk
from vigil.ui.ledger.lengthdesk import LengthDesk
from vigil.ui.ledger.nightdesk import NightDesk
from vigil.ui.ledger.projectdesk import ProjectDesk
from vigil.ui.ledger.projects import ProjectsPicture
from vigil.ui.ledger.tonightdesk import TonightDesk
from vigil.ui.ledger.verdictdesk import VerdictDesk
from vigil.ui.pieces import Told, label
from vigil.ui.session import Session
from vigil.ui.theme import set_styled
from vigil.ui.tune.bench import show_only
from vigil.ui.views import Viewed
from vigil.ui.words import breakable
from vigil.ui.workspace import Edited, scrolled, side


class LedgerWorkspace(Viewed):
    """Each view is a desk of its own. Everything is read and worked out off the window's thread."""

    def __init__(self, session: Session, jobs: Jobs, ledger: Path | None = None) -> None:
        super().__init__("Ledger")
        self._session, self._jobs = session, jobs
        self._ledger = ledger or ledger_file()
        self.edits = ProjectEdits(Projects(projects_folder()))
        self._read: Read | None = None
        self._words = ("", "soft")
        self.said = Told("", "soft")
        room = Room(
            session, jobs, self._ledger, self.edits, self._say, self._complain, self.refresh, self.read,
            self.show_view,
        )  # fmt: skip
        self.projects, self.tonight = ProjectDesk(room), TonightDesk(room)
        self.length, self.verdicts = LengthDesk(room, lambda: self.projects.chosen), VerdictDesk(room)
        self.across, self.nights = AcrossDesk(room), NightDesk(room, self.verdicts.show_night)
        self.handover = HandoverDesk(room, lambda: self.projects.chosen)
        self.desks: dict[str, Desk] = {
            PROJECTS: self.projects,
            TONIGHT: self.tonight,
            LENGTH: self.length,
            VERDICTS: self.verdicts,
            ACROSS: self.across,
            NIGHTS: self.nights,
            HANDOVER: self.handover,
        }
        main, _ = self._lay_out_views({name: desk.picture for name, desk in self.desks.items()})
        self._pages = QStackedWidget()
        for desk in self.desks.values():
            desk.tools.setMinimumWidth(100)  # the column is as wide as it is, whatever words would want
            self._pages.addWidget(desk.tools)
        self.build(main, scrolled(side(label("Ledger", "head"), self.said, self._pages)))
        self.first = self.projects.picture
        self.edits.changed.connect(self.read)
        session.rig_changed.connect(self.read)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self._night_changed)
        self.show_view(PROJECTS)
        self.read()

    # -- reading --------------------------------------------------------------------------------------

    def entered(self) -> None:
        self.edits.look_again()
        self.read()

    def _night_changed(self) -> None:
        """Frames come during a night; they are read when somebody looks."""
        if self.isVisible() and not self._jobs.busy("ledger"):
            self.read()

    def read(self) -> None:
        rig, now, projects = self._session.rig, self._session.moments.now, self.edits.projects
        ledger = self._ledger
        self._jobs.run("ledger", lambda: _read(ledger, projects, rig, now), self._show_read, self._not_read)

    def _show_read(self, found: Read) -> None:
        self._read = found
        self.refresh()
        self.desks[self.view].look(found)

    def _not_read(self, problem: Exception) -> None:
        self._complain(f"the ledger can't be read: {problem}")

    def _view_shown(self, name: str) -> None:
        show_only(self._pages, list(self.views).index(name))
        self._words = ("", "soft")
        if self._read is not None:
            self.desks[name].look(self._read)

    def _view_words(self, name: str) -> str:
        return f"Ledger: {name.casefold()}"

    # -- showing --------------------------------------------------------------------------------------

    def _say(self, words: str) -> None:
        self._words = words, "soft"
        self.refresh()

    def _complain(self, words: str) -> None:
        self._words = words, "warn"
        self.refresh()

    def begin_project(self, framed: object) -> None:
        """Of a target as it is framed in Targets."""
        self.projects.begin(framed)

    def edited(self) -> Edited | None:
        return self.edits

    def actions_here(self) -> list[Action]:
        night, hand = self.nights.tools, self.handover.tools
        made = self._actions_of(
            [
                ("Write the chosen night's report as a page", night.page, NIGHTS),
                ("Write the chosen night's report as PDF", night.pdf, NIGHTS),
                ("Hand over the kept lights", hand.go, HANDOVER),
                ("Back up the ledger", night.back_up, NIGHTS),
                ("Look for frames that were moved", night.look, NIGHTS),
                ("Import lights from elsewhere", night.take_in, NIGHTS),
            ]
        )
        made += [action for desk in self.desks.values() for action in desk.actions()]
        made.append(Action("Read the ledger again", self.read))
        return made

    def show_anew(self) -> None:
        words, role = self._words
        trouble = self.edits.problem or ("" if words else next(iter(self.edits.broken()), ""))
        if trouble:
            words, role = trouble, "warn"
        self.said.setText(breakable(f"{words[:1].upper()}{words[1:]}"))
        self.said.setVisible(bool(words))
        set_styled(self.said, "role", role)
        for desk in self.desks.values():
            desk.show(self._read)

    def second(self) -> tuple[QWidget, Callable[[], None]]:
        """The projects, to be read across the room."""
        twin = ProjectsPicture()
        return twin, lambda: twin.show_projects(self._read.progress if self._read else [], NO_PROJECTS)


def _read(ledger: Path, projects: tuple[Project, ...], rig: Rig, now: datetime) -> Read:
    progress = all_progress(ledger, projects, {rig.id: rig}, rig, now)
    return Read(progress, nights(ledger), lost_by_night(ledger))
