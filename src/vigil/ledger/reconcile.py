"""Ledger and disk compared: frames that were moved are found by what their headers say, others are gone."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vigil.documents.events import Kind
from vigil.documents.eventvalues import new_event
from vigil.files.fits import read_header
from vigil.ledger.reading import Sought, frames
from vigil.ledger.store import LedgerStore

_ENDINGS = {".fits", ".fit", ".fts"}


@dataclass(frozen=True, slots=True)
class Moved:
    """A frame whose file lies elsewhere."""

    frame_id: str
    old: Path
    new: Path


@dataclass(frozen=True, slots=True)
class Reconciled:
    """What came of it: `back` are frames that were missing and lie in their places again, `unknown` files
    with a frame's header that no ledger knows."""

    there: int
    moved: tuple[Moved, ...]
    missing: tuple[Path, ...]
    back: int
    unknown: tuple[Path, ...]


def reconcile(
    ledger: Path, folders: Iterable[Path], now: datetime, record: bool = True, rig: str = ""
) -> Reconciled:
    """Look for every frame of the ledger, first in its place, then in the folders by its id. With `record`
    the ledger is told of what has changed; the files themselves are never touched. Raises LedgerError and
    LedgerUnread."""
    known = frames(ledger, Sought(rig=rig, kind=""))
    lost = {str(f["frame_id"]): f for f in known if not Path(str(f["path"])).exists()}
    places = {str(Path(str(f["path"])).resolve()) for f in known if str(f["frame_id"]) not in lost}
    moved: list[Moved] = []
    unknown: list[Path] = []
    for path in _files(folders):
        if str(path.resolve()) in places:
            continue
        frame_id = str(read_header(path).get("FRAMEID", "")).strip()
        frame = lost.pop(frame_id, None)
        if frame is not None:
            moved.append(Moved(frame_id, Path(str(frame["path"])), path))
        elif frame_id:
            unknown.append(path)
    back = [f for f in known if f["missing"] and Path(str(f["path"])).exists()]
    told = [(str(m.frame_id), str(m.new)) for m in moved]
    told += [(str(f["frame_id"]), str(f["path"])) for f in back]
    told += [(frame_id, "") for frame_id, f in lost.items() if not f["missing"]]
    if record and told:
        errands = {str(f["frame_id"]): str(f["errand"]) for f in known}
        store = LedgerStore(ledger)
        try:
            for frame_id, place in told:
                words = f"its file is {place}" if place else "its file is gone"
                store.add(
                    new_event(
                        errands[frame_id],
                        now,
                        Kind.FRAME_LOCATED,
                        {"frame_id": frame_id, **({"path": place} if place else {})},
                        words,
                    )
                )
        finally:
            store.close()
    gone = tuple(Path(str(f["path"])) for f in lost.values())
    return Reconciled(len(places), tuple(moved), gone, len(back), tuple(unknown))


def _files(folders: Iterable[Path]) -> Iterable[Path]:
    seen: set[Path] = set()
    for folder in folders:
        for path in sorted(folder.rglob("*")):
            if path.suffix.lower() in _ENDINGS and not path.name.startswith(".") and path not in seen:
                seen.add(path)
                yield path
