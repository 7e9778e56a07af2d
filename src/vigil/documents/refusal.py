"""What was wrong with a document's values, in Vigil's own words."""

import datetime as dt
from collections.abc import Callable
from enum import Enum
from typing import Any

from pydantic import ValidationError

_Context = dict[str, Any]
_WORDS: dict[str, Callable[[str, _Context], str]] = {
    "missing": lambda found, at: "is missing",
    "extra_forbidden": lambda found, at: "there is no such field",
    "greater_than_equal": lambda found, at: f"must be at least {at['ge']:g}, not {found}",
    "greater_than": lambda found, at: f"must be over {at['gt']:g}, not {found}",
    "less_than_equal": lambda found, at: f"must be at most {at['le']:g}, not {found}",
    "less_than": lambda found, at: f"must be under {at['lt']:g}, not {found}",
    "finite_number": lambda found, at: f"write a finite number, not {found}",
    "string_too_short": lambda found, at: "must not be empty",
    "string_too_long": lambda found, at: f"write at most {at['max_length']} characters",
    "string_pattern_mismatch": lambda found, at: f"can't be {found}",
    "literal_error": lambda found, at: f"write {at['expected']}, not {found}",
    "enum": lambda found, at: f"write {at['expected']}, not {found}",
    "too_short": lambda found, at: f"needs at least {at['min_length']}",
    "too_long": lambda found, at: f"takes at most {at['max_length']}",
    "union_tag_not_found": lambda found, at: f"doesn't say its {at['discriminator']}",
    "union_tag_invalid": lambda found, at: (
        f"its {at['discriminator']} must be {at['expected_tags']}, not '{at['tag']}'"
    ),
}
_WANTED = {
    "int": "a whole number",
    "float": "a number",
    "decimal": "a number",
    "bool": "true or false",
    "string": "text",
    "list": "a list",
    "tuple": "a list",
    "dict": "fields in braces",
    "model": "fields in braces",
    "datetime": "a time, as 2027-01-12T21:00:00Z",
    "date": "a date, as 2027-01-12",
    "time": "a time, as 21:00",
}
"""What is right, by how a fault's type begins."""


def explain(problem: ValidationError) -> list[str]:
    """One line a fault: the field as people count it, what was wrong, what would be right."""
    return [
        f"{'.'.join(str(part) for part in fault['loc']) or 'the document'}: {_words(fault)}"
        for fault in problem.errors(include_url=False)
    ]


def in_words(problem: ValidationError) -> str:
    """All faults in one line."""
    return "; ".join(explain(problem))


def _words(fault: Any) -> str:
    kind, found, context = fault["type"], _shown(fault["input"]), fault.get("ctx", {})
    if kind == "value_error":
        return str(fault["msg"]).removeprefix("Value error, ")
    if kind in _WORDS:
        return _WORDS[kind](found, context)
    wanted = _WANTED.get(kind.split("_")[0])
    return f"write {wanted}, not {found}" if wanted else f"can't be {found}"


def _shown(value: Any) -> str:
    """As it was typed; of what is long, that it is."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if value is None:
        return "nothing"
    if isinstance(value, str | Enum | dt.datetime | dt.date | dt.time):
        text = f"'{value.value if isinstance(value, Enum) else value}'"
    elif isinstance(value, int | float):
        text = f"{value:g}" if isinstance(value, float) else str(value)
    else:
        text = "fields in braces" if isinstance(value, dict) else "a list"
    return text if len(text) <= 60 else f"{text[:57]}…"
