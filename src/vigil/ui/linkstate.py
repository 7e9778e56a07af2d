"""How the window stands with its keeper."""

from contextlib import AbstractAsyncContextManager
from enum import StrEnum
from typing import Protocol

from vigil.link.endpoint import Link


class LinkState(StrEnum):
    """STARTING while one is looked for, GONE when it died, LEFT when it left in good order."""

    STARTING = "starting"
    OPEN = "open"
    GONE = "gone"
    LEFT = "left"


class Connector(Protocol):
    """Finds, starts and opens a keeper."""

    async def ensure(self) -> None:
        """A keeper answers afterwards. Raises KeeperGone."""
        ...

    async def answers(self) -> bool:
        """Whether a keeper is there, without starting one."""
        ...

    def open(self) -> AbstractAsyncContextManager[Link]: ...
