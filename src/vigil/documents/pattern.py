"""Patterns: a plan, a block or a set of lines kept to be used again, on other targets and other rigs."""

from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from vigil.documents.ids import stem_of, unused
from vigil.documents.plan import Block, StandingOrders
from vigil.documents.steps import ClosingStep, OpeningItem
from vigil.documents.store import Document, DocumentError, load, save


class Pattern(Document):
    """Of a block or of lines it is one block; its target is only where they came from."""

    KIND: ClassVar[str] = "pattern"
    SCHEMA: ClassVar[int] = 1

    name: Annotated[str, Field(min_length=1)]
    of: Literal["plan", "block", "lines"]
    blocks: Annotated[list[Block], Field(min_length=1)]
    opening: list[OpeningItem] = []  # noqa: RUF012
    closing: list[ClosingStep] = []  # noqa: RUF012
    orders: StandingOrders | None = None

    @model_validator(mode="after")
    def _one_block(self) -> "Pattern":
        if self.of != "plan" and len(self.blocks) != 1:
            raise ValueError(f"a pattern of {self.of} has one block, not {len(self.blocks)}")
        return self


class PatternsError(ValueError):
    """What was asked of the patterns can't be done; the message says why."""


class Patterns:
    """A folder with a file a pattern."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def all(self) -> list[Pattern]:
        """Those that can be read, by name."""
        return [pattern for pattern, _ in self._readable()]

    def broken(self) -> list[str]:
        """What is wrong with the others."""
        found = []
        for path in self._files():
            try:
                load(Pattern, path)
            except DocumentError as problem:
                found.append(str(problem))
        return found

    def named(self, name: str) -> Pattern:
        """In any case of letters. Raises PatternsError with those there are."""
        return self._found(name)[0]

    def keep(self, pattern: Pattern) -> Path:
        """Put it in the folder, in place of one of its name."""
        self.folder.mkdir(parents=True, exist_ok=True)
        same = [path for found, path in self._readable() if found.name.casefold() == pattern.name.casefold()]
        taken = {path.stem for path in self._files()}
        path = same[0] if same else self.folder / f"{unused(stem_of(pattern.name), taken)}.json"
        save(pattern, path)
        return path

    def remove(self, name: str) -> None:
        self._found(name)[1].unlink()

    def _found(self, name: str) -> tuple[Pattern, Path]:
        for pattern, path in self._readable():
            if pattern.name.casefold() == name.strip().casefold():
                return pattern, path
        known = ", ".join(pattern.name for pattern in self.all()) or "none"
        raise PatternsError(f"no pattern is called {name!r}; there are {known}")

    def _readable(self) -> Iterable[tuple[Pattern, Path]]:
        found = []
        for path in self._files():
            try:
                found.append((load(Pattern, path), path))
            except DocumentError:
                continue
        return sorted(found, key=lambda pair: pair[0].name.casefold())

    def _files(self) -> list[Path]:
        return sorted(self.folder.glob("*.json")) if self.folder.exists() else []
