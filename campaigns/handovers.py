"""Lights handed over from random ledgers: each with the calibration frames that an oracle names, none twice,
also where the disk is full in the middle."""

import csv
import errno
import filecmp
import tempfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from astropy.io import fits

from campaigns.coverage import library, serves
from campaigns.figures import run_campaign
from vigil.documents.errands import Outcome
from vigil.documents.events import Kind
from vigil.documents.eventvalues import new_event
from vigil.ledger import handover
from vigil.ledger.handover import MANIFEST, gathering, hand_over
from vigil.ledger.reading import Sought, frames
from vigil.ledger.store import LedgerStore
from vigil.levels.matching import Made

LEDGERS = 100
_NAMINGS = (
    handover.USUAL_NAMING,
    "{target}/{filter}/{kind}_{number}",
    "{kind}/{date}_{filter}_{exposure}_{gain}_{binning}_{temperature}",
    "{target}",
)
_RIG = "alder"
_BEGAN = datetime(2027, 1, 3, 20, tzinfo=UTC)


def write_made(path: Path, made: Made, value: int) -> None:
    """A small frame whose header says what it is."""
    header = fits.Header()
    header["IMAGETYP"] = made.kind.upper()
    header["DATE-OBS"] = made.at.strftime("%Y-%m-%dT%H:%M:%S.%f") if made.at else ""
    header["EXPTIME"] = made.exposure_s
    header["INSTRUME"] = made.camera
    for card, told in (
        ("OBJECT", made.target), ("FILTER", made.filter), ("GAIN", made.gain), ("OFFSET", made.offset),
        ("XBINNING", made.binning), ("CCD-TEMP", made.temperature_c), ("ROTATANG", made.rotator_deg),
        ("FOCUSPOS", made.focus_position), ("FLATSRC", made.source),
    ):  # fmt: skip
        if told not in (None, ""):
            header[card] = told
    if made.train:
        header["TELESCOP"] = "Heron"
        header["FOCALLEN"] = float(made.train.split(", ")[1].split()[0])
    path.parent.mkdir(parents=True, exist_ok=True)
    data = np.full((48, 48), value, dtype=np.uint16)
    fits.PrimaryHDU(data, header).writeto(path, overwrite=True)


def into_ledger(ledger: Path, rig: str, there: list[tuple[Path, Made]], stem: str = "n") -> None:
    """Lights on record as a night's."""
    store = LedgerStore(ledger)
    errand = f"2027-01-03-{rig}-{stem}"
    begun = {"kind": "import", "rig_id": rig, "evening": "2027-01-03", "words": "frames"}
    store.add(new_event(errand, _BEGAN, Kind.ERRAND_STARTED, begun, ""))
    for number, (path, made) in enumerate(there):
        values = {
            "frame_id": f"{errand}-{number:04d}", "path": str(path), "target": made.target,
            "filter": made.filter or None, "exposure_s": made.exposure_s, "gain": made.gain,
            "offset": made.offset, "binning": made.binning, "camera": made.camera,
            "started_at": made.at.astimezone(UTC).isoformat() if made.at else _BEGAN.isoformat(),
        }  # fmt: skip
        store.add(new_event(errand, _BEGAN, Kind.FRAME_SAVED, values, ""))
    store.add(new_event(errand, _BEGAN, Kind.ERRAND_ENDED, {"outcome": Outcome.DONE.value}, ""))
    store.close()


def frames_on_disk(ledger: Path, folder: Path, rig: str, count: int) -> None:
    """Kept lights of IC 405 with darks, on disk and on record."""
    lights = [
        (
            folder / f"light-{n}.fits",
            Made("light", "IC 405", "Ha", 300.0, 100, 50, 1, -10.0, camera="Wren 9M",
                 at=_BEGAN + timedelta(minutes=6 * n)),
        )
        for n in range(count)
    ]  # fmt: skip
    for n, (path, made) in enumerate(lights):
        write_made(path, made, n + 1)
    for n in range(2):
        dark = Made(
            "dark", "", "", 300.0, 100, 50, 1, -10.0, camera="Wren 9M", at=_BEGAN + timedelta(hours=9 + n)
        )
        write_made(folder / f"dark-{n}.fits", dark, 100 + n)
    into_ledger(ledger, rig, lights, "by-hand")


