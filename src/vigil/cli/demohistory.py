"""The demo's three weeks of history, laid in where there is no ledger yet."""

import lzma
import shutil
from pathlib import Path

from vigil.cli.files import demo_file
from vigil.files.atomic import write_bytes
from vigil.runtime.folders import projects_folder


def lay_in_history(ledger: Path) -> bool:
    """Unpack the ledger and the two projects that ship with Vigil; nothing that is there is touched. Says
    whether it was done. Raises OSError."""
    if ledger.exists():
        return False
    ledger.parent.mkdir(parents=True, exist_ok=True)
    write_bytes(ledger, lzma.decompress(demo_file("history.sqlite.xz").read_bytes()))
    folder = projects_folder()
    if not folder.exists():
        folder.mkdir(parents=True)
        for path in sorted(demo_file("projects").glob("*.json")):
            shutil.copyfile(path, folder / path.name)
    return True
