"""Projects as they are edited: each a file, each change with undo."""

from datetime import datetime

from pydantic import ValidationError

from vigil.documents.namedfiles import NotThere
from vigil.documents.project import Project, Projects
from vigil.documents.refusal import in_words
from vigil.planning.projects import changed
from vigil.ui.undoable import History

State = tuple[Project, ...]


class ProjectEdits(History[State]):
    """All projects; what is changed is on disk when it is told."""

    def __init__(self, kept: Projects) -> None:
        super().__init__()
        self._kept = kept
        self._state: State = tuple(kept.all())
        self.problem = ""
        """Why the last change isn't on disk."""

    @property
    def projects(self) -> State:
        return self._state

    def broken(self) -> list[str]:
        """Files that can't be read, with what is wrong."""
        return self._kept.broken()

    def look_again(self) -> None:
        """The command line may have changed them."""
        there = tuple(self._kept.all())
        if there != self._state:
            self._state = there
            self.changed.emit()

    def named(self, name: str) -> Project | None:
        return next((p for p in self._state if p.name == name), None)

    def add(self, project: Project) -> None:
        """Raises ValueError for a name that is taken."""
        if any(p.name.casefold() == project.name.casefold() for p in self._state):
            raise ValueError(f"there is a project called {project.name}; give this one another name")
        self._change(f"the project {project.name}", (*self._state, project))

    def set(self, project: Project, key: str, text: str, now: datetime) -> list[str]:
        """One thing, as it is typed; what follows from it in words. Raises ValueError with what would be
        right."""
        try:
            made, said = changed(project, key, text, now)
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        if made != project:
            rest = tuple(made if p.name == project.name else p for p in self._state)
            self._change(f"{key} of {project.name}", rest)
        return said

    def remove(self, project: Project) -> None:
        rest = tuple(p for p in self._state if p.name != project.name)
        self._change(f"removing {project.name}", rest)

    def _change(self, words: str, state: State) -> None:
        self._before.append((words, self._state))
        self._after.clear()
        self._put(state)

    def _now(self) -> State:
        return self._state

    def _put(self, state: State) -> None:
        names = {p.name for p in state}
        self.problem = ""
        try:
            for project in state:
                if project not in self._state:
                    self._kept.keep(project)
            for project in self._state:
                if project.name not in names:
                    self._kept.throw_away(project.name)
        except (OSError, NotThere) as problem:
            self.problem = f"it can't be saved ({problem})"
        self._state = state
        self.changed.emit()
