"""The deep-sky catalogue: objects by name or alias."""

import csv
import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files


@dataclass(frozen=True, slots=True)
class DeepSkyObject:
    """One entry of the catalogue. Sizes are 0 where the catalogue knows none."""

    name: str
    aliases: tuple[str, ...]
    common_name: str
    kind: str
    ra_deg: float
    dec_deg: float
    constellation: str
    major_arcmin: float
    minor_arcmin: float
    position_angle_deg: float | None = None
    mag: float | None = None
    surface_brightness_mag: float | None = None
    part_of: str = ""
    """The object that a picture of this one shows."""
    showpiece: bool = False
    """Whether it is one of those that people know by sight: sizes and brightness as pictures show them."""

    @property
    def common_names(self) -> tuple[str, ...]:
        """What people call it, the usual one first."""
        return tuple(name for name in self.common_name.split(";") if name)


class UnknownObject(LookupError):
    """No object has this name; the message offers the nearest ones."""


_WRITTEN_OUT = (
    (r"messier", "m"),
    (r"caldwell", "c"),
    (r"(?:sharpless|sh(?= ))(?: ?2 ?-)?", "sh2-"),
    (r"barnard", "b"),
    (r"melotte", "mel"),
    (r"collinder", "cr"),
    (r"van den bergh", "vdb"),
    (r"cederblad", "ced"),
    (r"lynds dark(?: nebula)?", "ldn"),
    (r"lynds bright(?: nebula)?", "lbn"),
    (r"hickson", "hcg"),
)
"""How people write out the lists that numbers come from."""


def name_key(name: str) -> str:
    """A name without spaces, dashes, apostrophes, case and leading zeros of numbers, its list in short:
    "IC 0405" and "ic405", "Sharpless 2-155" and "Sh2-155" are one."""
    plain = " ".join(name.casefold().split())
    for spelt, short in _WRITTEN_OUT:
        plain = re.sub(rf"^(?:{spelt}) ?(?=\d)", short, plain)
    plain = re.sub(r"[\s_\-–'’]+|\.(?!\d)", "", plain)
    return re.sub(r"(?<!\d)0+(?=\d)", "", plain)


@cache
def all_objects() -> tuple[DeepSkyObject, ...]:
    """The whole catalogue; read once, a good tenth of a second.

    Showpieces are amended, and take in entries that are the same object under another number.
    """
    amended = _showpieces()
    same = {alias: name for name, row in amended.items() for alias in row["aliases"].split(";")}
    rows = {row["name"]: row for row in csv.DictReader(_text().splitlines())}
    also: dict[str, list[str]] = {}
    for name, row in rows.items():
        if name in same and name not in amended:
            also.setdefault(same[name], []).extend(a for a in row["aliases"].split(";") if a)
    found = [
        _object(row, also.get(name, ())) for name, row in rows.items() if name in amended or name not in same
    ]
    found += [_object({}, also.get(name, ()), name) for name in amended if name not in rows]
    return tuple(found)


@cache
def _showpieces() -> dict[str, dict[str, str]]:
    """What is known better of objects that are often photographed, by name; empty fields change nothing."""
    text = (files("vigil") / "data" / "showpieces.csv").read_text(encoding="utf-8")
    return {row["name"]: row for row in csv.DictReader(text.splitlines())}


@cache
def _text() -> str:
    return (files("vigil") / "data" / "deep-sky.csv").read_text(encoding="utf-8")


def _by_first_name(name: str) -> DeepSkyObject | None:
    """A line of the catalogue by its first column alone: a plan opens without the whole being parsed."""
    text = _text()
    start = text.find(f"\n{name},") + 1
    if start == 0 or "," in name:
        return None
    # one that is another's alias by now is looked for in the whole
    if name not in _showpieces() and any(name in r["aliases"].split(";") for r in _showpieces().values()):
        return None
    header = text[: text.index("\n")]
    row = next(csv.DictReader([header, text[start : text.index("\n", start)]]))
    return _object(row)


@cache
def objects_by_key() -> dict[str, DeepSkyObject]:
    objects: dict[str, DeepSkyObject] = {}
    entries = all_objects()
    # first names before aliases before common names, so that a proper name is never shadowed
    for names_of in (lambda e: (e.name,), lambda e: e.aliases, lambda e: e.common_names):
        for entry in entries:
            for name in names_of(entry):
                if name:
                    objects.setdefault(name_key(name), entry)
    return objects


def _object(row: dict[str, str], also: Sequence[str] = (), name: str = "") -> DeepSkyObject:
    """From a line of the catalogue, with more aliases, amended where it is a showpiece."""
    name = name or row["name"]
    better = _showpieces().get(name)
    aliases = [a for a in row.get("aliases", "").split(";") if a]
    if better is not None:
        aliases += [a for a in better["aliases"].split(";") if a]
        unlike = {k: v for k, v in better.items() if v and k not in ("aliases", "common_name")}
        names = dict.fromkeys(
            n for told in (better, row) for n in told.get("common_name", "").split(";") if n
        )
        row = {**row, **unlike, "common_name": ";".join(names)}
    return DeepSkyObject(
        name,
        tuple(dict.fromkeys([*aliases, *also])),
        row["common_name"],
        row["type"],
        float(row["ra_deg"]),
        float(row["dec_deg"]),
        row["constellation"],
        float(row["major_arcmin"] or 0),
        float(row["minor_arcmin"] or 0),
        float(row["pa_deg"]) if row.get("pa_deg") else None,
        float(row["mag"]) if row.get("mag") else None,
        float(row["surface_brightness"]) if row["surface_brightness"] else None,
        row.get("part_of", ""),
        better is not None,
    )


def alike_numbers(key: str) -> list[str]:
    """Names that a misspelt one may mean (both as `name_key` gives them): those with the same number, none
    where the list is a known one. A number is never guessed at: its neighbour is another object."""
    known = objects_by_key()
    letters, digits = re.sub(r"\d", "", key), re.sub(r"\D", "", key)
    if not digits:
        return list(known)
    same = [name for name in known if re.sub(r"\D", "", name) == digits]
    return [] if letters in _lists() else same


@cache
def _lists() -> frozenset[str]:
    """The letters before the numbers of all objects' names."""
    return frozenset(re.sub(r"\d", "", name) for name in objects_by_key() if re.search(r"\d", name))


def entry_named(name: str) -> DeepSkyObject | None:
    """The object with this name, or None."""
    try:
        return find_object(name)
    except UnknownObject:
        return None


def find_object(name: str) -> DeepSkyObject:
    """The object with this name, alias or common name. Raises UnknownObject with the nearest names."""
    at_once = _by_first_name(name)
    if at_once is not None:
        return at_once
    known = objects_by_key()
    found = known.get(name_key(name))
    if found:
        return found
    near = difflib.get_close_matches(name_key(name), alike_numbers(name_key(name)), n=3, cutoff=0.75)
    hint = f"; did you mean {', '.join(dict.fromkeys(known[k].name for k in near))}?" if near else ""
    raise UnknownObject(f"no object is called {name!r} in the deep-sky catalogue{hint}")
