"""One keeper for a rig."""

import fcntl
import os
from pathlib import Path
from types import TracebackType
from typing import Self


class RigTaken(RuntimeError):
    """Another keeper has this rig; the message gives its process."""


class RigLock:
    """Held while the keeper lives; the system frees it when the process dies, however it dies."""

    def __init__(self, path: Path, socket: Path | None = None) -> None:
        """`socket` is where the keeper will answer, told to whoever finds the lock."""
        self._path, self._socket = path, socket
        self._handle: int | None = None

    def __enter__(self) -> Self:
        handle = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            told = os.read(handle, 500).decode(errors="replace").splitlines()
            os.close(handle)
            where = f", and answers at {told[1]}" if len(told) > 1 else ""
            raise RigTaken(
                f"the rig's keeper runs already, as process {told[0] if told else 'unknown'}{where}"
            ) from None
        os.ftruncate(handle, 0)
        os.write(handle, f"{os.getpid()}\n{self._socket or ''}\n".encode())
        self._handle = handle
        return self

    def __exit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None
