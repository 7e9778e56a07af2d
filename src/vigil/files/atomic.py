"""Whole or not at all: write aside, flush to disk, rename, flush the folder."""

import os
import secrets
from collections.abc import Callable
from pathlib import Path
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


def flush_folder(folder: Path) -> None:
    """Make a rename in a folder survive a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
