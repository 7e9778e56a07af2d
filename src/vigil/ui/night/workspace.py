"""Night: the plan as a picture and as text; what it will come to; Start."""

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.linkstate import LinkState
from vigil.ui.night.picture import NightPicture
from vigil.ui.night.plantext import PlanText, as_text
from vigil.ui.pieces import Note, OneLine, button, row, wrapped
from vigil.ui.session import Session
from vigil.ui.theme import Size
from vigil.ui.workspace import Workspace, page, scrolled, side


class NightWorkspace(Workspace):
    """First version: blocks and lines; spans and standing orders are shown."""

    def __init__(self, session: Session) -> None:
        super().__init__("Night")
        self._session = session
        self.picture = NightPicture(session)
        go = button("Find a target", "primary", "To Targets", "Ctrl+2")
        self.find_target = go
        self.empty = Note("No target in tonight's plan", "Find one, and put it in the plan.", go)
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.picture)
        self.pictures.addWidget(self.empty)
        self.summary, self.trouble = OneLine(strong=True), OneLine("warn")
        self.start = button("Start the night", "primary", "Begin this plan", "Ctrl+Return")
        foot = QHBoxLayout()
        foot.setSpacing(12)
        texts = QVBoxLayout()
        texts.setSpacing(0)
        texts.addWidget(self.summary)
        texts.addWidget(self.trouble)
        foot.addLayout(texts, 1)
        foot.addWidget(self.start)
        main = page(self.pictures, foot, gap=10)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(0, 1)
        self.title = OneLine("accent", strong=True, size=Size.LARGE)
        self.undo = button("Undo", "plain", "Take the last change back", "Ctrl+Z")
        self.redo = button("Redo", "plain", "Do it again", "Ctrl+Shift+Z")
        self.copy = button("Copy", "plain", "The plan as plain text")
        tools = QWidget()
        tools.setLayout(row(self.undo, self.redo, self.copy, gap=0))
        tools_layout = tools.layout()
        assert isinstance(tools_layout, QHBoxLayout)
        tools_layout.addStretch(1)
        self.text = PlanText(session)
        self.locked = wrapped("", "small")
        inspector = side(self.title, tools, self.locked, scrolled(self.text), stretch=False)
        inspector_layout = inspector.layout()
        assert isinstance(inspector_layout, QVBoxLayout)
        inspector_layout.setStretch(3, 1)
        self.build(main, inspector)
        self.start.clicked.connect(session.start_night)
        self.undo.clicked.connect(session.plan.undo)
        self.redo.clicked.connect(session.plan.redo)
        self.copy.clicked.connect(self._copy)
        self.picture.block_chosen.connect(self.picture.choose)
        self.text.block_chosen.connect(self.picture.choose)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        session.link_changed.connect(self.refresh)
        session.status_changed.connect(self.refresh)
        self.refresh()

    def actions_here(self) -> list[Action]:
        return [Action("Copy the plan as text", self._copy)]

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(as_text(self._session))

    def refresh(self) -> None:
        session = self._session
        plan = session.plan
        self.pictures.setCurrentWidget(self.picture if plan.plan.blocks else self.empty)
        self.title.say(plan.plan.name)
        self.undo.setEnabled(bool(plan.undoable) and not plan.locked)
        self.redo.setEnabled(bool(plan.redoable) and not plan.locked)
        self.undo.setToolTip(f"Undo {plan.undoable}  Ctrl+Z" if plan.undoable else "Nothing to undo")
        self.locked.setText(plan.locked)
        self.locked.setVisible(bool(plan.locked))
        self._tell_forecast()
        can_start = (
            session.link is LinkState.OPEN
            and not session.under_way
            and bool(plan.plan.blocks)
            and not plan.contradictions()
        )
        self.start.setEnabled(can_start)
        self.start.setVisible(not session.under_way)

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
        else:
            self.summary.say("No frame can be taken" if session.plan.plan.blocks else "")
        self.trouble.say(self._trouble())

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
        lines = {line.id: line for block in session.plan.plan.blocks for line in block.lines}
        lost = [
            f"{x.wanted - x.fitting} of {x.wanted} {lines[x.line].filter} frames"
            for x in ahead.lost
            if x.line in lines
        ]
        return f"{', '.join(lost)} lost: {ahead.because}" if lost else ""
