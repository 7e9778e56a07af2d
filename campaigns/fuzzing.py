"""Every reader fed with damaged, mutated and absurd input, in a process that may crash: nothing comes of it
but a clear error or a good read, in bounded time and memory."""

import gzip
import io
import json
import multiprocessing
import os
import resource
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from copy import deepcopy
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import demo_plan
from campaigns.figures import run_campaign
from campaigns.rigs import example

MINUTES, A_MINUTE_S = 60, 60.0
_MOST_S, _MOST_BYTES = 8.0, 1_000_000_000
_CASE_ROOM = 1_400_000_000
Bytes = bytes


@dataclass(frozen=True, slots=True)
class Reader:
    """`seeds` are sound inputs, `read` reads one file, `mutate` spoils the bytes; `errors` are what a reader
    may say of bad input."""

    name: str
    ending: str
    seeds: Callable[[], list[bytes]]
    read: Callable[[Path], None]
    mutate: Callable[[np.random.Generator, bytes], bytes]


# -- spoiling ---------------------------------------------------------------------------------------


def _bytes_spoilt(dice: np.random.Generator, data: bytes) -> bytes:
    """Flipped, cut, doubled, overwritten."""
    spoilt = bytearray(data)
    for _ in range(int(dice.integers(1, 6))):
        at = int(dice.integers(len(spoilt))) if spoilt else 0
        kind = int(dice.integers(6))
        if not spoilt:
            break
        if kind == 0:
            spoilt[at] ^= 1 << int(dice.integers(8))
        elif kind == 1:
            del spoilt[at:]
        elif kind == 2:
            length = int(dice.integers(1, 400))
            spoilt[at:at] = spoilt[at : at + length]
        elif kind == 3:
            length = int(dice.integers(1, 64))
            spoilt[at : at + length] = dice.integers(0, 256, length).astype(np.uint8).tobytes()
        elif kind == 4:
            del spoilt[at : at + int(dice.integers(1, 3000))]
        else:
            length = int(dice.integers(1, 16))
            spoilt[at : at + length] = bytes([int(dice.choice([0, 255, 127, 32]))]) * length
    return bytes(spoilt)


_WILD = (
    b"0", b"-1", b"1", b"2", b"7", b"999", b"65536", b"2147483647", b"2147483648", b"99999999999999999999",
    b"1.5", b"NaN", b"inf", b"-1E400", b"T", b"F", b"'x'", b"", b"'unclosed", b"1e30",
)  # fmt: skip


def _fits_spoilt(dice: np.random.Generator, data: bytes) -> bytes:
    """Cards with wild values, or spoilt bytes."""
    if dice.random() < 0.4:
        return _bytes_spoilt(dice, data)
    spoilt = bytearray(data)
    cards = [at for at in range(0, min(len(spoilt), 40_000), 80) if spoilt[at + 8 : at + 9] == b"="]
    for _ in range(int(dice.integers(1, 4))):
        if not cards:
            break
        at = int(dice.choice(cards))
        wild = _WILD[int(dice.integers(len(_WILD)))]
        kind = int(dice.integers(4))
        if kind < 3:
            spoilt[at + 10 : at + 80] = wild.rjust(20).ljust(70)[:70]
        else:
            other = int(dice.choice(cards))
            spoilt[at : at + 80] = spoilt[other : other + 80]
    if dice.random() < 0.2:
        spoilt = bytearray(_bytes_spoilt(dice, bytes(spoilt)))
    return bytes(spoilt)


def _gz_spoilt(dice: np.random.Generator, data: bytes) -> bytes:
    if dice.random() < 0.5:
        return _bytes_spoilt(dice, data)
    return gzip.compress(_fits_spoilt(dice, gzip.decompress(data)), 1)


_VALUES: tuple[Any, ...] = (
    0, -1, 1, 2, 1e-300, 1e300, -1e300, 10**18, 10**400, 0.1, "", "x", "\x1b]0;x\x07", "../../x", "é" * 300,
    None, True, [], {}, [[]], float("nan"), float("inf"), "2027-01-01T00:00:00Z", "25:99", 1e6, 1e7, -1e7,
    359.999, 90, 89.9999, 180, 720, 3600, 20000,
)  # fmt: skip


