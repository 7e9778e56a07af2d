"""The rig being edited."""

from collections.abc import Callable
from typing import Any

from vigil.documents.rig import Rig
from vigil.documents.rig.change import FieldAt, Path, field_at, value_at, with_values, words_for
from vigil.documents.store import DocumentError
from vigil.ui.undoable import Undoable


class RigModel(Undoable[Rig]):
    """Values are changed by their path; each refusal is a ValueError with what would be right."""

    def __init__(self, rig: Rig, save: Callable[[Rig], object] | None = None) -> None:
        super().__init__(rig, save)

    @property
    def rig(self) -> Rig:
        return self._document

    def value(self, path: Path) -> Any:
        return value_at(self.rig, path)

    def field(self, path: Path) -> FieldAt | None:
        return field_at(path)

    def edit(self, path: Path, value: Any) -> None:
        """Another value for a field. Raises ValueError."""
        self.edit_all({path: value}, words_for(path))

    def edit_all(self, values: dict[Path, Any], words: str) -> None:
        """Several values in one step of undo. Raises ValueError."""
        try:
            changed = with_values(self.rig, values)
        except DocumentError as problem:
            raise ValueError(_without_place(str(problem))) from None
        except KeyError as problem:
            raise ValueError(str(problem.args[0])) from None
        if changed != self.rig:
            self._change(words, changed)

    def differs(self, path: Path) -> bool:
        """Whether a field has another value than its default."""
        field = field_at(path)
        return field is not None and field.has_default and self.value(path) != field.default

    def reset(self, path: Path) -> None:
        """Back to the default. Raises ValueError."""
        field = field_at(path)
        if field is not None and field.has_default:
            self.edit(path, field.default)

    def without(self, key: str) -> None:
        """Remove a part."""
        self.edit_all({(key,): None}, f"removing the {words_for((key,))}")


def _without_place(said: str) -> str:
    """The field stands beside the words already."""
    return "; ".join(line.partition(": ")[2] or line for line in said.split("; "))
