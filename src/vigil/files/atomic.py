"""Whole or not at all: write aside, flush to disk, rename, flush the folder."""

import os
import secrets
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp
from typing import BinaryIO


def write_atomically(path: Path, write: Callable[[BinaryIO], None]) -> None:
    """Give `write` an open file; afterwards `path` holds all of it, or what it held before.

    Raises OSError when the folder can't be written; nothing is left behind then.
    """
    aside = path.with_name(f".{path.name}.{secrets.token_hex(4)}.tmp")
    try:
        with aside.open("wb") as stream:
            write(stream)
            stream.flush()
            os.fsync(stream.fileno())
        aside.replace(path)
    except BaseException:
        aside.unlink(missing_ok=True)
        raise
    flush_folder(path.parent)


def write_bytes(path: Path, content: bytes) -> None:
    """The whole content of a file, whole or not at all."""

    def write(stream: BinaryIO) -> None:
        stream.write(content)

    write_atomically(path, write)


@contextmanager
def whole_folder(folder: Path) -> Iterator[Path]:
    """A folder to fill that takes the place of `folder` once it is filled, or not at all.

    Its files are flushed first. Raises OSError when there is no room; nothing is left behind then.
    """
    folder.parent.mkdir(parents=True, exist_ok=True)
    aside = Path(mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
    try:
        yield aside
        for path in aside.iterdir():
            with path.open("rb") as stream:
                os.fsync(stream.fileno())
        if folder.exists():
            shutil.rmtree(folder)
        aside.rename(folder)
        flush_folder(folder.parent)
    except BaseException:
        shutil.rmtree(aside, ignore_errors=True)
        raise


def flush_folder(folder: Path) -> None:
    """Make a rename in a folder survive a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