def one_ledger(seed: int) -> dict[str, Any]:
    """A ledger with its frames on disk, handed over; then once more with a disk that is full in the
    middle."""
    rng = np.random.default_rng([68, seed])
    every, wanted = library(seed)
    wrong: list[str] = []
    with tempfile.TemporaryDirectory() as name:
        root = Path(name)
        there = []
        for n, made in enumerate(every):
            path = root / "frames" / made.kind.replace(" ", "-") / f"{n:03d}.fits"
            write_made(path, made, n + 1)
            there.append((path, made))
        lights = [(p, m) for p, m in there if m.kind == "light"]
        into_ledger(root / "ledger.sqlite", _RIG, lights)
        listed = frames(root / "ledger.sqlite", Sought())
        naming, how = str(rng.choice(_NAMINGS)), str(rng.choice(["link", "copy"]))
        gathered = gathering(listed, [root / "frames"], "Europe/Vienna", {_RIG: "Alder"}, naming, wanted)
        came = hand_over(gathered, root / "out", how)  # type: ignore[arg-type]
        wrong += _checked(root / "out", there, every, wanted)
        if came.left or came.reason:
            wrong.append(f"not all was handed over: {came.reason}")
        again = hand_over(gathered, root / "out", how)  # type: ignore[arg-type]
        if again.done or again.there != len(gathered.items):
            wrong.append("what was there was handed over again")
        if gathered.items:
            wrong += _with_a_full_disk(root, gathered, int(rng.integers(0, len(gathered.items))), there)
            wrong += _checked(root / "full", there, every, wanted)
    return {"frames": len(every), "lights": len(lights), "handed": len(gathered.items), "wrong": wrong}


def _with_a_full_disk(
    root: Path, gathered: handover.Gathering, at: int, there: list[tuple[Path, Made]]
) -> list[str]:
    """The disk is full at one of the files; afterwards there is room again, and it is done once more."""
    wrong = []
    put, calls = handover._put, 0

    def full(source: Path, place: Path, how: handover.How) -> None:
        nonlocal calls
        calls += 1
        if calls > at:
            raise OSError(errno.ENOSPC, "no space left", str(place))
        put(source, place, how)

    before = {path: path.read_bytes() for path, _ in there}
    handover._put = full
    try:
        came = hand_over(gathered, root / "full", "copy")
    finally:
        handover._put = put
    if len(came.left) != len(gathered.items) - at or "full" not in came.reason:
        wrong.append(f"a full disk: {len(came.left)} said to be missing of {len(gathered.items) - at}")
    if {path: path.read_bytes() for path, _ in there} != before:
        wrong.append("a full disk changed the frames themselves")
    if list((root / "full").rglob(".*.tmp")):
        wrong.append("a full disk leaves pieces")
    listed = _manifest(root / "full")
    if len(listed) != at or not all((root / "full" / row["file"]).exists() for row in listed):
        wrong.append("a full disk: the manifest names what isn't there")
    after = hand_over(gathered, root / "full", "copy")
    if after.left or after.done != len(came.left) or after.there != at:
        wrong.append("after a full disk it doesn't go on where it ended")
    return wrong


def _manifest(folder: Path) -> list[dict[str, str]]:
    with (folder / MANIFEST).open(newline="") as stream:
        return list(csv.DictReader(stream))


def _checked(folder: Path, there: list[tuple[Path, Made]], every: list[Made], wanted: Any) -> list[str]:
    """Against the oracle, frame by frame."""
    wrong = []
    rows = _manifest(folder)
    sources = [row["source"] for row in rows]
    if len(set(sources)) != len(sources) or len({row["file"] for row in rows}) != len(rows):
        wrong.append("something is there twice")
    for row in rows:
        if not filecmp.cmp(folder / row["file"], row["source"], shallow=False):
            wrong.append(f"{row['file']} is not its source")
    handed = {Path(name).resolve() for name in sources}
    should: set[Path] = set()
    lights = [(p, m) for p, m in there if m.kind == "light"]
    should |= {p.resolve() for p, _ in lights}
    for _, light in lights:
        flats = [f for f in every if f.kind == "flat" and serves(f, light, every, wanted)]
        for path, made in there:
            if made.kind == "dark flat":
                used = any(serves(made, flat, every, wanted) for flat in flats)
            else:
                used = made.kind != "light" and serves(made, light, every, wanted)
            if used:
                should.add(path.resolve())
    if handed != should:
        wrong.append(f"{len(should - handed)} are missing, {len(handed - should)} too many")
    return wrong


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "ledgers": len(results),
        "lights": sum(r["lights"] for r in results),
        "handed_over": sum(r["handed"] for r in results),
        "wrong": [words for r in results for words in r["wrong"]],
    }


def items(count: int = LEDGERS) -> Iterator[tuple[str, Callable[[], dict[str, Any]]]]:
    for number in range(count):
        yield f"ledger {number}", lambda number=number: one_ledger(number)


def campaign() -> dict[str, Any]:
    return run_campaign("handovers", items(), summarise)