def _json_spoilt(dice: np.random.Generator, data: bytes) -> bytes:
    """Values of its tree replaced by absurd ones, taken away, doubled; now and then the bytes spoilt."""
    if dice.random() < 0.15:
        return _bytes_spoilt(dice, data)
    tree = json.loads(data)
    for _ in range(int(dice.integers(1, 5))):
        places = list(_places(tree))
        if not places:
            break
        holder, key = places[int(dice.integers(len(places)))]
        kind = int(dice.integers(8))
        if kind < 5:
            holder[key] = deepcopy(_VALUES[int(dice.integers(len(_VALUES)))])
        elif kind == 5:
            del holder[key]
        elif isinstance(holder, list):
            holder.extend(holder[: int(dice.integers(1, 4))])
        elif isinstance(holder[key], int | float) and abs(holder[key]) < 1e300:
            holder[key] = holder[key] * float(dice.choice([-1, 1e-9, 1e3, 1e6, 0.5]))
    return json.dumps(tree).encode()


def _places(tree: Any) -> Any:
    """(container, key) of every value."""
    if isinstance(tree, dict | list):
        for key, value in list(tree.items()) if isinstance(tree, dict) else list(enumerate(tree)):
            yield tree, key
            yield from _places(value)


# -- readers ----------------------------------------------------------------------------------------


def _fits_bytes(kind: str) -> bytes:
    from astropy.io import fits

    stream = io.BytesIO()
    image = np.random.default_rng(3).integers(0, 3000, (48, 64)).astype(np.int16)
    units = {
        "plain": [fits.PrimaryHDU(image.astype(np.uint16))],
        "colour": [fits.PrimaryHDU(np.stack([image] * 3).astype(np.float32))],
        "second": [fits.PrimaryHDU(), fits.ImageHDU(image)],
        "packed": [fits.PrimaryHDU(), fits.CompImageHDU(image, compression_type="RICE_1")],
        "gzip": [fits.PrimaryHDU(), fits.CompImageHDU(image, compression_type="GZIP_1")],
        "table": [
            fits.PrimaryHDU(),
            fits.BinTableHDU.from_columns(
                [fits.Column(n, "D", array=np.linspace(1, 9, 40)) for n in ("ra", "dec", "mag")]
            ),
        ],
    }[kind]
    units[-1].header["CTYPE1"], units[-1].header["CTYPE2"] = "RA---TAN", "DEC--TAN"
    for key, value in {"CRVAL1": 79.0, "CRVAL2": 34.0, "CRPIX1": 32.0, "CRPIX2": 24.0}.items():
        units[-1].header[key] = value
    units[-1].header["CD1_1"] = units[-1].header["CD2_2"] = 1e-4
    fits.HDUList(units).writeto(stream)
    return stream.getvalue()


def _fits_files(*kinds: str) -> list[bytes]:
    return [_fits_bytes(kind) for kind in kinds]


def _zipped() -> list[bytes]:
    return [gzip.compress(_fits_bytes("plain"))]


def _pictures() -> list[bytes]:
    import tifffile

    image = np.random.default_rng(3).integers(0, 60000, (40, 50)).astype(np.uint16)
    found = []
    for how in ({}, {"compression": "zlib"}, {"tile": (16, 16)}):
        stream = io.BytesIO()
        tifffile.imwrite(stream, image, **how)
        found.append(stream.getvalue())
    return found


def _drawn(kind: str) -> list[bytes]:
    from PIL import Image

    stream = io.BytesIO()
    Image.fromarray(np.random.default_rng(3).integers(0, 255, (40, 50, 3)).astype(np.uint8)).save(
        stream, kind
    )
    return [stream.getvalue()]


def _read_frame(path: Path) -> None:
    from vigil.files.fits import BadFrame, read_fits, read_header, read_wcs

    header = read_header(path)
    read_wcs(header, (48, 64))
    try:
        frame = read_fits(path)
    except BadFrame as problem:
        _said(problem, path)
    else:
        read_wcs(frame.header, frame.image.shape[-2:])


def _read_picture(path: Path) -> None:
    from vigil.files.fits import BadFrame
    from vigil.files.pictures import read_picture

    try:
        read_picture(path)
    except BadFrame as problem:
        _said(problem, path)


def _read_stars(path: Path) -> None:
    from vigil.files.owncatalogue import BadCatalogue, _read_csv, _read_fits

    try:
        (_read_fits if path.suffix == ".fits" else _read_csv)(path, {})
    except BadCatalogue as problem:
        _said(problem, path)


