"""The deep-sky catalogue: objects by name or alias."""

import csv
import difflib
import re
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

    @property
    def common_names(self) -> tuple[str, ...]:
        """What people call it, the usual one first."""
        return tuple(name for name in self.common_name.split(";") if name)


class UnknownObject(LookupError):
    """No object has this name; the message offers the nearest ones."""


def name_key(name: str) -> str:
    """A name without spaces, case and leading zeros of numbers: "IC 0405" and "ic405" are one."""
    return re.sub(r"(?<!\d)0+(?=\d)", "", re.sub(r"[\s_-]+", "", name.casefold()))


@cache
def all_objects() -> tuple[DeepSkyObject, ...]:
    """The whole catalogue; read once, a good tenth of a second."""
    return tuple(_object(row) for row in csv.DictReader(_text().splitlines()))


@cache
def _text() -> str:
    return (files("vigil") / "data" / "deep-sky.csv").read_text(encoding="utf-8")


def _by_first_name(name: str) -> DeepSkyObject | None:
    """A line of the catalogue by its first column alone: a plan opens without the whole being parsed."""
    text = _text()
    start = text.find(f"\n{name},") + 1
    if start == 0 or "," in name:
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


def _object(row: dict[str, str]) -> DeepSkyObject:
    return DeepSkyObject(
        row["name"],
        tuple(a for a in row["aliases"].split(";") if a),
        row["common_name"],
        row["type"],
        float(row["ra_deg"]),
        float(row["dec_deg"]),
        row["constellation"],
        float(row["major_arcmin"] or 0),
        float(row["minor_arcmin"] or 0),
        float(row["pa_deg"]) if row["pa_deg"] else None,
        float(row["mag"]) if row["mag"] else None,
        float(row["surface_brightness"]) if row["surface_brightness"] else None,
    )


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
    near = difflib.get_close_matches(name_key(name), known, n=3, cutoff=0.75)
    hint = f"; did you mean {', '.join(dict.fromkeys(known[k].name for k in near))}?" if near else ""
    raise UnknownObject(f"no object is called {name!r} in the deep-sky catalogue{hint}")
