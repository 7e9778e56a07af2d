"""`vigil ready`: what a field without network needs, and whether it is here."""

import argparse
import json
import shutil
import sys
import time
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.terminal import progress_line
from vigil.files.deepsky import all_objects
from vigil.files.owncatalogue import told
from vigil.files.skytable import has_table, make_table, table_bytes
from vigil.files.starcatalogue import star_catalogue
from vigil.runtime.folders import cache_folder, own_catalogue_folder, rigs_folder
from vigil.sky.ut1_table import FIRST_MJD, STEP_DAYS, UT1_UTC_S

_MJD_UNIX_EPOCH = 40587
_NEED_BYTES = 400_000_000


@dataclass(frozen=True, slots=True)
class _Item:
    """One thing that is needed; `help` says what to do when it isn't here."""

    name: str
    here: bool
    words: str
    help: str = ""


def run(args: argparse.Namespace) -> int:
    """0 all is here, 3 something isn't."""
    if args.make and not has_table(cache_folder()):
        make_with_progress()
    items = _items()
    if args.json:
        ready = all(item.here for item in items)
        print(json.dumps({"ready": ready, "items": [asdict(item) for item in items]}))
    else:
        for item in items:
            print(f"{'here   ' if item.here else 'missing'}  {item.name}: {item.words}")
            if not item.here:
                print(f"         {item.help}")
    return OK if all(item.here for item in items) else NOT_ALL


def make_with_progress() -> None:
    """Make the sky table, telling how far it is. Raises BadInput when there is no room for it."""
    began = time.monotonic()
    with progress_line("making the sky table", sys.stderr) as told_of:
        try:
            make_table(cache_folder(), star_catalogue(), told_of)
        except OSError as problem:
            raise BadInput(
                f"the sky table can't be written to {cache_folder()} ({problem.strerror}); it takes 0.4 GB"
            ) from None
    print(f"the sky table is made ({time.monotonic() - began:.0f} s)", file=sys.stderr)


def _items() -> list[_Item]:
    cache = cache_folder()
    table = has_table(cache)
    size = f"{table_bytes(cache) / 1e6:.0f} MB in {cache}" if table else "solving without a position needs it"
    return [
        _Item(
            "star catalogue", True, f"{star_catalogue().count:,} stars to magnitude 12–13, ships with Vigil"
        ),
        _Item("deep-sky catalogue", True, f"{len(all_objects()):,} objects, ships with Vigil"),
        _Item("sky table", table, size, "make it once, in a minute or two: vigil ready --make"),
        _earth(),
        _room(cache),
        _own_rigs(),
        _own_catalogue(),
    ]


def _earth() -> _Item:
    last = datetime.fromtimestamp(
        (FIRST_MJD + STEP_DAYS * (len(UT1_UTC_S) - 1) - _MJD_UNIX_EPOCH) * 86400, UTC
    )
    good = datetime.now(UTC) < last + timedelta(days=730)
    return _Item(
        "earth rotation",
        good,
        f"known or foretold to {last:%Y-%m-%d}; one year past that moves the sky by some 5″",
        "update Vigil: its table of the Earth's rotation is old",
    )


def _room(cache: Path) -> _Item:
    place = cache
    while not place.exists():
        place = place.parent
    free = shutil.disk_usage(place).free
    words = f"{free / 1e9:.1f} GB free for Vigil's own files"
    return _Item("room", has_table(cache) or free > _NEED_BYTES, words, "make room: 0.4 GB are needed once")


def _own_rigs() -> _Item:
    folder = rigs_folder()
    count = len(list(folder.glob("*.json"))) if folder.is_dir() else 0
    words = f"{count} of your own" if count else "none of your own yet; the examples are there"
    return _Item("rigs", True, words)


def _own_catalogue() -> _Item:
    found = told(own_catalogue_folder())
    words = "none; fields under half a degree near the galactic poles may need one (vigil catalogue add)"
    if found:
        words = f"{found['stars']:,} stars to magnitude {found['faintest_mag']} from {found['source']}"
    return _Item("deeper stars of your own", True, words)