def _read_horizon(path: Path) -> None:
    from vigil.sky.horizon import parse_horizon

    try:
        parse_horizon(path.read_text(encoding="utf-8", errors="replace"))
    except ValueError as problem:
        _said(problem, None)


def _read_shelf_csv(path: Path) -> None:
    from vigil.planning.shelfcsv import ColumnsUnclear, from_csv

    try:
        from_csv(path.read_text(encoding="utf-8", errors="replace"), lambda stem: stem)
    except (ValueError, ColumnsUnclear) as problem:
        _said(problem, None)


def _read_focus_csv(path: Path) -> None:
    from vigil.files.focuscsv import BadTable, read_points
    from vigil.focusing.verdict import judge

    try:
        judge(read_points(path))
    except BadTable as problem:
        _said(problem, path)


def _focus_tables() -> list[bytes]:
    rows = [f"{p},{(2.25 + 0.0009 * (p - 1200) ** 2) ** 0.5:.3f},0.02" for p in range(1000, 1401, 50)]
    return [("position,size,scatter\n" + "\n".join(rows) + "\n").encode()]


def _document(model_name: str, then: Callable[[Any], None] = lambda document: None) -> Callable[[Path], None]:
    """Reads one, writes it, reads that back the same, and goes on to what is made of it."""

    def read(path: Path) -> None:
        from vigil.documents.pattern import Pattern
        from vigil.documents.plan import NightPlan
        from vigil.documents.rig import Rig
        from vigil.documents.scenario import Scenario
        from vigil.documents.shelf import Shelf
        from vigil.documents.store import DocumentError, dump, load, parse

        models = {m.__name__: m for m in (Pattern, NightPlan, Rig, Scenario, Shelf)}
        model = models[model_name]
        try:
            document = load(model, path)
        except DocumentError as problem:
            _said(problem, path)
            return
        again = parse(model, dump(document), "what was written")
        if again != document:
            raise AssertionError("what was written reads back differently")
        then(document)

    return read


def _of_plan(plan: Any) -> None:
    from vigil.documents.plan import contradictions
    from vigil.planning.forecast import forecast
    from vigil.planning.planmuster import Around, plan_muster
    from vigil.planning.plantext import plan_text

    rig = example("heron-480")
    wrong = contradictions(plan, rig)
    ahead = None if wrong else forecast(plan, rig, datetime(2027, 1, 12, 16, 40, tzinfo=UTC))
    plan_text(plan, rig, ahead)
    plan_muster(plan, rig, Around(ahead=ahead, free_bytes=10**10))


def _of_rig(rig: Any) -> None:
    from vigil.documents.plan import contradictions
    from vigil.planning.forecast import forecast
    from vigil.planning.muster import muster
    from vigil.planning.muster.finding import Known
    from vigil.planning.planmuster import plan_muster
    from vigil.planning.rignumbers import rig_numbers

    at = datetime(2027, 1, 12, 16, 40, tzinfo=UTC)
    muster(rig, Known(at=at, ambient_c=1.0, free_bytes=10**10, longest_exposure_s=300.0))
    rig_numbers(rig)
    plan = demo_plan()
    plan_muster(plan, rig)
    if not contradictions(plan, rig):
        forecast(plan, rig, at)


def _said(problem: Exception, path: Path | None) -> None:
    """A clear error says something, and names its file."""
    words = str(problem)
    if not words.strip():
        raise AssertionError("an error without words")
    if path is not None and path.name not in words:
        raise AssertionError(f"an error that doesn't name its file: {words[:200]}")


def _rigs() -> list[bytes]:
    from vigil.cli.files import EXAMPLE_RIGS, demo_file

    return [demo_file(f"{name}.json").read_bytes() for name in EXAMPLE_RIGS]


def _rich_plan() -> list[bytes]:
    plan = json.loads(_plan_text())
    plan["opening"] = [
        {"kind": "wait", "id": "w", "moment": "nautical dusk", "minutes": 5},
        {"kind": "ask", "id": "a", "question": "caps?"},
        {"kind": "condition", "name": "focus fresh", "off": True},
    ]
    plan["closing"] = [{"kind": "program", "id": "p", "arguments": ["true"]}]
    return [_plan_text().encode(), json.dumps(plan).encode()]


def _plan_text() -> str:
    from vigil.documents.store import dump

    return dump(demo_plan())


def _pattern() -> list[bytes]:
    from vigil.documents.store import dump
    from vigil.planning.patterns import of_block, of_plan

    plan = demo_plan()
    return [dump(of_plan(plan, "it")).encode(), dump(of_block(plan.blocks[0], "block")).encode()]


