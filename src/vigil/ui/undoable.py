"""A document being edited: each change a new document, with undo; saved as it changes."""

from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.store import Document

T = TypeVar("T")
D = TypeVar("D", bound=Document)


class History(QObject, Generic[T]):
    """States are frozen: undo is a list of them, each with the words of what led away from it."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.locked = ""
        """Why nothing can be changed now; empty when it can."""
        self._before: list[tuple[str, T]] = []
        self._after: list[tuple[str, T]] = []

    @property
    def undoable(self) -> str:
        """What undo would take back, in words; empty when nothing."""
        return self._before[-1][0] if self._before else ""

    @property
    def redoable(self) -> str:
        return self._after[-1][0] if self._after else ""

    def undo(self) -> None:
        self._back(self._before, self._after)

    def redo(self) -> None:
        self._back(self._after, self._before)

    def _back(self, source: list[tuple[str, T]], other: list[tuple[str, T]]) -> None:
        if source and not self.locked:
            words, state = source.pop()
            other.append((words, self._now()))
            self._put(state)

    def _now(self) -> T:
        """The state that is in force."""
        raise NotImplementedError

    def _put(self, state: T) -> None:
        """Bring a state into force."""
        raise NotImplementedError


class Undoable(History[D]):
    """Documents are frozen too; `save_problem` says why the last one isn't on disk."""

    def __init__(self, document: D, save: Callable[[D], object] | None) -> None:
        super().__init__()
        self.save_problem = ""
        self._document = document
        self._save = save

    def _now(self) -> D:
        return self._document

    def _change(self, words: str, document: D) -> None:
        if self.locked:
            raise ValueError(self.locked)
        self._before.append((words, self._document))
        self._after.clear()
        self._put(document)

    def _put(self, document: D) -> None:
        self._document = document
        self.save_problem = ""
        if self._save is not None:
            try:
                self._save(document)
            except OSError as problem:
                where = f"{problem.filename}: " if problem.filename else ""
                self.save_problem = f"{where}it can't be saved ({problem.strerror or problem})"
        self.changed.emit()
