"""Frames from elsewhere taken into the ledger: their headers read, measured, solved, duplicates known."""

import hashlib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Self

import numpy as np

from vigil.documents.errands import Outcome
from vigil.documents.events import Kind
from vigil.documents.eventvalues import new_event
from vigil.documents.rig import Rig
from vigil.files.fits import BadFrame, read_fits, read_wcs
from vigil.files.hints import NoHint, header_position, header_scale
from vigil.files.madeframes import made_of
from vigil.files.names import evening_date
from vigil.files.solver import Search, solve_picture
from vigil.imaging.measuring import flat_of, measure_image
from vigil.ledger.reading import Sought, frames
from vigil.ledger.store import LedgerStore
from vigil.planning.framing import disagreement
from vigil.solving.near import Hint

IMPORT = "import"
_ENDINGS = {".fits", ".fit", ".fts"}
_WITHIN_DEG = 3.0
_SAME_S = 1.0
_FULL_SCALE_ADU = 65535.0


@dataclass(frozen=True, slots=True)
class Imported:
    """A file that was looked at: `frame_id` of one that is in the ledger now, else `why_not`; `doubt` is what
    doesn't agree in it."""

    path: Path
    frame_id: str = ""
    target: str = ""
    why_not: str = ""
    doubt: str = ""
    solved: bool = False


def fits_in(places: Iterable[Path]) -> list[Path]:
    """FITS files named, or in folders named, and below them."""
    found: list[Path] = []
    for place in places:
        if place.is_dir():
            found += [p for p in sorted(place.rglob("*")) if p.suffix.lower() in _ENDINGS]
        else:
            found.append(place)
    return list(dict.fromkeys(found))


def import_frames(
    ledger: Path,
    paths: Iterable[Path],
    rig: Rig,
    now: datetime,
    search: Search,
    target: str = "",
    stop: Callable[[], bool] = lambda: False,
) -> Iterator[Imported]:
    """Take lights in, one after the other; each is whole in the ledger before the next is looked at, so that
    cut off in the middle nothing is lost, and begun again what is there is known. `target` is the name for
    frames that have none. Raises LedgerError."""
    known = Known(ledger)
    with Intake(ledger, rig, now, "frames from elsewhere") as intake:
        for path in paths:
            if stop():
                intake.outcome = Outcome.STOPPED
                break
            told = _looked_at(path, rig, search, target, known)
            if isinstance(told, Imported):
                yield told
                continue
            saved, measured, doubt = told
            intake.add(Kind.FRAME_SAVED, saved, f"taken in from {path}")
            intake.add(Kind.FRAME_MEASURED, measured, "measured when it was taken in")
            known.add(saved)
            solved = measured["position_angle_deg"] is not None
            yield Imported(path, saved["frame_id"], saved["target"], "", doubt, solved)


class Intake:
    """The errand under which frames come into the ledger: begun with the first of them, and ended however the
    taking ends. Raises LedgerError."""

    def __init__(self, ledger: Path, rig: Rig, now: datetime, words: str) -> None:
        self._store = LedgerStore(ledger)
        self._rig, self._now, self._words = rig, now, words
        self._errand = ""
        self.frames = 0
        self.outcome = Outcome.DONE

    def __enter__(self) -> Self:
        return self

    def __exit__(self, raised: type[BaseException] | None, problem: object, trace: object) -> None:
        words = f"{self.frames} frames taken in"
        if raised is not None:
            # who reads the results lost interest, or a person broke it off: nothing is wrong
            by_hand = issubclass(raised, GeneratorExit | KeyboardInterrupt)
            self.outcome = Outcome.STOPPED if by_hand else Outcome.FAILED
            words += "" if by_hand else f", then: {problem or raised.__name__}"
        try:
            if self._errand:
                ended = {"outcome": self.outcome.value, "took_s": 0.0, "frames": self.frames}
                self._put(Kind.ERRAND_ENDED, ended, words)
        finally:
            self._store.close()

    def add(self, kind: Kind, values: dict[str, Any], words: str) -> None:
        """Raises BadValues for values that the kind has not, before anything is begun."""
        event = new_event("errand", self._now, kind, values, words)
        if not self._errand:
            self._begin()
        self._store.add(event.model_copy(update={"errand": self._errand}))
        self.frames += kind is Kind.FRAME_SAVED

    def _begin(self) -> None:
        evening = evening_date(self._now, self._rig.site.time_zone)
        number = self._store.next_number(self._rig.id, evening, IMPORT)
        self._errand = f"{self._rig.id}-{evening}-{IMPORT}-{number}"
        begun = {"kind": IMPORT, "rig_id": self._rig.id, "evening": evening, "words": self._words}
        self._put(Kind.ERRAND_STARTED, begun, self._words)

    def _put(self, kind: Kind, values: dict[str, Any], words: str) -> None:
        self._store.add(new_event(self._errand, self._now, kind, values, words))


