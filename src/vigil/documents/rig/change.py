"""Changing a rig value by value: paths to fields, how they are called, what differs, what may change when.

A path is a tuple of field names and list positions: ("camera", "cooler", "set_point_c").
"""

from dataclasses import dataclass
from types import NoneType, UnionType
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from vigil.documents.refusal import in_words
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.rig.part import Shown
from vigil.documents.rig.rig import Rig
from vigil.documents.store import Document, DocumentError

Path = tuple[str | int, ...]
D = TypeVar("D", bound=Document)

PART_NAMES = {
    "wheel": "filters",
    "panel": "flat panel",
    "safety": "safety sensor",
    "frames": "frames",
}
"""Where a part goes by another word than its field."""


def part_name(key: str) -> str:
    """What a part of the rig is called."""
    return PART_NAMES.get(key, key)


@dataclass(frozen=True, slots=True)
class Difference:
    """A value that is `old` in one rig and `new` in another; parts and lists that lack count as one value."""

    path: Path
    old: Any
    new: Any

    @property
    def words(self) -> str:
        """ "camera · set-point"."""
        return words_for(self.path)


@dataclass(frozen=True, slots=True)
class FieldAt:
    """A field of a part: its type, how it is shown, its default (PydanticUndefined where it has none)."""

    path: Path
    kind: Any
    shown: Shown
    default: Any

    @property
    def has_default(self) -> bool:
        return self.default is not PydanticUndefined


def text_of(path: Path) -> str:
    """As messages and the command line write it: camera.cooler.set_point_c."""
    return ".".join(str(piece) for piece in path)


def path_of(text: str) -> Path:
    """The path behind a text."""
    return tuple(int(piece) if piece.isdigit() else piece for piece in text.split("."))


def value_at(document: Document, path: Path) -> Any:
    """The value at a path. Raises KeyError where there is none."""
    here: Any = document
    for piece in path:
        try:
            here = here[piece] if isinstance(piece, int) else getattr(here, piece)
        except (AttributeError, IndexError, TypeError):
            raise KeyError(f"{name_of(document)} has no {text_of(path)}") from None
    return here


def with_value(document: D, path: Path, value: Any) -> D:
    """The document (rig or scenario) with one value changed; models may be given as they are or as plain
    data.

    Raises DocumentError with what would be right, KeyError where the path leads nowhere.
    """
    return with_values(document, {path: value})


def with_values(document: D, values: dict[Path, Any]) -> D:
    """The document with several values changed at once. Raises as with_value."""
    data = document.model_dump(mode="json")
    for path, value in values.items():
        here: Any = data
        try:
            for piece in path[:-1]:
                here = here[piece]
            if (
                isinstance(here, dict)
                and path[-1] not in here
                and path[-1] not in type(document).model_fields
            ):
                raise KeyError
            here[path[-1]] = _plain(value)
        except (KeyError, IndexError, TypeError):
            raise KeyError(f"{name_of(document)} has no {text_of(path)}") from None
    try:
        return type(document).model_validate(data)
    except ValidationError as problem:
        raise DocumentError(in_words(problem)) from None


def name_of(document: Document) -> str:
    """What it is called, for messages."""
    return str(getattr(document, "name", document.KIND))


def _plain(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, list | tuple):
        return [_plain(each) for each in value]
    return value


def fields_of(model: type[BaseModel]) -> dict[str, FieldAt]:
    """The fields that are shown of a part's class, by name."""
    found = {}
    for name, field in model.model_fields.items():
        shown = next((x for x in field.metadata if isinstance(x, Shown)), None)
        if shown is not None:
            found[name] = FieldAt(
                (name,), field.annotation, shown, field.get_default(call_default_factory=True)
            )
    return found


