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


class UnknownObject(LookupError):
    """No object has this name; the message offers the nearest ones."""


def _key(name: str) -> str:
    """A name without spaces, case and leading zeros of numbers: "IC 0405" and "ic405" are one."""
    return re.sub(r"(?<!\d)0+(?=\d)", "", re.sub(r"[\s_-]+", "", name.casefold()))


@cache
def _by_key() -> dict[str, DeepSkyObject]:
    objects: dict[str, DeepSkyObject] = {}
    with (files("vigil") / "data" / "deep-sky.csv").open(encoding="utf-8", newline="") as lines:
        entries = [_object(row) for row in csv.DictReader(lines)]
    # first names before aliases before common names, so that a proper name is never shadowed
    for names_of in (lambda e: (e.name,), lambda e: e.aliases, lambda e: (e.common_name,)):
        for entry in entries:
            for name in names_of(entry):
                if name:
                    objects.setdefault(_key(name), entry)
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
    )


def find_object(name: str) -> DeepSkyObject:
    """The object with this name, alias or common name. Raises UnknownObject with the nearest names."""
    known = _by_key()
    found = known.get(_key(name))
    if found:
        return found
    near = difflib.get_close_matches(_key(name), known, n=3, cutoff=0.75)
    hint = f"; did you mean {', '.join(dict.fromkeys(known[k].name for k in near))}?" if near else ""
    raise UnknownObject(f"no object is called {name!r} in the deep-sky catalogue{hint}")