class Known:
    """What is in the ledger: by id, by where it lies, by when and how it was exposed."""

    def __init__(self, ledger: Path) -> None:
        self._ids: set[str] = set()
        self._paths: set[str] = set()
        self._exposed: dict[tuple[str, float], list[float]] = {}
        for frame in frames(ledger, Sought(kind="")):
            self.add(frame)

    def add(self, frame: dict[str, Any]) -> None:
        self._ids.add(frame["frame_id"])
        self._paths.add(frame["path"])
        if frame["started_at"]:
            at = datetime.fromisoformat(frame["started_at"]).timestamp()
            self._exposed.setdefault((frame["camera"].casefold(), round(frame["exposure_s"], 3)), []).append(
                at
            )

    def twin(self, frame_id: str, path: Path, camera: str, exposure_s: float, at: datetime) -> str:
        """Why a frame is there already; empty where it isn't."""
        if frame_id in self._ids:
            return "it is in the ledger already, by its id"
        if str(path) in self._paths:
            return "it is in the ledger already"
        there = self._exposed.get((camera.casefold(), round(exposure_s, 3)), [])
        if any(abs(at.timestamp() - other) < _SAME_S for other in there):
            return "the ledger has a frame of this camera exposed at that moment"
        return ""


def _looked_at(
    path: Path, rig: Rig, search: Search, target: str, known: Known
) -> Imported | tuple[dict[str, Any], dict[str, Any], str]:
    try:
        frame = read_fits(path)
    except BadFrame as problem:
        return Imported(path, why_not=str(problem).removeprefix(f"{path}: "))
    header = frame.header
    made = made_of(header)
    if made is None:
        return Imported(path, why_not="its header doesn't say what it is (IMAGETYP)")
    if made.kind != "light":
        return Imported(path, why_not=f"a {made.kind}, not a light: libraries of them are named in the rig")
    if made.at is None or not made.exposure_s:
        return Imported(path, why_not="its header lacks when it was exposed, or for how long")
    name = made.target or target
    if not name:
        return Imported(path, why_not="its header names no target; say which with --target")
    if frame.image.ndim != 2:
        return Imported(path, why_not="a picture of three colours, not a frame")
    own = str(header.get("FRAMEID", "")).strip()
    frame_id = own or f"elsewhere-{hashlib.sha256(path.read_bytes()).hexdigest()[:16]}"
    at = made.at if made.at.tzinfo else made.at.replace(tzinfo=UTC)
    if why := known.twin(frame_id, path.absolute(), made.camera, made.exposure_s, at):
        return Imported(path, why_not=why)
    mosaic = "BAYERPAT" in header
    try:
        figures = measure_image(frame.image, _FULL_SCALE_ADU, mosaic)
    except ValueError as problem:
        return Imported(path, why_not=f"it can't be measured ({problem})")
    hint = _hint(header)
    wcs = read_wcs(header, (frame.image.shape[0], frame.image.shape[1]))
    if wcs is None and hint is not None:
        wcs = solve_picture(flat_of(frame.image, mosaic), Search(hint, own=search.own)).solution.wcs
    saved = {
        "frame_id": frame_id,
        "kind": "light",
        "path": str(path.absolute()),
        "target": name,
        "filter": made.filter or None,
        "exposure_s": made.exposure_s,
        "started_at": at.isoformat(),
        "temperature_c": made.temperature_c,
        "focus_position": made.focus_position,
        "tube_c": made.ambient_c,
        "guide_rms_arcsec": _number(header, "GUIDERMS"),
        "gain": made.gain,
        "offset": made.offset,
        "binning": made.binning,
        "set_point_c": _number(header, "SET-TEMP"),
        "electrons_per_adu": _number(header, "EGAIN"),
        "ra_deg": wcs.ra_deg if wcs else hint.ra_deg if hint else None,
        "dec_deg": wcs.dec_deg if wcs else hint.dec_deg if hint else None,
        "air_mass": _number(header, "AIRMASS"),
        "camera": made.camera,
        "evening": evening_date(at, rig.site.time_zone),
    }
    told = {key: None if isinstance(v, float) and np.isnan(v) else v for key, v in asdict(figures).items()}
    measured = {
        **told,
        "frame_id": frame_id,
        "filter": made.filter or None,
        "position_angle_deg": wcs.position_angle_deg if wcs else None,
        "scale_arcsec_px": wcs.scale_arcsec_px if wcs else None,
    }
    return saved, measured, (disagreement(name, wcs.ra_deg, wcs.dec_deg) if wcs else None) or ""


def _hint(header: dict[str, Any]) -> Hint | None:
    """Where to look, and at which scale; None where the header doesn't say both."""
    try:
        return Hint(*header_position(header), *header_scale(header), within_deg=_WITHIN_DEG)
    except NoHint:
        return None


def _number(header: dict[str, Any], name: str) -> float | None:
    value = header.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float) or not np.isfinite(value):
        return None
    return float(value)
