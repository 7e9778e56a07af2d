"""Night: the plan as a picture and as text; what it will come to; Start."""

from collections.abc import Callable
from zoneinfo import ZoneInfo

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from vigil.documents.namedfiles import NamedFiles
from vigil.documents.pattern import Patterns
from vigil.documents.plan import NightPlan
from vigil.documents.shippedscenarios import shipped
from vigil.files.calibrationframes import CalibrationFrame, calibration_frames
from vigil.link.rehearsal import Odds
from vigil.planning.account import Account, lost_words
from vigil.planning.muster import Finding
from vigil.planning.planmuster import Around, plan_muster
from vigil.planning.plantext import plan_text
from vigil.runtime.folders import (
    calibration_folder,
    free_for_frames,
    from_home,
    patterns_folder,
    plans_folder,
    shelf_file,
)
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.fields import ValueField
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.musterlist import MusterList
from vigil.ui.night.patternchoice import PatternChoice
from vigil.ui.night.picture import NightPicture
from vigil.ui.night.planchoice import PlanChoice
from vigil.ui.night.plantext import PlanText
from vigil.ui.night.rehearsing import SEEDS, Rehearsing
from vigil.ui.pieces import Choice, Note, OneLine, button, row, wrapped
from vigil.ui.session import Session
from vigil.ui.targets.shelfmodel import ShelfModel
from vigil.ui.theme import set_styled
from vigil.ui.workspace import Workspace, page, scrolled, side

_MUSTER_PX = 76


