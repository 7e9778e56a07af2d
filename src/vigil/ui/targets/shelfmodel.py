"""The shelf in the window: read when first wanted, saved as it changes."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.shelf import Framed, Shelf
from vigil.documents.store import DocumentError, load, save


class ShelfModel(QObject):
    """`problem` says why the shelf can't be read or saved; what is on disk stays then."""

    changed = pyqtSignal()

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path = path
        self._shelf: Shelf | None = None
        self.problem = ""

    @property
    def shelf(self) -> Shelf:
        if self._shelf is None:
            self._shelf = Shelf()
            if self._path.exists():
                try:
                    self._shelf = load(Shelf, self._path)
                except DocumentError as problem:
                    self.problem = str(problem)
        return self._shelf

    def keep(self, framed: Framed) -> Framed:
        """Put on the shelf, in place of that with its id. Returns it as it is kept."""
        known = {f.id for f in self.shelf.framed}
        if framed.id not in known:
            framed = framed.model_copy(update={"id": self.shelf.unused_id(framed.name)})
        else:
            # its tags and its note are not the framing's to change
            old = next(f for f in self.shelf.framed if f.id == framed.id)
            framed = framed.model_copy(update={"tags": old.tags, "note": old.note})
        self._put(self.shelf.with_framed(framed))
        return framed

    def keep_all(self, framed: tuple[Framed, ...]) -> None:
        shelf = self.shelf
        for one in framed:
            shelf = shelf.with_framed(one)
        self._put(shelf)

    def tag(self, framed_id: str, tags: list[str]) -> None:
        one = next(f for f in self.shelf.framed if f.id == framed_id)
        self._put(self.shelf.with_framed(one.model_copy(update={"tags": tags})))

    def remove(self, framed_id: str) -> None:
        self._put(self.shelf.without(framed_id))

    def _put(self, shelf: Shelf) -> None:
        if self.problem and self._path.exists():
            raise ValueError(
                f"the shelf on disk can't be read, so nothing is written over it: {self.problem}"
            )
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            save(shelf, self._path)
        except OSError as problem:
            raise ValueError(f"the shelf can't be saved: {problem.strerror}") from None
        self._shelf = shelf
        self.changed.emit()
