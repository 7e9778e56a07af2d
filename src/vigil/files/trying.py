"""A flat tried on a light: which light and flats there are to try, and what comes of it."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from vigil.calibration.flatten import Tried, try_flat
from vigil.files.fits import BadFrame, read_frame, read_header
from vigil.files.madeframes import made_files
from vigil.files.masters import make_master, write_master
from vigil.files.names import safe
from vigil.levels.matching import Made, that_serve

Floats = NDArray[np.float32]
_MOST = 30
"""Of each kind are enough to try."""


@dataclass(frozen=True, slots=True)
class Choice:
    """A light and the frames that serve it; `flats` may be one master."""

    light: Path
    flats: tuple[Path, ...]
    dark_flats: tuple[Path, ...] = ()
    darks: tuple[Path, ...] = ()
    """Of the light; in their place bias frames, or dark flats, which have the same zero level."""

    @property
    def words(self) -> str:
        """What is tried on what, and what is missing."""
        said = f"{self.light.name} with {len(self.flats)} flats"
        if self.darks:
            return said
        return f"{said}; no darks or bias: its zero level stays in it, and corners come out too bright"


def choices(folders: Iterable[Path]) -> dict[str, Choice]:
    """By filter: its newest light, with what serves it; filters without a light or without flats are left
    out."""
    where = {id(made): (path, made) for path, made in made_files(folders)}
    every = [made for _, made in where.values()]
    found: dict[str, Choice] = {}
    for name in dict.fromkeys(m.filter for m in every if m.kind == "light"):
        light = max((m for m in every if m.kind == "light" and m.filter == name), key=_when)
        serving = that_serve(light, every)
        if not serving.flats:
            continue

        def paths(frames: Sequence[Made]) -> tuple[Path, ...]:
            return tuple(where[id(made)][0] for made in sorted(frames, key=_when)[-_MOST:])

        newest = max(_when(flat) for flat in serving.flats)
        flats = [flat for flat in serving.flats if newest - _when(flat) < 86400]
        darks = serving.darks or serving.biases or serving.dark_flats
        found[name] = Choice(where[id(light)][0], paths(flats), paths(serving.dark_flats), paths(darks))
    return found


def tried(choice: Choice) -> Tried:
    """Raises BadFrame for frames that can't be read or don't belong together."""
    light = read_frame(choice.light).image
    dark: Floats | float = make_master(choice.darks).image if choice.darks else 0.0
    if len(choice.flats) == 1 and _is_master(choice.flats[0]):
        flat = read_frame(choice.flats[0]).image.astype(np.float32)
    else:
        below = make_master(choice.dark_flats).image if choice.dark_flats else 0.0
        flat = make_master(choice.flats, below).image
    try:
        return try_flat(light, dark, flat)
    except ValueError as problem:
        raise BadFrame(f"{choice.light}: {problem}") from None


def make_masters(choices: Mapping[str, Choice], folder: Path) -> list[Path]:
    """A master of each filter's flats, less their dark flats, in a folder; an older one of the same frames is
    written anew. Raises BadFrame, OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    made = []
    for name, choice in choices.items():
        dark = make_master(choice.dark_flats) if choice.dark_flats else None
        below, words = (dark.image, f"mean of {len(choice.dark_flats)} dark flats") if dark else (0.0, "")
        master = make_master(choice.flats, below, words)
        when = f"_{master.made.at:%Y-%m-%d}" if master.made.at is not None else ""
        path = folder / f"master_flat_{safe(name or 'no-filter')}{when}.fits"
        write_master(path, master)
        made.append(path)
    return made


def _is_master(path: Path) -> bool:
    return str(read_header(path).get("IMAGETYP", "")).upper().startswith("MASTER")


def _when(made: Made) -> float:
    return made.at.timestamp() if made.at is not None else 0.0
