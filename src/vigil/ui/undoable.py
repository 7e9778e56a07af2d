"""A document being edited: each change a new document, with undo; saved as it changes."""

from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.store import Document

D = TypeVar("D", bound=Document)


class Undoable(QObject, Generic[D]):
    """Documents are frozen: undo is a list of them. `save_problem` says why the last one isn't on disk."""

    changed = pyqtSignal()

    def __init__(self, document: D, save: Callable[[D], object] | None) -> None:
        super().__init__()
        self.locked = ""
        """Why nothing can be changed now; empty when it can."""
        self.save_problem = ""
        self._document = document
        self._save = save
        self._before: list[tuple[str, D]] = []
        self._after: list[tuple[str, D]] = []

    @property
    def undoable(self) -> str:
        """What undo would take back, in words; empty when nothing."""
        return self._before[-1][0] if self._before else ""

    @property
    def redoable(self) -> str:
        return self._after[-1][0] if self._after else ""

    def undo(self) -> None:
        self._step(self._before, self._after)

    def redo(self) -> None:
        self._step(self._after, self._before)

    def _step(self, source: list[tuple[str, D]], other: list[tuple[str, D]]) -> None:
        if source and not self.locked:
            words, document = source.pop()
            other.append((words, self._document))
            self._put(document)

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
