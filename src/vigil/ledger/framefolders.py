"""Where a rig's frames are: in its folders, and wherever the ledger says that some were put."""

from pathlib import Path

from vigil.documents.rig import Rig
from vigil.ledger.store import LedgerStore
from vigil.runtime.folders import coverage_folders


def folders_with_frames(rig: Rig, ledger: Path) -> list[Path]:
    """Those that are there, none inside another. Raises LedgerError."""
    found = coverage_folders(rig.id, rig.frames.folder, rig.frames.libraries)
    if ledger.exists():
        store = LedgerStore(ledger)
        try:
            found += [Path(name) for name in store.frame_folders(rig.id)]
        finally:
            store.close()
    there = [folder for folder in dict.fromkeys(found) if folder.exists()]
    return [folder for folder in there if not any(other in folder.parents for other in there)]
