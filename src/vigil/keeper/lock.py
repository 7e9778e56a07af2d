"""One keeper for a rig."""

import fcntl
import os
from pathlib import Path
from types import TracebackType
from typing import Self


class Taken(RuntimeError):
    """Another keeper has this rig; the message gives its process."""


class RigLock:
    """Held while the keeper lives; the system frees it when the process dies, however it dies."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._handle: int | None = None

    def __enter__(self) -> Self:
        handle = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            owner = os.read(handle, 20).decode(errors="replace").strip() or "unknown"
            os.close(handle)
            raise Taken(f"the rig's keeper runs already, as process {owner}") from None
        os.ftruncate(handle, 0)
        os.write(handle, str(os.getpid()).encode())
        self._handle = handle
        return self

    def __exit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None
