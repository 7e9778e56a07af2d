"""Ledger: projects first; tonight's best use, verdicts, across nights, nights, hand over."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSplitter, QStackedWidget, QWidget

from vigil.documents.messages import Command
from vigil.documents.plan import Target
from vigil.documents.project import Project, Projects, parse_goals
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed
from vigil.files.atomic import write_bytes
from vigil.files.camerahealth import camera_health
from vigil.files.deepsky import UnknownObject, find_object
from vigil.files.solver import Search
from vigil.ledger.accounts import NightLost, lost_by_night
from vigil.ledger.backup import back_up
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.handover import Gathering, HandedOver, gathering, hand_over
from vigil.ledger.importing import Imported, fits_in, import_frames
from vigil.ledger.judged import Word, judge_by_hand
from vigil.ledger.projecthours import FilterNoise, all_progress, noise_by_filter, tonight
from vigil.ledger.reading import NightRow, Sought, frames, nights, trends
from vigil.ledger.reconcile import Reconciled, reconcile
from vigil.planning.bestuse import BestUse, into_plan, useful_hours_of
from vigil.planning.progress import Progress
from vigil.planning.projects import of_framed
from vigil.planning.shelfcsv import parse_lines
from vigil.reports.night import report_of
from vigil.reports.page import as_page
from vigil.reports.text import as_text
from vigil.runtime.folders import from_home, ledger_file, own_catalogue_folder, projects_folder
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken
from vigil.subexposures.advice import advise
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.ledger.edits import ProjectEdits
from vigil.ui.ledger.frames import (
    FramePicture,
    FrameRows,
    because_of,
    best_alike,
    title_of,
    tones_of,
)
from vigil.ui.ledger.handover import HandoverRows, groups_of
from vigil.ui.ledger.nights import NightRows
from vigil.ui.ledger.projects import ProjectsPicture
from vigil.ui.ledger.subs import SubsPicture
from vigil.ui.ledger.tonight import TonightPicture
from vigil.ui.ledger.tools import (
    FrameTools,
    HandoverTools,
    LengthTools,
    NightTools,
    ProjectTools,
    TonightTools,
    TrendTools,
)
from vigil.ui.ledger.trends import OF_DARKS, Trends, TrendsPicture, darks_of, trends_of
from vigil.ui.pieces import Told, label
from vigil.ui.session import Session
from vigil.ui.theme import set_styled
from vigil.ui.tune.bench import show_only
from vigil.ui.views import Viewed
from vigil.ui.words import breakable
from vigil.ui.workspace import Edited, scrolled, side

PROJECTS, TONIGHT, LENGTH, VERDICTS, ACROSS, NIGHTS, HANDOVER = (
    "Projects", "Tonight's best use", "Exposure length", "Verdicts", "Across nights", "Nights", "Hand over",
)  # fmt: skip
_NO_PROJECTS = (
    "No projects yet. A project is a goal in hours for one target over many nights: New project makes one."
)
_MOST_FRAMES = 5000


@dataclass(frozen=True, slots=True)
class Read:
    """What the ledger has, as the pictures want it."""

    progress: list[Progress]
    nights: list[NightRow]
    lost: list[NightLost]


class LedgerWorkspace(Viewed):
    """Everything is read and reckoned off the window's thread."""

    _went_on = pyqtSignal(int, int)
    _taken_in = pyqtSignal(int, int, str)

    def __init__(self, session: Session, jobs: Jobs, ledger: Path | None = None) -> None:
        super().__init__("Ledger")
        self._session, self._jobs = session, jobs
        self._ledger = ledger or ledger_file()
        self.edits = ProjectEdits(Projects(projects_folder()))
        self._read: Read | None = None
        self._trouble = ""
        self._said = ("", "soft")
        self._found: BestUse | None = None
        self._standings: dict[str, Progress] = {}
        self._tonight_said = ""
        self._found_of: tuple[Any, ...] | None = None
        self._plan_wanted = False
        """Asked for while it was still being worked out."""
        self._frames: list[dict[str, Any]] = []
        self._tones: dict[str, Any] = {}
        self._blinked: dict[str, Any] | None = None
        self._trends: Trends | None = None
        self._darks: Trends | None = None
        self._subs: dict[str, list[FilterNoise]] = {}
        self._gathered: Gathering | None = None
        self._gathered_said = ""
        self._stopped = False
        self._handing_wanted = False
        self._framed: Framed | None = None
        self.said = Told("", "soft")
        self.projects, self.best = ProjectsPicture(), TonightPicture(session)
        self.length = SubsPicture()
        self.picture, self.lights = FramePicture(), FrameRows()
        self.across, self.nights, self.handed = TrendsPicture(), NightRows(), HandoverRows()
        self._build()
        self._connect()
        self.show_view(PROJECTS)
        self.read()

    # -- building -------------------------------------------------------------------------------------

    def _build(self) -> None:
        split = QSplitter()
        split.setOrientation(split.orientation().Vertical)
        split.addWidget(self.picture)
        split.addWidget(self.lights)
        split.setSizes([330, 240])
        split.setChildrenCollapsible(False)
        pictures: dict[str, QWidget] = {
            PROJECTS: self.projects,
            TONIGHT: self.best,
            LENGTH: self.length,
            VERDICTS: split,
            ACROSS: self.across,
            NIGHTS: self.nights,
            HANDOVER: self.handed,
        }
        main, _ = self._lay_out_views(pictures)
        self.project_tools = ProjectTools(self._set_value, self._complain)
        self.tonight_tools, self.length_tools = TonightTools(), LengthTools()
        self.frame_tools = FrameTools(self._set_limit, self._complain)
        self.trend_tools, self.night_tools = TrendTools(), NightTools()
        self.handover_tools = HandoverTools(self._complain)
        self._pages = QStackedWidget()
        for page in (
            self.project_tools,
            self.tonight_tools,
            self.length_tools,
            self.frame_tools,
            self.trend_tools,
            self.night_tools,
            self.handover_tools,
        ):
            page.setMinimumWidth(100)  # the column is as wide as it is, whatever words would want
            self._pages.addWidget(page)
        self.build(main, scrolled(side(label("Ledger", "head"), self.said, self._pages)))
        self.first = self.projects
        self.night_tools.folder.setText("~")

    def _connect(self) -> None:
        session, tools = self._session, self.project_tools
        self.edits.changed.connect(self.read)
        self.projects.chosen.connect(lambda _: self._project_chosen())
        tools.new.clicked.connect(self.begin_project)
        tools.form.make.clicked.connect(self._make_project)
        tools.form.cancel.clicked.connect(self._leave_form)
        tools.tonight.clicked.connect(lambda: self.show_view(TONIGHT))
        tools.hand.clicked.connect(self._hand_over_chosen)
        tools.pause.clicked.connect(self._pause)
        tools.remove.clicked.connect(self._remove)
        self.tonight_tools.into_plan.clicked.connect(self._into_plan)
        self.tonight_tools.anew.clicked.connect(self._reckon)
        for choice in (self.frame_tools.standing, self.frame_tools.whose):
            choice.activated.connect(lambda _: self._read_frames())
        self.lights.chosen.connect(lambda _: self._frame_chosen())
        self.lights.judged.connect(self._judge)
        self.lights.blinked.connect(self._blink)
        for made, word in (
            (self.frame_tools.keep, "kept"),
            (self.frame_tools.reject, "rejected"),
            (self.frame_tools.undo, "undecided"),
        ):
            made.clicked.connect(lambda _, w=word: self._judge_chosen(w))
        self.frame_tools.blink.clicked.connect(self._blink)
        self.trend_tools.what.activated.connect(lambda _: self._trend_chosen())
        self.nights.chosen.connect(lambda _: self.refresh())
        night = self.night_tools
        for made, ending in ((night.page, "html"), (night.pdf, "pdf"), (night.text, "txt")):
            made.clicked.connect(lambda _, e=ending: self._report(e))
        night.frames.clicked.connect(self._show_night_frames)
        night.back_up.clicked.connect(self._back_up)
        night.look.clicked.connect(self._look_for_files)
        night.take_in.clicked.connect(self._import)
        night.stop.clicked.connect(self._stop_handing)
        self._taken_in.connect(self._show_taking_in)
        hand = self.handover_tools
        for choice in (hand.whose, hand.doubtful):
            choice.activated.connect(lambda _: self._gather())
        hand.naming.editingFinished.connect(self._gather)
        hand.go.clicked.connect(self._hand_over)
        hand.stop.clicked.connect(self._stop_handing)
        self._went_on.connect(lambda done, of: hand.bar.show_share(done / max(of, 1)))
        session.rig_changed.connect(self.read)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self._night_changed)

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
        self._read, self._trouble = found, ""
        names = [p.project.name for p in found.progress]
        self.frame_tools.show_projects(names)
        self.handover_tools.show_projects(names)
        self._subs.clear()
        self._look_at_view()
        self.refresh()
        self._ask_subs()

    def _not_read(self, problem: Exception) -> None:
        self._trouble = f"The ledger can't be read: {problem}"
        self.refresh()

    def _view_shown(self, name: str) -> None:
        show_only(self._pages, list(self.views).index(name))
        self._said = ("", "soft")
        self._look_at_view()

    def _view_words(self, name: str) -> str:
        return f"Ledger: {name.casefold()}"

    def _look_at_view(self) -> None:
        """What a view needs beside what is read for all."""
        if self._read is None:
            return
        if self.view == TONIGHT and self._found_of != self._tonight_key():
            self._reckon()
        elif self.view == VERDICTS:
            self._read_frames()
        elif self.view == ACROSS:
            self._read_trends()
        elif self.view == HANDOVER:
            self._gather()

    # -- projects -------------------------------------------------------------------------------------

    @property
    def chosen(self) -> Project | None:
        """The project that is chosen, as it is now."""
        progress = self.projects.progress
        return self.edits.named(progress.project.name) if progress is not None else None

    def _project_chosen(self) -> None:
        self._ask_subs()
        self.refresh()

    def begin_project(self, framed: object = None) -> None:
        """The form of a new one; of a framed target it is filled in so far."""
        self.show_view(PROJECTS)
        form = self.project_tools.form
        self._framed = framed if isinstance(framed, Framed) else None
        for field in (form.target, form.name, form.goal, form.lines):
            field.clear()
        form.problem.setText("")
        lines = self._session.plan.usual_lines
        if self._framed is not None:
            form.target.setText(self._framed.name)
            lines = self._framed.lines or lines
        form.lines.setText("; ".join(dict.fromkeys(line.words for line in lines)))
        form.show()
        self.refresh()
        (form.goal if self._framed is not None else form.target).setFocus()

    def _leave_form(self) -> None:
        self.project_tools.form.hide()
        self.refresh()
        self.projects.setFocus()

    def _make_project(self) -> None:
        form = self.project_tools.form
        text, name = form.target.text().strip(), form.name.text().strip()
        try:
            lines = parse_lines(form.lines.text(), self._session.rig)
            goals = parse_goals(form.goal.text())
            if self._framed is not None and text == self._framed.name:
                made = of_framed(self._framed, name or text, goals, self._session.rig)
            else:
                target = _target_of(text, self._session.moments.now)
                made = Project(name=name or target.name, target=target, goals=goals)
            made = made.model_copy(update={"lines": lines, "rigs": [self._session.rig.id]})
            self.edits.add(made)
        except ValueError as problem:
            form.problem.setText(str(problem).splitlines()[-1])
            return
        form.hide()
        self._say(f"{made.name} is a project now.")
        self.projects.setFocus()

    def _set_value(self, key: str, text: str) -> None:
        project = self.chosen
        if project is None:
            return
        said = self.edits.set(project, key, text.replace("−", "-"), self._session.moments.now)
        self._say("; ".join(said) + ("." if said else ""))

    def _pause(self) -> None:
        if (project := self.chosen) is not None:
            self.edits.set(project, "paused", "no" if project.paused else "yes", self._session.moments.now)

    def _remove(self) -> None:
        if (project := self.chosen) is not None:
            self.edits.remove(project)
            self._say(f"{project.name} is removed; its frames stay. Undo restores it.")

    def edited(self) -> Edited | None:
        return self.edits

    def _ask_subs(self) -> None:
        """How long to expose, by what the frames show."""
        project, rig, ledger = self.chosen, self._session.rig, self._ledger
        if project is None or project.name in self._subs:
            return
        self._jobs.run(
            "subs",
            lambda: (project.name, noise_by_filter(ledger, project, rig)),
            self._show_subs,
            lambda _: None,
        )

    def _show_subs(self, found: tuple[str, list[FilterNoise]]) -> None:
        self._subs[found[0]] = found[1]
        self.refresh()

    # -- tonight --------------------------------------------------------------------------------------

    def _tonight_key(self) -> tuple[Any, ...]:
        """What tonight's best use rests on; the time of day by the quarter of an hour."""
        now = self._session.moments.now
        kept = [p.kept_h for p in self._read.progress] if self._read is not None else []
        return self.edits.projects, self._session.rig, int(now.timestamp() // 900), tuple(kept)

    def _reckon(self) -> None:
        projects, rig, now, ledger = (
            self.edits.projects, self._session.rig, self._session.moments.now, self._ledger,
        )  # fmt: skip
        if not projects:
            self._found, self._tonight_said = None, _NO_PROJECTS
            self.refresh()
            return
        self._tonight_said, self._found_of = "Sharing the night out …", self._tonight_key()
        self._jobs.run(
            "tonight",
            lambda: tonight(ledger, projects, {rig.id: rig}, rig, now),
            self._show_tonight,
            self._no_tonight,
        )
        self.refresh()

    def _show_tonight(self, found: tuple[BestUse, dict[str, Progress]]) -> None:
        self._found, self._standings = found
        self._tonight_said = ""
        self.refresh()
        if self._plan_wanted:
            self._into_plan()

    def _no_tonight(self, problem: Exception) -> None:
        self._found, self._tonight_said = None, f"It can't be calculated: {problem}"
        self.refresh()

    def _into_plan(self) -> None:
        found = self._found
        self._plan_wanted = self._jobs.busy("tonight")
        if self._plan_wanted or found is None:
            return
        if not found.stints:
            self._complain("there is nothing to put into the plan")
            return
        plan = self._session.plan
        made, said = into_plan(found, plan.plan, self._session.rig, self._standings)
        try:
            plan.take_over("putting the night's best use into the plan", made)
        except ValueError as problem:
            self._complain(str(problem))
            return
        self._say("; ".join(["It is in the plan (Night)", *said]) + ".")

    def put_into_plan(self) -> None:
        """Once it is worked out."""
        self.show_view(TONIGHT)
        self._into_plan()

    def _plan_h(self) -> float | None:
        """What the plan on the desk comes to, weighed alike."""
        if self._found is None or not self._session.plan.plan.blocks:
            return None
        ahead = self._session.plan_ahead()
        return useful_hours_of(ahead, self._session.plan.plan, self._session.rig, self._found)

    # -- verdicts -------------------------------------------------------------------------------------

    def _read_frames(self) -> None:
        tools, ledger = self.frame_tools, self._ledger
        project = self.edits.named(tools.whose.currentText())
        word = tools.standing.currentText()
        standing = "" if word.startswith("all") else word
        names = tuple(project.frame_names) if project is not None else ()
        self._jobs.run(
            "frames",
            lambda: frames(ledger, Sought(targets=names, standing=standing), _MOST_FRAMES),
            self._show_frames,
            self._not_read,
        )

    def _show_frames(self, found: list[dict[str, Any]]) -> None:
        self._frames = found
        self._blinked = None
        self.lights.show_frames(found, self._session.zone, self._nothing_of_frames())
        self._frame_chosen()

    def _nothing_of_frames(self) -> str:
        word = self.frame_tools.standing.currentText()
        return (
            "No lights yet: after a night they are here." if word.startswith("all") else f"No {word} lights."
        )

    def _frame_chosen(self) -> None:
        self._blinked = None
        self._show_picture()

    def _show_picture(self) -> None:
        """The chosen frame, or the one it is blinked against: off the disk when it isn't at hand."""
        frame = self._blinked or self.lights.frame
        if frame is None:
            self.picture.show_tones(None, "", "")
            self.refresh()
            return
        title = title_of(frame, self._session.zone)
        if self._blinked is not None:
            title = f"Blinked against {title}"
        said = f"{frame['standing']}{' by you' if frame['verdict'] else ''}{because_of(frame)}"
        role = {"kept": "soft", "doubtful": "warn", "rejected": "fault"}[frame["standing"]]
        path = str(frame["path"])
        kept = self._tones.get(path)
        if isinstance(kept, str):
            self.picture.show_tones(None, title, f"{said} ({kept})", role)
        elif kept is not None:
            self.picture.show_tones(kept, title, said, role)
        else:
            self.picture.show_tones(None, title, said, role)
            self._jobs.run(
                "frame picture",
                lambda: (path, tones_of(Path(path))),
                self._keep_tones,
                lambda problem: self._keep_tones((path, str(problem).removeprefix(f"{path}: "))),
            )
        self.refresh()

    def _keep_tones(self, found: tuple[str, Any]) -> None:
        if len(self._tones) > 12:
            self._tones.pop(next(iter(self._tones)))
        self._tones[found[0]] = found[1]
        shown = self._blinked or self.lights.frame
        if shown is not None and str(shown["path"]) == found[0]:
            self._show_picture()

    def _blink(self) -> None:
        frame, ledger = self.lights.frame, self._ledger
        if frame is None:
            return
        if self._blinked is not None:
            self._blinked = None
            self._show_picture()
            return
        sought = Sought(
            rig=frame["rig"], targets=(frame["target"],), filter=frame["filter"] or "", standing="kept"
        )

        def show(others: list[dict[str, Any]]) -> None:
            self._blinked = best_alike(frame, others)
            if self._blinked is None:
                self._complain("there is no kept light of its series to blink against")
            self._show_picture()

        self._jobs.run("alike", lambda: frames(ledger, sought), show, self._not_read)

    def _judge_chosen(self, word: str) -> None:
        if (frame := self.lights.frame) is not None:
            self._judge(frame["frame_id"], word)

    def _judge(self, frame_id: str, word: str) -> None:
        """On record at once; a night that goes on is told by its keeper."""
        session, ledger = self._session, self._ledger
        frame = next((f for f in self._frames if f["frame_id"] == frame_id), None)
        status = session.status
        if frame is not None and session.under_way and status is not None and status.night == frame["errand"]:
            session.ask(Command.JUDGE, frame=frame_id, verdict=word)
            return
        now = datetime.now(UTC)

        def done(_: None) -> None:
            self._say(f"{frame_id}: {'as Vigil judges' if word == 'undecided' else word + ' by you'}.")
            self.read()

        self._jobs.run(
            "judging",
            lambda: judge_by_hand(ledger, [frame_id], cast(Word, word), now),
            done,
            lambda problem: self._complain(str(problem)),
        )

    def _set_limit(self, key: str, text: str) -> None:
        project = self.edits.named(self.frame_tools.whose.currentText())
        if project is not None:
            self.edits.set(project, key, text, self._session.moments.now)

    # -- across nights --------------------------------------------------------------------------------

    def _read_trends(self) -> None:
        ledger, rig_id = self._ledger, self._session.rig.id
        lost = self._read.lost if self._read is not None else []
        self._jobs.run(
            "trends", lambda: trends_of(trends(ledger), lost, rig_id), self._show_trends, self._not_read
        )

    def _trend_chosen(self) -> None:
        """Darks are read only when somebody wants to know."""
        rig, ledger = self._session.rig, self._ledger
        if self.trend_tools.what.currentText() in OF_DARKS and self._darks is None:
            self._jobs.run("darks", lambda: _darks_of(rig, ledger), self._show_darks, self._not_read)
        self.refresh()

    def _show_darks(self, found: Trends) -> None:
        self._darks = found
        self.refresh()

    def _show_trends(self, found: Trends) -> None:
        self._trends = found
        self.refresh()

    # -- nights ---------------------------------------------------------------------------------------

    def _report(self, ending: str) -> None:
        night, ledger = self.nights.night, self._ledger
        text = self.night_tools.folder.text().strip()
        folder = Path(text).expanduser()
        if night is None:
            return
        if not text or not folder.is_dir():
            self._complain(f"{text or 'the folder for reports'}: there is no such folder")
            return
        path = folder / f"{night.errand}.{ending}"
        self._say(f"Writing the report of {night.evening} …")
        self._jobs.run(
            "report",
            lambda: _write_report(ledger, night.errand, path),
            lambda _: self._say(f"The report is {from_home(path)}."),
            lambda problem: self._complain(f"no report: {problem}"),
        )

    def _show_night_frames(self) -> None:
        night, ledger = self.nights.night, self._ledger
        if night is None:
            return
        self.frame_tools.standing.setCurrentText("all lights")
        self.frame_tools.whose.setCurrentIndex(0)
        self.show_view(VERDICTS)
        self._jobs.run(
            "frames", lambda: frames(ledger, Sought(errand=night.errand)), self._show_frames, self._not_read
        )

    # -- the ledger itself ----------------------------------------------------------------------------

    def _back_up(self) -> None:
        text, ledger = self.night_tools.folder.text().strip(), self._ledger
        folder = Path(text).expanduser()
        if not text or not folder.is_dir():
            self._complain(f"{text or 'the folder for backups'}: there is no such folder")
            return
        path = folder / f"vigil-ledger-{datetime.now(UTC):%Y%m%dT%H%M%S}.sqlite"
        self._say("Copying the ledger …")
        self._jobs.run(
            "back up",
            lambda: back_up(ledger, path),
            lambda events: self._say(f"{from_home(path)}: {events} events, whole."),
            lambda problem: self._complain(f"no backup: {problem}"),
        )

    def _look_for_files(self) -> None:
        rig, ledger, now = self._session.rig, self._ledger, datetime.now(UTC)

        def done(found: Reconciled) -> None:
            moved, gone = len(found.moved), len(found.missing)
            self._say(f"{found.there} where the ledger says, {moved} found elsewhere, {gone} gone.")
            self.read()

        self._say("Looking for the frames …")
        self._jobs.run(
            "look for files",
            lambda: reconcile(ledger, folders_with_frames(rig, ledger), now, rig=rig.id),
            done,
            lambda problem: self._complain(f"not looked: {problem}"),
        )

    def _import(self) -> None:
        """Each frame is whole in the ledger before the next: it can be stopped, and begun again."""
        text, rig, ledger = self.night_tools.source.text().strip(), self._session.rig, self._ledger
        folder = Path(text).expanduser()
        if not text or not folder.exists():
            self._complain(f"{text or 'the folder with frames'}: there is no such folder")
            return
        self._stopped = False
        now = datetime.now(UTC)

        def work() -> tuple[int, list[Imported]]:
            paths = fits_in([folder])
            found = []
            for one in import_frames(
                ledger, paths, rig, now, Search(own=own_catalogue_folder()), stop=lambda: self._stopped
            ):
                found.append(one)
                self._taken_in.emit(len(found), len(paths), one.path.name)
            return len(paths), found

        ledger.parent.mkdir(parents=True, exist_ok=True)
        self._jobs.run(
            "import", work, self._imported, lambda problem: self._complain(f"not imported: {problem}")
        )
        self.night_tools.bar.show_share(0.0)
        self.refresh()

    def _show_taking_in(self, done: int, of: int, name: str) -> None:
        self.night_tools.bar.show_share(done / max(of, 1))
        self._say(f"{done} of {of}: {name}")

    def _imported(self, came: tuple[int, list[Imported]]) -> None:
        of, found = came
        taken = sum(bool(one.frame_id) for one in found)
        others = [one for one in found if one.why_not]
        doubts = [one for one in found if one.doubt]
        told = f"{taken} of {of} taken in"
        if others:
            told += f"; {others[0].path.name}: {others[0].why_not}"
            told += f", and {len(others) - 1} more were not" if len(others) > 1 else ""
        if doubts:
            told += f"; {doubts[0].path.name}: {doubts[0].doubt}"
        self._say(f"{told}.")
        self.read()

    # -- hand over ------------------------------------------------------------------------------------

    def _hand_over_chosen(self) -> None:
        if (project := self.chosen) is not None:
            self.handover_tools.whose.setCurrentText(project.name)
        self.show_view(HANDOVER)

    def _gather(self) -> None:
        tools, rig, ledger = self.handover_tools, self._session.rig, self._ledger
        project = self.edits.named(tools.whose.currentText())
        if project is None or self._jobs.busy("handing over"):
            return
        if not tools.folder.text():
            tools.folder.setText(from_home(Path.home() / project.name))
        doubtful, naming = tools.doubtful.currentIndex() == 1, tools.naming.text()
        self._gathered_said = "Reading the headers …"
        self._jobs.run(
            "gathering",
            lambda: _gathered(ledger, project, rig, doubtful, naming),
            self._show_gathered,
            self._not_gathered,
        )
        self.refresh()

    def _show_gathered(self, found: Gathering) -> None:
        self._gathered = found
        missing = f"{len(found.missing)} lights' files are gone. " if found.missing else ""
        self._gathered_said = missing or "It has no lights yet."
        self.handed.show_groups(groups_of(found), missing or "No kept lights of it yet.")
        self.refresh()
        if self._handing_wanted:
            self._hand_over()

    def _not_gathered(self, problem: Exception) -> None:
        self._gathered = None
        self.handed.show_groups([], f"It can't be gathered: {problem}")
        self.refresh()

    def _hand_over(self) -> None:
        gathered, folder = self._gathered, self.handover_tools.wanted_folder
        self._handing_wanted = self._jobs.busy("gathering")
        if self._handing_wanted:
            return
        if gathered is None or not gathered.items:
            self._complain("there is nothing to hand over")
            return
        if folder is None:
            self._complain("say into which folder")
            return
        copies = self.handover_tools.how.currentIndex() == 1
        self._stopped = False

        def progress(done: int, of: int) -> bool:
            self._went_on.emit(done, of)
            return not self._stopped

        self._jobs.run(
            "handing over",
            lambda: hand_over(gathered, folder, "copy" if copies else "link", progress),
            self._handed_over,
            lambda problem: self._complain(f"not handed over: {problem}"),
        )
        self.handover_tools.bar.show_share(0.0)
        self.refresh()

    def _stop_handing(self) -> None:
        self._stopped = True

    def _handed_over(self, came: HandedOver) -> None:
        there = f", {came.there} were there" if came.there else ""
        if came.reason:
            put = f"{came.done} put into {from_home(came.folder)}{there}"
            self._complain(f"{put}; {len(came.left)} are not: {came.reason}")
            return
        self._say(f"{came.done} files in {from_home(came.folder)}{there}, with a manifest.")

    # -- showing --------------------------------------------------------------------------------------

    def _say(self, words: str) -> None:
        self._said = words, "soft"
        self.refresh()

    def _complain(self, words: str) -> None:
        self._said = words, "warn"
        self.refresh()

    def actions_here(self) -> list[Action]:
        made = self._actions_of(
            [
                ("Write the chosen night's report as a page", self.night_tools.page, NIGHTS),
                ("Write the chosen night's report as PDF", self.night_tools.pdf, NIGHTS),
                ("Hand over the kept lights", self.handover_tools.go, HANDOVER),
                ("Back up the ledger", self.night_tools.back_up, NIGHTS),
                ("Look for frames that were moved", self.night_tools.look, NIGHTS),
                ("Import lights from elsewhere", self.night_tools.take_in, NIGHTS),
            ]
        )
        made.append(Action("Put the night's best use into the plan", self.put_into_plan))
        made.append(Action("New project", self.begin_project, "Ctrl+Shift+J"))
        made.append(Action("Judge the doubtful lights", self.begin_judging))
        made.append(Action("Read the ledger again", self.read))
        return made

    def begin_judging(self) -> None:
        """The doubtful ones, the keyboard on them."""
        self.frame_tools.standing.setCurrentText("doubtful")
        self.show_view(VERDICTS)
        self.lights.setFocus()

    def show_anew(self) -> None:
        words, role = self._said
        if self._trouble:
            words, role = self._trouble, "warn"
        elif self.edits.problem:
            words, role = self.edits.problem, "warn"
        elif not words and (broken := self.edits.broken()):
            words, role = broken[0], "warn"
        self.said.setText(breakable(f"{words[:1].upper()}{words[1:]}"))
        self.said.setVisible(bool(words))
        set_styled(self.said, "role", role)
        read = self._read
        busy = "Reading the ledger …" if read is None else _NO_PROJECTS
        self.projects.show_projects(read.progress if read is not None else [], busy)
        progress = self.projects.progress
        noise = self._subs.get(progress.project.name, []) if progress is not None else []
        self.project_tools.show_progress(progress)
        name = progress.project.name if progress is not None else ""
        self.length.show_noise(noise, "Nothing is measured yet: kept lights tell the sky and the noise.")
        self.length_tools.show_lengths(name, _lengths_in_words(noise))
        self.best.show_found(self._found, self._tonight_said)
        self.tonight_tools.show_found(
            self._found, self._plan_h() if self.view == TONIGHT else None, self._jobs.busy("tonight")
        )
        self.frame_tools.show_limits(self.edits.named(self.frame_tools.whose.currentText()))
        self._show_figures()
        self._show_across(read is None)
        self.nights.show_nights(
            read.nights if read is not None else [],
            read.lost if read is not None else [],
            "Reading the ledger …" if read is None else "No nights yet: they are here once they have begun.",
        )
        night = self.nights.night
        self.night_tools.show_night(night, self.nights.lost_of(night) if night is not None else {})
        self.night_tools.show_busy(self._jobs.busy("import"))
        handing = self._jobs.busy("handing over")
        self.handover_tools.show_busy(handing, self.handover_tools.bar.share if handing else 0.0)
        self.handover_tools.words.setText(self._gathered_words())

    def _show_across(self, reading: bool) -> None:
        what = self.trend_tools.what.currentText()
        if what in OF_DARKS:
            busy = self._jobs.busy("darks")
            nothing = "Darks and bias frames of the same settings tell it: none are in the rig's folders yet."
            self.across.show_trends(self._darks, what, "Reading the darks …" if busy else nothing)
        else:
            self.across.show_trends(
                self._trends, what, "Reading the ledger …" if reading else "No lights yet."
            )

    def _show_figures(self) -> None:
        frame = self.lights.frame
        facts = []
        if frame is not None:
            for name, key, shape in (
                ("star size", "fwhm_px", "{:.2f} px"), ("stars", "stars", "{:.0f}"),
                ("elongation", "elongation", "{:.2f}"), ("background", "background_adu", "{:.0f} ADU"),
                ("guiding", "guide_rms_arcsec", "{:.2f}″ rms"), ("air mass", "air_mass", "{:.2f}"),
                ("off its target", "off_arcsec", "{:.1f}″"),
            ):  # fmt: skip
                if frame[key] is not None:
                    facts.append((name, shape.format(frame[key])))
        self.frame_tools.facts.show_facts(facts)
        for made in (
            self.frame_tools.keep,
            self.frame_tools.reject,
            self.frame_tools.undo,
            self.frame_tools.blink,
        ):
            made.setEnabled(frame is not None)

    def _gathered_words(self) -> str:
        gathered = self._gathered
        if gathered is None or not gathered.items:
            return self._gathered_said
        others = len(gathered.items) - len(gathered.lights)
        room = f"{gathered.bytes / 1e9:.1f} GB as copies"
        lines = [f"{len(gathered.lights)} lights and {others} calibration frames, {room}."]
        if gathered.missing:
            lines.append(f"{len(gathered.missing)} lights' files are gone.")
        lines += [f"{words}." for words in gathered.uncovered[:4]]
        return "\n".join(lines)

    def second(self) -> tuple[QWidget, Callable[[], None]]:
        """The projects, to be read across the room."""
        twin = ProjectsPicture()
        return twin, lambda: twin.show_projects(self._read.progress if self._read else [], _NO_PROJECTS)


def _target_of(text: str, now: datetime) -> Target:
    """Raises ValueError with what would be right."""
    if not text:
        raise ValueError("a project needs a target: a name, or a position")
    if looks_like_position(text):
        spoken = parse_spoken(text, from_datetimes(now))
        return Target(name=text, ra_deg=spoken.ra_deg, dec_deg=spoken.dec_deg)
    try:
        found = find_object(text)
    except UnknownObject as problem:
        raise ValueError(str(problem)) from None
    return Target(name=found.name, ra_deg=found.ra_deg, dec_deg=found.dec_deg)


def _read(ledger: Path, projects: tuple[Project, ...], rig: Rig, now: datetime) -> Read:
    progress = all_progress(ledger, projects, {rig.id: rig}, rig, now)
    return Read(progress, nights(ledger), lost_by_night(ledger))


def _darks_of(rig: Rig, ledger: Path) -> Trends:
    camera = rig.camera
    each = camera.at_gain(camera.lights.gain or 0).electrons_per_adu if camera is not None else 1.0
    return darks_of(camera_health(folders_with_frames(rig, ledger), each))


def _lengths_in_words(found: list[FilterNoise]) -> str:
    return "\n".join(
        f"{one.filter or 'no filter'}, {one.exposure_s:g} s now: {advise(one.measured).words}."
        for one in found
    )


def _write_report(ledger: Path, night: str, path: Path) -> None:
    report = report_of(ledger, night)
    if path.suffix == ".pdf":
        from vigil.reports.pdf import as_pdf

        write_bytes(path, as_pdf(report))
    else:
        text = as_page(report) if path.suffix == ".html" else as_text(report)
        write_bytes(path, text.encode())


def _gathered(ledger: Path, project: Project, rig: Rig, doubtful: bool, naming: str) -> Gathering:
    names = tuple(project.frame_names)
    found = frames(ledger, Sought(targets=names, standing="kept"))
    if doubtful:
        found += frames(ledger, Sought(targets=names, standing="doubtful"))
    return gathering(found, folders_with_frames(rig, ledger), rig.site.time_zone, rig.name, naming)
