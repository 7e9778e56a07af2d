"""Lights handed on with the calibration frames that match them: links or copies in a folder, and a list."""

import csv
import io
import os
import shutil
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from vigil.files.atomic import flush_folder, write_bytes
from vigil.files.fits import read_header
from vigil.files.madeframes import made_files, made_of
from vigil.files.names import check_pattern, evening_date, frame_path
from vigil.files.trouble import why
from vigil.levels.matching import Made, Wanted, that_serve_each

How = Literal["link", "copy"]
USUAL_NAMING = "{target}/{kind}/{filter}/{target}_{rig}_{kind}_{filter}_{exposure}_{date}_{time}"
MANIFEST = "manifest.csv"
_USUAL = Wanted()
COLUMNS = (
    "file", "source", "kind", "target", "filter", "exposure_s", "gain", "offset", "binning", "temperature_c",
    "date_obs", "frame_id", "standing", "flats", "dark_flats", "darks", "biases", "serves",
)  # fmt: skip
"""Of the manifest. Of a light the last ones but one are how many of each kind serve it, `serves` of a
calibration frame how many lights it serves."""
Progress = Callable[[int, int], bool]
"""Told how many of how many are done; false stops."""


@dataclass(frozen=True, slots=True)
class Item:
    """A file that is handed on, and under which name, below the folder."""

    source: Path
    name: Path
    made: Made
    frame_id: str = ""
    standing: str = ""
    serving: tuple[int, int, int, int] | None = None
    """Of a light: flats, dark flats, darks, biases."""
    serves: int = 0


@dataclass(frozen=True, slots=True)
class Gathering:
    """What is to be handed on; `missing` lights' files are gone, `uncovered` lacks some calibration
    frames."""

    items: tuple[Item, ...]
    missing: tuple[Path, ...]
    uncovered: tuple[str, ...]

    @property
    def lights(self) -> tuple[Item, ...]:
        return tuple(item for item in self.items if item.made.kind == "light")

    @property
    def bytes(self) -> int:
        """What copies take; files that are gone meanwhile count nothing."""
        return sum(item.source.stat().st_size for item in self.items if item.source.exists())


@dataclass(frozen=True, slots=True)
class HandedOver:
    """What came of it: `left` are those that are not there, with the reason; `there` were there before."""

    folder: Path
    done: int
    there: int
    left: tuple[Path, ...] = field(default=())
    reason: str = ""


def gathering(
    lights: Sequence[dict[str, Any]],
    folders: Iterable[Path],
    zone: str,
    rig_names: Mapping[str, str],
    naming: str = USUAL_NAMING,
    wanted: Wanted = _USUAL,
) -> Gathering:
    """Lights as the ledger lists them, with what serves each of them out of the folders. `rig_names` is by
    ids; calibration frames carry a rig's name only where all lights are of one. Raises ValueError for a
    naming that can't be used."""
    check_pattern(naming)
    there: list[tuple[dict[str, Any], Path, Made]] = []
    missing = []
    for light in lights:
        path = Path(str(light["path"]))
        made = made_of(read_header(path)) if path.exists() else None
        if made is None:
            missing.append(path)
        else:
            there.append((light, path, made))
    known = [(path, made) for path, made in made_files(folders) if made.kind != "light"]
    every = [*(m for _, m in known), *(m for _, _, m in there)]
    servings = that_serve_each([m for _, _, m in there], every, wanted)
    place = {id(made): path for path, made in known}
    serves: dict[int, int] = {}
    by_path: dict[Path, Made] = {}
    uncovered: dict[str, None] = {}
    for (_, _, made), serving in zip(there, servings, strict=True):
        for frames in (serving.flats, serving.dark_flats, serving.darks, serving.biases):
            for one in frames:
                serves[id(one)] = serves.get(id(one), 0) + 1
                by_path.setdefault(place[id(one)].resolve(), one)
        lacks = [w for w, f in (("flats", serving.flats), ("darks", serving.darks)) if not f]
        if lacks:
            uncovered[f"{made.target} {made.filter}".strip() + f": no {' and no '.join(lacks)}"] = None
    namer = _Namer(naming, zone)
    items = [
        Item(
            path,
            namer.name(made, light["target"], rig_names.get(light["rig"], light["rig"])),
            made,
            str(light["frame_id"]),
            str(light["standing"]),
            (len(s.flats), len(s.dark_flats), len(s.darks), len(s.biases)),
        )
        for (light, path, made), s in zip(there, servings, strict=True)
    ]
    # one file that lies in two of the folders by links is one
    targets = {str(light["target"]) for light, _, _ in there}
    target = next(iter(targets)) if len(targets) == 1 else "calibration"
    rigs = {rig_names.get(light["rig"], light["rig"]) for light, _, _ in there}
    rig = next(iter(rigs)) if len(rigs) == 1 else ""
    items += [
        Item(place[id(made)], namer.name(made, target, rig), made, serves=serves[id(made)])
        for made in by_path.values()
    ]
    return Gathering(tuple(items), tuple(missing), tuple(uncovered))


