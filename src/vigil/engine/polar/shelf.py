"""What is kept of a rig's polar alignment: found again after whatever has ended a measurement."""

import logging
from functools import lru_cache
from pathlib import Path

from vigil.documents.polar import KeptPolar, PolarRecord, polar_path
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, load, save

log = logging.getLogger(__name__)


def kept_polar(rig: Rig, folder: Path) -> KeptPolar:
    """An empty one where there is none that can be read; a file that can't stays aside."""
    path = polar_path(rig.id, folder)
    try:
        return load(KeptPolar, path) if path.exists() else KeptPolar()
    except (DocumentError, OSError) as problem:
        log.warning("%s; begun again without it", problem)
        path.replace(path.with_suffix(".unreadable"))
        return KeptPolar()


def last_polar(rig: Rig, folder: Path) -> PolarRecord | None:
    """The last measurement by frames."""
    path = polar_path(rig.id, folder)
    try:
        return _last(path, path.stat().st_mtime_ns)
    except OSError:
        return None


@lru_cache(maxsize=8)
def _last(path: Path, changed_ns: int) -> PolarRecord | None:
    """A night asks for it before every frame."""
    try:
        return load(KeptPolar, path).last
    except DocumentError as problem:
        log.warning("%s; the axis is measured again", problem)
        return None


def keep_polar(kept: KeptPolar, rig: Rig, folder: Path) -> None:
    """Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    save(kept, polar_path(rig.id, folder))
