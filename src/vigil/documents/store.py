"""Loading and saving documents: schema versions, migrations, errors with place and remedy."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any, ClassVar, TypeVar

from pydantic import ValidationError

from vigil.documents.limited import Limited
from vigil.documents.refusal import explain
from vigil.files.atomic import write_bytes
from vigil.files.trouble import why

_MOST_BYTES = 20_000_000
Migrations = dict[int, Callable[[dict[str, Any]], dict[str, Any]]]
"""One function a version: that of 1 turns the data of schema 1 into schema 2."""


class DocumentError(ValueError):
    """A document that can't be used; the message names file, place and what would be right."""


class Document(Limited):
    """Base of saved documents. `schema` is the version that the file was written in."""

    KIND: ClassVar[str]
    SCHEMA: ClassVar[int]
    MIGRATIONS: ClassVar[Migrations] = {}


D = TypeVar("D", bound=Document)


def load(model: type[D], path: Path) -> D:
    """Read a document, migrated to the present schema. Raises DocumentError; the file stays as it is."""
    try:
        if path.exists() and not path.is_file():
            raise DocumentError(f"{path}: it is no file")
        if path.stat().st_size > _MOST_BYTES:
            raise DocumentError(f"{path}: larger than {_MOST_BYTES / 1e6:.0f} MB: no document is")
        text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise DocumentError(f"{path}: there is no such file") from None
    except (OSError, UnicodeDecodeError) as problem:
        raise DocumentError(f"{path}: {why(problem)}") from None
    return parse(model, text, str(path))


def parse(model: type[D], text: str, name: str) -> D:
    """A document from its JSON text; `name` says in messages where the text came from."""
    try:
        data = json.loads(text)
    except json.JSONDecodeError as problem:
        raise DocumentError(
            f"{name}: line {problem.lineno}, column {problem.colno}: not valid JSON ({problem.msg})"
        ) from None
    except (RecursionError, ValueError):
        raise DocumentError(f"{name}: nested too deep, or a number with thousands of digits") from None
    if not isinstance(data, dict) or data.get("kind") != model.KIND:
        found = data.get("kind") if isinstance(data, dict) else type(data).__name__
        raise DocumentError(f'{name}: not a {model.KIND}: "kind" must be "{model.KIND}", found {found!r}')
    version = data.get("schema")
    if not isinstance(version, int) or not 1 <= version <= model.SCHEMA:
        raise DocumentError(
            f"{name}: schema {version!r} is not known here; this Vigil reads schemas 1 to {model.SCHEMA}"
        )
    try:
        for step in range(version, model.SCHEMA):
            data = model.MIGRATIONS[step](data)
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as problem:
        raise DocumentError(f"{name}: can't be brought up from schema {version} ({problem!r})") from None
    try:
        return model.model_validate({k: v for k, v in data.items() if k not in ("kind", "schema")})
    except ValidationError as problem:
        places = [fault["loc"] for fault in problem.errors(include_url=False)]
        said = zip(places, explain(problem), strict=True)
        lines = [f"{name}: line {line_of(text, place)}, {words}" for place, words in said]
        raise DocumentError("\n".join(lines)) from None


def line_of(text: str, place: tuple[int | str, ...]) -> int:
    """The line of valid JSON text in which the value at a place begins, or the nearest there is around it."""
    position, decoder = _skip(text, 0), json.JSONDecoder()
    for step in place:
        found = None
        if text[position] in "{[":
            keyed, count = text[position] == "{", 0
            here = _skip(text, position + 1)
            while text[here] not in "}]":
                key: int | str = count
                if keyed:
                    key, here = decoder.raw_decode(text, here)
                    here = _skip(text, here)
                if key == step:
                    found = here
                    break
                _, here = decoder.raw_decode(text, here)
                here, count = _skip(text, here), count + 1
        if found is None:
            break
        position = found
    return text.count("\n", 0, position) + 1


def _skip(text: str, position: int) -> int:
    while position < len(text) and text[position] in " \t\r\n,:":
        position += 1
    return position


def dump(document: Document) -> str:
    """The document's JSON text, kind and schema first."""
    data = {"kind": document.KIND, "schema": document.SCHEMA, **document.model_dump(mode="json")}
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def _schema_of(data: bytes) -> int | None:
    try:
        version = json.loads(data)["schema"]
    except (ValueError, KeyError, TypeError):
        return None
    return version if isinstance(version, int) else None


def save(document: Document, path: Path) -> None:
    """Write a document whole or not at all; what stood there is kept beside it as NAME.previous, and of an
    earlier schema for good as NAME.schema-1."""
    if path.exists():
        before = path.read_bytes()
        write_bytes(path.with_name(path.name + ".previous"), before)
        version = _schema_of(before)
        kept = path.with_name(f"{path.name}.schema-{version}")
        if version is not None and version < document.SCHEMA and not kept.exists():
            write_bytes(kept, before)
    write_bytes(path, dump(document).encode())
