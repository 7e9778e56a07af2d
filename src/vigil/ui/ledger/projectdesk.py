"""Projects: chosen, made, changed, paused, removed."""

from datetime import datetime

from vigil.documents.plan import Target
from vigil.documents.project import Project, parse_goals
from vigil.documents.shelf import Framed
from vigil.files.deepsky import UnknownObject, find_object
from vigil.planning.projects import of_framed
from vigil.planning.shelfcsv import parse_lines
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken
from vigil.ui.actions import Action
from vigil.ui.ledger.desk import HANDOVER, NO_PROJECTS, PROJECTS, TONIGHT, Desk, Read, Room
from vigil.ui.ledger.projects import ProjectsPicture
from vigil.ui.ledger.tools import ProjectTools


class ProjectDesk(Desk):
    """The main picture."""

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.picture = ProjectsPicture()
        self.tools = tools = ProjectTools(self._set_value, room.complain)
        self._framed: Framed | None = None
        self.picture.chosen.connect(lambda _: room.refresh())
        tools.new.clicked.connect(self.begin)
        tools.form.make.clicked.connect(self._make)
        tools.form.cancel.clicked.connect(self._leave_form)
        tools.tonight.clicked.connect(lambda: room.go_to(TONIGHT))
        tools.hand.clicked.connect(lambda: room.go_to(HANDOVER))
        tools.pause.clicked.connect(self._pause)
        tools.remove.clicked.connect(self._remove)

    @property
    def chosen(self) -> Project | None:
        """The project that is chosen, as it is now."""
        progress = self.picture.progress
        return self._room.edits.named(progress.project.name) if progress is not None else None

    def begin(self, framed: object = None) -> None:
        """The form of a new one; of a framed target it is filled in so far."""
        self._room.go_to(PROJECTS)
        form = self.tools.form
        self._framed = framed if isinstance(framed, Framed) else None
        for field in (form.target, form.name, form.goal, form.lines):
            field.clear()
        form.problem.setText("")
        lines = self._room.session.plan.usual_lines
        if self._framed is not None:
            form.target.setText(self._framed.name)
            lines = self._framed.lines or lines
        form.lines.setText("; ".join(dict.fromkeys(line.words for line in lines)))
        form.show()
        self._room.refresh()
        (form.goal if self._framed is not None else form.target).setFocus()

    def _leave_form(self) -> None:
        self.tools.form.hide()
        self._room.refresh()
        self.picture.setFocus()

    def _make(self) -> None:
        form, rig = self.tools.form, self._room.session.rig
        text, name = form.target.text().strip(), form.name.text().strip()
        try:
            lines = parse_lines(form.lines.text(), rig)
            goals = parse_goals(form.goal.text())
            if self._framed is not None and text == self._framed.name:
                made = of_framed(self._framed, name or text, goals, rig)
            else:
                target = _target_of(text, self._room.session.moments.now)
                made = Project(name=name or target.name, target=target, goals=goals)
            made = made.model_copy(update={"lines": lines, "rigs": [rig.id]})
            self._room.edits.add(made)
        except ValueError as problem:
            form.problem.setText(str(problem).splitlines()[-1])
            return
        form.hide()
        self._room.say(f"{made.name} is a project now.")
        self.picture.setFocus()

    def _set_value(self, key: str, text: str) -> None:
        if (project := self.chosen) is not None:
            now = self._room.session.moments.now
            said = self._room.edits.set(project, key, text.replace("−", "-"), now)
            self._room.say("; ".join(said) + ("." if said else ""))

    def _pause(self) -> None:
        if (project := self.chosen) is not None:
            now = self._room.session.moments.now
            self._room.edits.set(project, "paused", "no" if project.paused else "yes", now)

    def _remove(self) -> None:
        if (project := self.chosen) is not None:
            self._room.edits.remove(project)
            self._room.say(f"{project.name} is removed; its frames stay. Undo restores it.")

    def show(self, read: Read | None) -> None:
        busy = "Reading the ledger …" if read is None else NO_PROJECTS
        self.picture.show_projects(read.progress if read is not None else [], busy)
        self.tools.show_progress(self.picture.progress)

    def actions(self) -> list[Action]:
        return [Action("New project", self.begin, "Ctrl+Shift+J")]


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
