"""Reading what might crash, hang or fill the memory, in a process of its own with limits.

Compressed pictures are unpacked by compiled code that trusts them: so where nothing is lost.
"""

import json
import os
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

_MOST_MEMORY = 950_000_000
_MOST_CPU_S, _MOST_WALL_S = 6, 60
_FITS, _TIFF = "fits", "tiff"


class ReadFailed(ValueError):
    """It could not be read; the message says why."""


def fits_apart(path: Path) -> tuple[np.ndarray, dict[str, Any]]:
    """The first image of a FITS file as it is in it, and its header. Raises ReadFailed."""
    return _apart(_FITS, path)


def tiff_apart(path: Path) -> np.ndarray:
    """The first picture of a TIFF. Raises ReadFailed."""
    return _apart(_TIFF, path)[0]


def _apart(what: str, path: Path) -> tuple[np.ndarray, dict[str, Any]]:
    environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "MALLOC_ARENA_MAX": "1"}
    with tempfile.TemporaryDirectory(prefix="vigil-read-") as folder:
        out = Path(folder)
        words = [sys.executable, "-m", "vigil.files.apart", what, str(path), str(out)]
        try:
            done = subprocess.run(
                words, stdin=subprocess.DEVNULL, capture_output=True, timeout=_MOST_WALL_S, env=environment
            )
        except subprocess.TimeoutExpired:
            raise ReadFailed("it takes too long to be read: damaged") from None
        if done.returncode != 0 or not (out / "image.npy").exists():
            said = (out / "why").read_text() if (out / "why").exists() else ""
            raise ReadFailed(said or "it can't be unpacked within its limits: damaged")
        header = json.loads((out / "header.json").read_text())
        return np.load(out / "image.npy", allow_pickle=False), header


def _main(what: str, name: str, folder: str) -> int:
    resource.setrlimit(resource.RLIMIT_DATA, (_MOST_MEMORY, _MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (_MOST_CPU_S, _MOST_CPU_S))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    out, header = Path(folder), {}
    try:
        if what == _FITS:
            from vigil.files.claims import look_at_fits
            from vigil.files.fits import first_image

            with look_at_fits(Path(name)).stream as stream:
                image, header = first_image(stream)
        else:
            from vigil.files.pictures import unpack_tiff

            image = unpack_tiff(Path(name))
        np.save(out / "image.npy", image)
        (out / "header.json").write_text(json.dumps(_plain(header)))
    except MemoryError:
        (out / "why").write_text("it unpacks to more than is ever loaded")
        return 1
    except Exception as problem:
        (out / "why").write_text((str(problem).strip().splitlines() or [type(problem).__name__])[0][:300])
        return 1
    return 0


def _plain(header: dict[str, Any]) -> dict[str, Any]:
    return {k: v if isinstance(v, str | int | float | bool) else str(v) for k, v in header.items()}


if __name__ == "__main__":
    sys.exit(_main(*sys.argv[1:4]))
