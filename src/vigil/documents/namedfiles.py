"""A folder of documents that people know by their names, a file each."""

from collections.abc import Iterable
from pathlib import Path
from typing import Any, Generic, TypeVar

from vigil.documents.ids import stem_of, unused
from vigil.documents.store import Document, DocumentError, load, save

D = TypeVar("D", bound=Document)


class NotThere(ValueError):
    """No document has that name; the message says which there are."""


class NamedFiles(Generic[D]):
    """`what` is what its documents are called in messages."""

    def __init__(self, folder: Path, model: type[D], what: str) -> None:
        self.folder, self._model, self._what = folder, model, what

    def all(self) -> list[D]:
        """Those that can be read, by name."""
        return [document for document, _ in self._readable()]

    def broken(self) -> list[str]:
        """What is wrong with the others."""
        found = []
        for path in self._files():
            try:
                load(self._model, path)
            except DocumentError as problem:
                found.append(str(problem))
        return found

    def named(self, name: str) -> D:
        """In any case of letters. Raises NotThere with those there are."""
        return self._found(name)[0]

    def path_of(self, name: str) -> Path:
        """Its file. Raises NotThere."""
        return self._found(name)[1]

    def keep(self, document: D) -> Path:
        """Put it in the folder, in place of one of its name."""
        self.folder.mkdir(parents=True, exist_ok=True)
        name = _name(document)
        same = [path for found, path in self._readable() if _name(found).casefold() == name.casefold()]
        taken = {path.stem for path in self._files()}
        path = same[0] if same else self.folder / f"{unused(stem_of(name), taken)}.json"
        save(document, path)
        return path

    def remove(self, name: str) -> None:
        """Raises NotThere."""
        self._found(name)[1].unlink()

    def throw_away(self, name: str) -> Path:
        """Into a folder beside the others, in place of none there; returns where. Raises NotThere."""
        path, beside = self._found(name)[1], self.folder / "deleted"
        beside.mkdir(exist_ok=True)
        there = beside / f"{unused(path.stem, {old.stem for old in beside.iterdir()})}.json"
        path.replace(there)
        return there

    def unused_name(self, name: str) -> str:
        """The name, or with a number behind it where it is taken."""
        taken = {_name(document).casefold() for document in self.all()}
        found, number = name, 1
        while found.casefold() in taken:
            number += 1
            found = f"{name} {number}"
        return found

    def _found(self, name: str) -> tuple[D, Path]:
        for document, path in self._readable():
            if _name(document).casefold() == name.strip().casefold():
                return document, path
        known = ", ".join(map(_name, self.all())) or "none"
        raise NotThere(f"no {self._what} is called {name!r}; there are {known}")

    def _readable(self) -> Iterable[tuple[D, Path]]:
        found = []
        for path in self._files():
            try:
                found.append((load(self._model, path), path))
            except DocumentError:
                continue
        return sorted(found, key=lambda pair: _name(pair[0]).casefold())

    def _files(self) -> list[Path]:
        return sorted(self.folder.glob("*.json")) if self.folder.exists() else []


def _name(document: Any) -> str:
    return str(document.name)