class NightWorkspace(Workspace):
    """`to_rig` leads to the rig, for what is wrong there."""

    def __init__(self, session: Session, jobs: Jobs, to_rig: Callable[[], None] = lambda: None) -> None:
        super().__init__("Night")
        self._to_rig = to_rig
        self._said = ""
        self._session, self._jobs = session, jobs
        self._calibrated_in = calibration_folder(session.rig.id)
        self._calibration: tuple[CalibrationFrame, ...] | None = None
        self._free: int | None = None
        self.rehearsing = Rehearsing(session, jobs)
        self.picture = NightPicture(session)
        go = button("Find a target", "primary", "To Targets", "Ctrl+2")
        self.find_target = go
        self.empty = Note("No target in tonight's plan", "Find one, and put it in the plan.", go)
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.picture)
        self.pictures.addWidget(self.empty)
        self.summary, self.trouble = OneLine(strong=True), OneLine("warn")
        self.start = button("Start the night", "primary", "Begin this plan", "Ctrl+Return")
        self.rehearse = button("Rehearse", "", "The whole night ahead of time, in seconds", "Ctrl+Shift+R")
        self.many = button(f"{words.TIMES}{SEEDS}", "", f"{SEEDS} such nights: the odds of each line")
        self.many.setAccessibleName(f"Rehearse {SEEDS} nights for the odds of each line")
        self.scenario = Choice()
        self.scenario.setAccessibleName("Weather and troubles of the rehearsal")
        self.scenario.setToolTip("What the rehearsal's sky, air and gear do")
        self.scenario.addItems(shipped())
        self.scenario.activated.connect(lambda n: session.plan.rehearse_under(self.scenario.itemText(n)))
        self.rehearsed = OneLine("soft")
        self.forget = button(words.TIMES, "plain", "Take the rehearsal off the picture")
        self.forget.setAccessibleName("Take the rehearsal off the picture")
        foot = QHBoxLayout()
        foot.setSpacing(12)
        texts = QVBoxLayout()
        texts.setSpacing(0)
        texts.addWidget(self.summary)
        texts.addWidget(self.trouble)
        told = row(self.rehearsed, self.forget, gap=4)
        texts.addLayout(told)
        foot.addLayout(texts, 1)
        foot.addWidget(self.scenario)
        foot.addWidget(self.rehearse)
        foot.addWidget(self.many)
        foot.addWidget(self.start)
        self.muster = MusterList()
        self.muster.wanted.connect(self._go_to_finding)
        self.muster_area = scrolled(self.muster)
        main = page(self.pictures, self.muster_area, foot, gap=10)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(0, 1)
        self.title = ValueField("The plan's name", session.plan.rename, self._say_problem)
        self.title.setProperty("role", "title")
        self.title.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.undo = button("Undo", "plain", "Take the last change back", "Ctrl+Z")
        self.redo = button("Redo", "plain", "Do it again", "Ctrl+Shift+Z")
        self.copy = button("Copy", "plain", "The plan as plain text")
        tools = QWidget()
        self.patterns = PatternChoice(
            session,
            Patterns(patterns_folder()),
            lambda: self.picture.chosen_block,
            self._tell,
            lambda: ShelfModel(shelf_file()).shelf.framed,
        )
        plans = NamedFiles(plans_folder(session.rig.id), NightPlan, "plan")
        self.plans = PlanChoice(session, plans, self._tell)
        tools.setLayout(row(self.undo, self.redo, self.copy, self.patterns, gap=0))
        tools_layout = tools.layout()
        assert isinstance(tools_layout, QHBoxLayout)
        tools_layout.addStretch(1)
        self.text = PlanText(session)
        self.locked = wrapped("", "small")
        named = QWidget()
        named.setLayout(row(self.title, self.plans, gap=6))
        inspector = side(named, tools, self.locked, scrolled(self.text), stretch=False)
        inspector_layout = inspector.layout()
        assert isinstance(inspector_layout, QVBoxLayout)
        inspector_layout.setStretch(3, 1)
        self.build(main, inspector)
        self.first = self.start
        self.start.clicked.connect(session.start_night)
        self.undo.clicked.connect(session.plan.undo)
        self.redo.clicked.connect(session.plan.redo)
        self.copy.clicked.connect(lambda: self._copy())
        self.picture.block_chosen.connect(self.picture.choose)
        self.text.block_chosen.connect(self.picture.choose)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        session.link_changed.connect(self.refresh)
        session.status_changed.connect(self.refresh)
        self.rehearse.clicked.connect(self._rehearse)
        self.many.clicked.connect(self._rehearse_many)
        self.forget.clicked.connect(self.rehearsing.forget)
        self.rehearsing.changed.connect(self.show_rehearsal)
        session.plan.changed.connect(self.show_rehearsal)
        self.show_anew()
        self.show_rehearsal()

    def entered(self) -> None:
        """What calibration frames there are, and what room, is looked up anew."""
        folder, rig = self._calibrated_in, self._session.rig

        def look() -> tuple[tuple[CalibrationFrame, ...], int | None]:
            return calibration_frames(folder), free_for_frames(rig.frames.folder, rig.id)

        def take(found: tuple[tuple[CalibrationFrame, ...], int | None]) -> None:
            self._calibration, self._free = found
            self._show_muster()

        self._jobs.run("calibration frames", look, take, lambda problem: None)

    def actions_here(self) -> list[Action]:
        return [
            Action("Copy the plan as text", self._copy),
            Action("Copy the plan as Markdown", lambda: self._copy(markdown=True)),
            Action("Rehearse the night", self._rehearse, "Ctrl+Shift+R", self._no_rehearsal),
            Action(f"Rehearse {SEEDS} nights: the odds", self._rehearse_many, "", self._no_rehearsal),
        ]

    def say(self, words: str) -> None:
        """What came of the last thing done here, until the plan changes again."""
        self._said = words
        self._tell_running()

    def _tell(self, said: str) -> None:
        if said.startswith("Not done"):
            self._session.refused.emit(said.removeprefix("Not done: "))
        else:
            self.say(said)

    def _say_problem(self, problem: str) -> None:
        if problem:
            self._session.refused.emit(problem)

    def _copy(self, markdown: bool = False) -> None:
        clipboard, session = QGuiApplication.clipboard(), self._session
        if clipboard is not None:
            ahead = None if session.plan.contradictions() else session.plan_ahead()
            clipboard.setText(plan_text(session.plan.plan, session.rig, ahead, markdown))

    # -- rehearsing ---------------------------------------------------------------------------------------

    def _no_rehearsal(self) -> str:
        """Why the plan can't be rehearsed; empty when it can."""
        plan = self._session.plan
        if not plan.plan.blocks:
            return "no target in the plan"
        return "; ".join(plan.contradictions())

    def _rehearse(self) -> None:
        if self.rehearsing.busy:
            self.rehearsing.stop()
        elif not self._no_rehearsal():
            self.rehearsing.begin(self.scenario.currentText())

    def _rehearse_many(self) -> None:
        if not self.rehearsing.busy and not self._no_rehearsal():
            self.rehearsing.begin_many(self.scenario.currentText())

    def show_rehearsal(self) -> None:
        """How far it is, or what it came to, beside what the one before came to."""
        run = self.rehearsing
        self.rehearse.setText("Stop" if run.busy else "Rehearse")
        self.rehearse.setEnabled(run.busy or not self._no_rehearsal())
        if run.busy:
            far = f"{run.far} nights done" if run.far else "the whole night, in some seconds…"
            self.rehearsed.say(f"rehearsing: {far}", "soft")
        elif run.problem:
            self.rehearsed.say(run.problem, "warn")
        elif run.odds is not None and run.odds_of is not None and run.asked_last == "odds":
            said = odds_words(run.odds, self._session.plan.plan, run.odds_of[1])
            stale = run.odds_stale
            self.rehearsed.say(f"as the plan was: {said}" if stale else said, "soft" if stale else "text")
        elif run.account is None or run.of is None:
            self.rehearsed.say("")
        else:
            said = rehearsal_words(run.account, run.of[1], self._session.zone)
            if run.before is not None and run.of_before is not None:
                other = f"{run.of_before[1]}: {run.before.frames} of {_wanted(run.before)}"
                said += f" · before, {other}"
            if run.stale:
                said = f"as the plan was: {said}"
            self.rehearsed.say(said, "warn" if run.account.lost_s or not run.account.complete else "accent")
        shown = not run.stale and not run.busy
        same = run.of is not None and run.of_before is not None and run.of[0] == run.of_before[0]
        before = run.before if shown and same else None
        fresh_odds = None if run.odds_stale or run.busy else run.odds
        self.picture.odds = fresh_odds.complete if fresh_odds is not None else {}
        self.picture.show_rehearsal(run.account if shown else None, before)
        anything = run.account is not None or run.odds is not None
        self.forget.setVisible(anything and not run.busy and self.forget.parent() is not None)

    def show_anew(self) -> None:
        session = self._session
        plan = session.plan
        self.pictures.setCurrentWidget(self.picture if plan.plan.blocks else self.empty)
        self.title.show_value(plan.plan.name)
        self.title.setEnabled(not session.under_way)
        self.plans.setEnabled(not session.under_way)
        under = plan.plan.rehearse_under or "clear"
        if under not in (self.scenario.itemText(n) for n in range(self.scenario.count())):
            self.scenario.addItem(under)
        self.scenario.setCurrentText(under)
        self.undo.setEnabled(bool(plan.undoable) and not plan.locked)
        self.redo.setEnabled(bool(plan.redoable) and not plan.locked)
        self.undo.setToolTip(f"Undo {plan.undoable}  Ctrl+Z" if plan.undoable else "Nothing to undo")
        self._tell_running()
        self._tell_forecast()
        self._show_muster()
        can_start = (
            session.link is LinkState.OPEN
            and not session.under_way
            and bool(plan.plan.blocks)
            and not plan.contradictions()
        )
        self.start.setEnabled(can_start)
        self.start.setVisible(not session.under_way)

    def _show_muster(self) -> None:
        """What is doubtful with the plan; what is wrong stands by Start as well."""
        session = self._session
        plan = session.plan.plan
        found = []
        if plan.blocks and session.run == "ready":
            wrong = bool(session.plan.contradictions())
            ahead = None if wrong else session.plan_ahead()
            reports = list(session.reports.values())
            around = Around(
                ahead,
                self._free,
                reports,
                self._calibration,
                from_home(self._calibrated_in),
                session.takes,
                session.guide_rms_arcsec(),
            )
            found = plan_muster(plan, session.rig, around)
        self.muster.show_findings(found, "")
        self.muster_area.setFixedHeight(min(_MUSTER_PX, self.muster.sizeHint().height() + 4))
        self.muster_area.setVisible(bool(found))

    def _go_to_finding(self, finding: Finding) -> None:
        """To its block in picture and text, or to the rig's own list."""
        path = finding.path
        if path[:1] == ("orders",) and len(path) > 1:
            self.text.show_order(str(path[1]))
        elif path[:1] == ("rig",) or not path:
            self._to_rig()
        if path[:1] == ("blocks",) and len(path) > 1 and isinstance(path[1], int):
            text = self.text.blocks[path[1]]
            self.picture.choose(text.block_id)
            if len(path) > 3 and path[2] == "lines" and isinstance(path[3], int):
                text.lines[path[3]].count.setFocus()
            else:
                text.more.setChecked(True)
                text.details.altitude.setFocus()

    def _tell_running(self) -> None:
        """While the night runs: from when edits are in force, or why there can be none."""
        session = self._session
        agreed = session.in_force.words or session.agreed
        if session.plan.locked:
            said = session.plan.locked
        elif session.takes_wishes:
            said = agreed or "the night runs: what you change is in force from its next decision on"
        else:
            said = self._said
        self.locked.setText(said)
        set_styled(self.locked, "role", "warn" if session.in_force.refused else "small")
        self.locked.setVisible(bool(said))

    def _tell_forecast(self) -> None:
        session = self._session
        ahead, zone = session.plan_ahead(), session.zone
        if session.run == "over":
            done, wanted = session.record.tally
            self.summary.say(f"The night is over: {done} of {wanted} frames")
        elif ahead.ends is not None and ahead.begins is not None:
            first = "next frame" if session.under_way else "first frame"
            self.summary.say(
                f"{ahead.frames} frames, {words.duration(ahead.exposure_s)} of exposure · "
                f"{first} {words.clock(ahead.begins, zone)} · ends {words.clock(ahead.ends, zone)}"
            )
        elif session.under_way and session.record.tally[0] >= session.record.tally[1]:
            self.summary.say("All frames are taken")
        else:
            self.summary.say("No frame can be taken" if session.plan.plan.blocks else "")
        self.trouble.say(self._trouble())
        self.trouble.setHidden(not self.trouble.text)

    def _trouble(self) -> str:
        """What will be lost, and why; else what keeps the night from starting."""
        session = self._session
        if session.plan.save_problem:
            return session.plan.save_problem
        wrong = session.plan.contradictions() if session.plan.plan.blocks else []
        if wrong:
            return "; ".join(wrong)
        if session.run == "over":
            return ""
        ahead = session.plan_ahead()
        if session.run == "ready":
            return ""  # the muster has it
        lines = {line.id: line for block in session.plan.plan.blocks for line in block.lines}
        lost = [
            f"{x.wanted - x.fitting} of {x.wanted} {lines[x.line].filter} frames"
            for x in ahead.lost
            if x.line in lines
        ]
        return f"{', '.join(lost)} lost: {ahead.because}" if lost else ""


