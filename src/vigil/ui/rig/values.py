"""The rig's values as people write them, and back."""

import re
from typing import Any, get_args

from vigil.documents.rig.change import FieldAt, bare, may_be_empty
from vigil.documents.rig.mount import hour_angle_min
from vigil.sky.angles import parse_dec_deg
from vigil.ui import words

NONE = ""
_EMPTY = ("", "none", "–", "-")


def shown(field: FieldAt, value: Any) -> str:
    """A value in its field."""
    if value is None:
        return NONE
    if isinstance(value, list):
        return ", ".join(f"{each:g}" for each in value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.10g}".replace("-", words.MINUS)
    return str(value).replace("-", words.MINUS) if isinstance(value, int) else str(value)


def read(field: FieldAt, text: str) -> Any:
    """The value behind what was typed. Raises ValueError with what would be right."""
    bare_text = text.strip().replace(words.MINUS, "-")
    kind, label = bare(field.kind), field.shown.label
    if bare_text.casefold() in _EMPTY and may_be_empty(field.kind):
        return None
    if is_hour_angle(field):
        return hour_angle_min(bare_text)
    if kind is bool:
        return {"yes": True, "no": False}[bare_text]
    if kind is int:
        return _number(bare_text.removesuffix(field.shown.unit).strip(), label, int)
    if kind is float:
        if field.shown.label in ("latitude", "longitude") and not _plain(bare_text):
            return _angle(bare_text, label)
        return _number(bare_text.removesuffix(field.shown.unit).strip(), label, float)
    if get_args(kind) and getattr(kind, "__origin__", None) is list:
        return [_number(piece, label, float) for piece in re.split(r"[;,]\s+|\s+|;", bare_text) if piece]
    return text.strip()


def is_hour_angle(field: FieldAt) -> bool:
    """Whether minutes, degrees and hours of hour angle are all understood."""
    return field.shown.unit == "min after"


def _plain(text: str) -> bool:
    try:
        float(text.replace(",", "."))
    except ValueError:
        return False
    return True


def _angle(text: str, label: str) -> float:
    sign = -1 if text[-1:].upper() in "SW" and text[-1:] else 1
    try:
        return sign * parse_dec_deg(text.rstrip("NSEWnsew ").strip())
    except ValueError:
        raise ValueError(f"{label}: {text!r} is no angle; write 47.25 or 47 15 00") from None


def _number(text: str, label: str, kind: type[float] | type[int]) -> float | int:
    try:
        return kind(text.replace(",", "."))
    except ValueError:
        what = "whole number" if kind is int else "number"
        raise ValueError(f"{label}: {text!r} is no {what}") from None