def field_at(path: Path, document: type[BaseModel] = Rig) -> FieldAt | None:
    """What is known of the field at a path; None for a part, a list's member, or nothing at all."""
    model: Any = document
    field: FieldInfo | None = None
    for piece in path:
        if isinstance(piece, int):
            model, field = _member(model), None
            continue
        if not (isinstance(model, type) and issubclass(model, BaseModel)) or piece not in model.model_fields:
            return None
        field = model.model_fields[piece]
        model = bare(field.annotation)
    if field is None:
        return None
    shown = next((x for x in field.metadata if isinstance(x, Shown)), None)
    default = field.get_default(call_default_factory=True)
    return None if shown is None else FieldAt(path, field.annotation, shown, default)


def bare(kind: Any) -> Any:
    """A field's type without "or None" and without what stands beside it in Annotated."""
    if get_origin(kind) is Annotated:
        return bare(get_args(kind)[0])
    if get_origin(kind) in (Union, UnionType):
        return bare(next(each for each in get_args(kind) if each is not NoneType))
    return kind


def may_be_empty(kind: Any) -> bool:
    """Whether None is a value of the type."""
    if get_origin(kind) is Annotated:
        return may_be_empty(get_args(kind)[0])
    return get_origin(kind) in (Union, UnionType) and NoneType in get_args(kind)


def _member(kind: Any) -> Any:
    arguments = get_args(bare(kind))
    return bare(arguments[0]) if arguments else kind


def words_for(path: Path, document: type[BaseModel] = Rig) -> str:
    """A path as people would say it: "camera · set-point"."""
    said: list[str] = []
    for n, piece in enumerate(path):
        if isinstance(piece, int):
            said.append(str(piece + 1))
            continue
        field = field_at(path[: n + 1], document)
        said.append(field.shown.label if field is not None else part_name(piece))
    return " · ".join(said)


def brief(value: Any, unit: str = "") -> str:
    """A value in a few words, for lists and sentences; of parts and lists their names."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return str(value.get("name", "there"))
    if isinstance(value, list):
        names = [each["name"] for each in value if isinstance(each, dict) and "name" in each]
        return ", ".join(names) if names and len(names) == len(value) else f"{len(value)} entries"
    text = f"{value:.6g}" if isinstance(value, float) else str(value)
    return f"{text} {unit}".strip()


def differences(old: Rig, new: Rig) -> list[Difference]:
    """Every value that differs, in the document's order; the id is not compared."""
    found: list[Difference] = []
    before, after = old.model_dump(mode="json"), new.model_dump(mode="json")
    for key in before:
        if key != "id":
            _compare(before[key], after[key], (key,), found)
    return found


def _compare(old: Any, new: Any, path: Path, found: list[Difference]) -> None:
    if isinstance(old, dict) and isinstance(new, dict) and old.keys() == new.keys():
        for key in old:
            _compare(old[key], new[key], (*path, key), found)
    elif isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        for n, (one, other) in enumerate(zip(old, new, strict=True)):
            _compare(one, other, (*path, n), found)
    elif old != new:
        found.append(Difference(path, old, new))


def is_safe(old: Rig, new: Rig, change: Difference) -> bool:
    """Whether a change may take effect while a night runs: values marked so, and a narrower flip window."""
    if change.path[0] == "mount" and len(change.path) > 1 and change.path[1] in ("flip", "flip_other_side"):
        before, after = (value_at(rig, change.path[:2]) for rig in (old, new))
        both = isinstance(before, FlipWindow) and isinstance(after, FlipWindow)
        return both and after.narrower_than(before)
    field = field_at(change.path) or field_at(change.path[:-1])
    return field is not None and field.shown.safe


def split(old: Rig, new: Rig) -> tuple[Rig, list[Difference], list[Difference]]:
    """What of `new` may come into force while a night runs on `old`: the rig with only that in it, the
    changes that it has, and those that wait for the night's end."""
    changes = differences(old, new)
    now = [change for change in changes if is_safe(old, new, change)]
    try:
        mixed = with_values(old, {change.path: change.new for change in now})
    except (DocumentError, KeyError):  # safe values that only make sense with the others
        return old, [], changes
    return mixed, now, [change for change in changes if change not in now]