def rehearsal_words(told: Account, scenario: str, zone: ZoneInfo) -> str:
    """What a rehearsal came to: frames, end, and what was lost to what."""
    said = [f"Rehearsed, {scenario}: {told.frames_words}"]
    if told.ends is not None:
        said.append(f"ends {words.clock(told.ends, zone)}")
    said += lost_words(told.lost_s, most=2)
    missing = [f"{x.words} {x.taken} of {x.wanted}: {x.why}" for x in told.lines if x.taken < x.wanted]
    return " · ".join([*said, *missing[:2]])


def odds_words(odds: Odds, plan: NightPlan, scenario: str) -> str:
    """How often all was completed, and what was completed least often."""
    lines = {line.id: (block, line) for block in plan.blocks for line in block.active_lines}
    told = [(share, *lines[line]) for line, share in odds.complete.items() if line in lines]
    said = [f"{odds.seeds} nights, {scenario or 'clear'}"]
    poor = sorted((t for t in told if t[0] < 1), key=lambda t: t[0])
    said += [f"{b.target.name} {x.words} complete in {100 * share:.0f} %" for share, b, x in poor[:3]]
    return " · ".join([*said, "all lines complete every time"] if not poor else said)


def _wanted(told: Account) -> int:
    return sum(line.wanted for line in told.lines)