def _shelf() -> Any:
    from vigil.documents.plan import Target
    from vigil.documents.shelf import Framed, Framing, Shelf

    target = Target(name="M 31", ra_deg=10.68, dec_deg=41.27)
    framing = Framing(ra_deg=10.68, dec_deg=41.27, width_deg=2.0, height_deg=1.5)
    return Shelf(framed=[Framed(id="m31", name=target.name, framing=framing)])


def _scenarios() -> list[bytes]:
    from vigil.documents.scenario import Scenario
    from vigil.documents.scenario.air import AirEffects, Cloud
    from vigil.documents.scenario.fault import Fault, FaultKind
    from vigil.documents.store import dump

    rich = Scenario(
        air=AirEffects(clouds=[Cloud(arrives_min=60, minutes=20, thickness_mag=2)]),
        faults=[Fault(kind=FaultKind.DISCONNECTS, device="mount", at_min=60)],
    )
    return [dump(Scenario()).encode(), dump(rich).encode()]


def _shelf_seeds(as_csv: bool) -> list[bytes]:
    from vigil.documents.store import dump
    from vigil.planning.shelfcsv import to_csv

    try:
        shelf = _shelf()
    except Exception:  # its fields are no business of this campaign
        return [b"name,ra,dec\nM 31,10.68,41.27\n"] if as_csv else [b'{"kind": "shelf", "schema": 1}']
    return [(to_csv(shelf) if as_csv else dump(shelf)).encode()]


READERS: tuple[Reader, ...] = (
    Reader("frame", ".fits", lambda: _fits_files("plain", "colour", "second"), _read_frame, _fits_spoilt),
    Reader("packed frame", ".fits", lambda: _fits_files("packed", "gzip"), _read_frame, _fits_spoilt),
    Reader("zipped frame", ".fits.gz", _zipped, _read_frame, _gz_spoilt),
    Reader("TIFF", ".tif", _pictures, _read_picture, _bytes_spoilt),
    Reader("PNG", ".png", lambda: _drawn("PNG"), _read_picture, _bytes_spoilt),
    Reader("JPEG", ".jpg", lambda: _drawn("JPEG"), _read_picture, _bytes_spoilt),
    Reader("star table", ".fits", lambda: _fits_files("table"), _read_stars, _fits_spoilt),
    Reader("star list", ".csv", lambda: [b"ra,dec,mag\n79.1,34.2,11\n80,35,9\n"], _read_stars, _bytes_spoilt),
    Reader("horizon", ".txt", lambda: [b"# az alt\n0 12\n90, 20\n180;9\n"], _read_horizon, _bytes_spoilt),
    Reader("focus table", ".csv", _focus_tables, _read_focus_csv, _bytes_spoilt),
    Reader("shelf as CSV", ".csv", lambda: _shelf_seeds(True), _read_shelf_csv, _bytes_spoilt),
    Reader("shelf", ".json", lambda: _shelf_seeds(False), _document("Shelf"), _json_spoilt),
    Reader("plan", ".json", _rich_plan, _document("NightPlan", _of_plan), _json_spoilt),
    Reader("rig", ".json", _rigs, _document("Rig", _of_rig), _json_spoilt),
    Reader("scenario", ".json", _scenarios, _document("Scenario"), _json_spoilt),
    Reader("pattern", ".json", _pattern, _document("Pattern"), _json_spoilt),
)  # fmt: skip
_SHARES = {"packed frame": 0.15, "TIFF": 0.5}
"""Of the cases of the others: these read in processes of their own, a second each."""


@cache
def _seeds(index: int) -> list[bytes]:
    return READERS[index].seeds()


def case(seed: int, number: int) -> tuple[Reader, bytes]:
    """A case follows from its numbers."""
    dice = np.random.default_rng([99, seed, number])
    while True:
        index = int(dice.integers(len(READERS)))
        if dice.random() < _SHARES.get(READERS[index].name, 1.0):
            break
    seeds = _seeds(index)
    return READERS[index], READERS[index].mutate(dice, seeds[int(dice.integers(len(seeds)))])


# -- running ----------------------------------------------------------------------------------------