class _Namer:
    """Names by a pattern, none twice."""

    def __init__(self, naming: str, zone: str) -> None:
        self._naming, self._zone = naming, zone
        self._taken: set[Path] = set()
        self._numbers: dict[tuple[str, ...], int] = {}

    def name(self, made: Made, target: str, rig: str) -> Path:
        group = made.kind, target, made.filter, f"{made.exposure_s}"
        self._numbers[group] = self._numbers.get(group, 0) + 1
        at = made.at.replace(tzinfo=made.at.tzinfo or UTC) if made.at is not None else None
        values = {
            "target": target,
            "rig": rig,
            "kind": made.kind.replace(" ", "-"),
            "filter": made.filter,
            "date": evening_date(at, self._zone) if at is not None else "",
            "time": f"{at:%H%M%S}" if at is not None else "",
            "exposure": "" if made.exposure_s is None else f"{made.exposure_s:g}s",
            "gain": "" if made.gain is None else f"g{made.gain}",
            "binning": f"{made.binning}x{made.binning}",
            "temperature": "" if made.temperature_c is None else f"{made.temperature_c:.1f}C",
            "focus": "" if made.focus_position is None else f"f{made.focus_position}",
            "number": f"{self._numbers[group]:04d}",
        }
        path = frame_path(Path(), self._naming, values, lambda p: p in self._taken)
        self._taken.add(path)
        return path


def hand_over(
    gathered: Gathering, folder: Path, how: How = "link", progress: Progress = lambda done, of: True
) -> HandedOver:
    """Put everything into the folder, each file whole or not at all, the sources never touched; the manifest
    last, of what is there then. Done again it goes on where it ended. What can't be put there is named."""
    done = there = 0
    left: list[Path] = []
    reason = ""
    kept: list[Item] = []
    for number, item in enumerate(gathered.items):
        if not reason and not progress(number, len(gathered.items)):
            reason = "stopped"
        if reason:
            left.append(item.source)
            continue
        place = folder / item.name
        try:
            if _is_there(item.source, place, how):
                there += 1
            else:
                _put(item.source, place, how)
                done += 1
            kept.append(item)
        except OSError as problem:
            left.append(item.source)
            reason = f"{place}: {why(problem)}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_bytes(folder / MANIFEST, manifest(kept).encode())
    except OSError as problem:
        reason = reason or f"{folder / MANIFEST}: {why(problem)}"
    return HandedOver(folder, done, there, tuple(left), reason)


def _is_there(source: Path, place: Path, how: How) -> bool:
    """From an earlier time. Another file of that name is an error."""
    if place.is_symlink():
        if place.resolve() == source.resolve():
            return True
        raise FileExistsError(17, "another file has this name", str(place))
    if not place.exists():
        return False
    if how == "copy" and place.stat().st_size == source.stat().st_size and _same(source, place):
        return True
    raise FileExistsError(17, "another file has this name", str(place))


def _same(one: Path, other: Path) -> bool:
    with one.open("rb") as a, other.open("rb") as b:
        while True:
            first, second = a.read(1 << 20), b.read(1 << 20)
            if first != second:
                return False
            if not first:
                return True


def _put(source: Path, place: Path, how: How) -> None:
    place.parent.mkdir(parents=True, exist_ok=True)
    if how == "link":
        place.symlink_to(source.resolve())
        return
    aside = place.with_name(f".{place.name}.{os.getpid()}.tmp")
    try:
        shutil.copyfile(source, aside)
        with aside.open("rb") as stream:
            os.fsync(stream.fileno())
        aside.replace(place)
        flush_folder(place.parent)
    except BaseException:
        aside.unlink(missing_ok=True)
        raise


def manifest(items: Iterable[Item]) -> str:
    """As CSV, with `COLUMNS`."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for item in items:
        made = item.made
        at = made.at.astimezone(UTC) if isinstance(made.at, datetime) and made.at.tzinfo else made.at
        table.writerow(
            [
                item.name.as_posix(), str(item.source), made.kind, made.target, made.filter,
                _cell(made.exposure_s), _cell(made.gain), _cell(made.offset), made.binning,
                _cell(made.temperature_c), at.isoformat() if at else "", item.frame_id, item.standing,
                *(item.serving or ("", "", "", "")), item.serves or "",
            ]
        )  # fmt: skip
    return out.getvalue()


def _cell(value: float | int | None) -> str:
    return "" if value is None else f"{value:g}"