def _serve(pipe: Connection, folder: str) -> None:
    """The child: reads what it is told to, and says how it went."""
    resource.setrlimit(resource.RLIMIT_DATA, (_CASE_ROOM, _CASE_ROOM))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    import warnings

    warnings.simplefilter("ignore")
    while True:
        seed, number = pipe.recv()
        reader, data = case(seed, number)
        path = Path(folder) / f"case-{seed}-{number}{reader.ending}"
        path.write_bytes(data)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        began, fault = _cpu_s(), ""
        try:
            reader.read(path)
        except BaseException as problem:
            where = traceback.extract_tb(problem.__traceback__)[-1]
            fault = (
                f"{type(problem).__name__}: {str(problem)[:160]} ({Path(where.filename).name}:{where.lineno})"
            )
        path.unlink(missing_ok=True)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        grown = 1024 * (peak - before) if peak > before else 0
        pipe.send((fault, _cpu_s() - began, grown))


def _cpu_s() -> float:
    """Of this process and those it has waited for: a machine under load is not the reader's fault."""
    own, others = resource.getrusage(resource.RUSAGE_SELF), resource.getrusage(resource.RUSAGE_CHILDREN)
    return own.ru_utime + own.ru_stime + others.ru_utime + others.ru_stime


class _Child:
    """A process that may be lost to any case."""

    def __init__(self, folder: str) -> None:
        self._folder = folder
        self._start()

    def _start(self) -> None:
        spawn = multiprocessing.get_context("spawn")
        self._pipe, theirs = spawn.Pipe()
        self._process = spawn.Process(target=_serve, args=(theirs, self._folder), daemon=False)
        self._process.start()
        theirs.close()

    def run(self, seed: int, number: int) -> tuple[str, float, int]:
        """(fault, seconds of CPU, bytes that its memory grew by)."""
        self._pipe.send((seed, number))
        began = time.monotonic()
        try:
            # the first case imports what it needs; a machine under load is given its time
            if self._pipe.poll(10 * _MOST_S):
                fault, seconds, grown = self._pipe.recv()
                return fault, seconds, grown
            fault = f"no answer after {time.monotonic() - began:.0f} s"
        except (EOFError, ConnectionResetError):
            fault = f"its process died, status {self._process.exitcode}"
        self.stop()
        self._start()
        return fault, time.monotonic() - began, 0

    def stop(self) -> None:
        self._process.kill()
        self._process.join()
        self._pipe.close()


def fuzzed(seed: int, most_s: float, most_cases: int = 10**9) -> dict[str, Any]:
    """Cases of a seed for so long, or so many."""
    cases, faults, slowest, largest = Counter[str](), list[str](), (0.0, ""), (0, "")
    with tempfile.TemporaryDirectory() as folder:
        child = _Child(folder)
        try:
            began, number = time.monotonic(), 0
            while time.monotonic() - began < most_s and number < most_cases:
                reader, _ = case(seed, number)
                fault, seconds, grown = child.run(seed, number)
                cases[reader.name] += 1
                name = f"{reader.name}, case {seed}/{number}"
                if number > 0:  # the first one pays for the imports
                    slowest, largest = max(slowest, (seconds, name)), max(largest, (grown, name))
                if not fault and seconds > _MOST_S:
                    fault = f"took {seconds:.1f} s of CPU"
                if not fault and grown > _MOST_BYTES:
                    fault = f"took {grown / 1e9:.2f} GB"
                if fault:
                    faults.append(f"{name}: {fault}")
                number += 1
        finally:
            child.stop()
    return {
        "seed": seed,
        "cases": dict(cases),
        "faults": faults,
        "slowest_s": round(slowest[0], 2),
        "slowest": slowest[1],
        "largest_mb": round(largest[0] / 1e6),
        "largest": largest[1],
    }


def campaign() -> dict[str, Any]:
    """An hour, minute by minute."""
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    minutes = ((f"minute {n}", lambda n=n: fuzzed(n, A_MINUTE_S)) for n in range(MINUTES))
    return run_campaign("fuzz", minutes, _summary, alone=True)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    cases: Counter[str] = Counter()
    for minute in found:
        cases.update(minute["cases"])
    slow = max(found, key=lambda m: m["slowest_s"])
    large = max(found, key=lambda m: m["largest_mb"])
    return {
        "minutes": len(found),
        "cases": sum(cases.values()),
        "by_reader": dict(cases),
        "faults": [fault for minute in found for fault in minute["faults"]],
        "slowest": f"{slow['slowest_s']} s: {slow['slowest']}",
        "largest": f"{large['largest_mb']} MB: {large['largest']}",
    }
