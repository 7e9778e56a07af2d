"""Finding the rig's keeper, or starting one."""

import asyncio
import os
import subprocess
import sys
import uuid
from typing import Any

from vigil.documents.messages import Answer, Ask, Command, Status
from vigil.documents.night import UNDER_WAY
from vigil.link.endpoint import KeeperGone, Link
from vigil.link.socket import SocketLink
from vigil.runtime.folders import Folders

_START_LIMIT_S = 60.0
_LEAVE_LIMIT_S = 20.0
_LOOK_EVERY_S = 0.1
_UNGUARDED = "VIGIL_UNGUARDED"
"""Set, a keeper that dies stays dead: for tests of just that."""


def guarded() -> bool:
    """Whether a keeper that is started here is started again by itself when it dies."""
    return not os.environ.get(_UNGUARDED)


async def command(link: Link, what: Command, **values: Any) -> Answer:
    """Ask the keeper for something."""
    return await link.ask(Ask(id=uuid.uuid4().hex, command=what, values=values))


async def keeper_status(folders: Folders) -> Status | None:
    """What the rig's keeper says; None when none answers."""
    socket = folders.socket_in_use
    if not socket.exists():
        return None
    try:
        async with SocketLink(socket) as link:
            return await link.status()
    except KeeperGone:
        return None


def under_way(status: Status) -> bool:
    """Whether a night is."""
    return status.run in UNDER_WAY


async def retire_idle_keeper(folders: Folders) -> None:
    """Let a keeper leave that has nothing to do: it may have another pace or seed than is wanted now."""
    async with SocketLink(folders.socket_in_use) as link:
        await command(link, Command.RETIRE)
    waited_s = 0.0
    while await keeper_status(folders) is not None and waited_s < _LEAVE_LIMIT_S:
        await asyncio.sleep(_LOOK_EVERY_S)
        waited_s += _LOOK_EVERY_S


def _spawn(rig: str, folders: Folders, words: list[str]) -> "subprocess.Popen[bytes]":
    """A keeper in a session of its own, which outlives this one."""
    guard = ["--guarded"] if guarded() else []
    arguments = [sys.executable, "-m", "vigil", "keep", "--rig", rig, *guard, *words]
    if folders.log.exists() and folders.log.stat().st_size > 0:  # what a dead one said last may be wanted
        folders.log.replace(folders.log.with_name(folders.log.name + ".previous"))
    with folders.log.open("wb") as log:
        return subprocess.Popen(
            arguments,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
            env={**os.environ, "PYTHONUNBUFFERED": "1"},
        )


async def start_keeper(rig: str, folders: Folders, words: list[str]) -> None:
    """Start a keeper, its command line's further words being given, and wait until it answers. Raises
    KeeperGone with its words."""
    process = _spawn(rig, folders, words)
    waited_s = 0.0
    while waited_s < _START_LIMIT_S:
        if await keeper_status(folders) is not None:
            return
        if process.poll() is not None:
            said = folders.log.read_text(errors="replace").strip().splitlines()
            raise KeeperGone(f"the keeper did not start: {said[-1] if said else 'it said nothing'}")
        await asyncio.sleep(_LOOK_EVERY_S)
        waited_s += _LOOK_EVERY_S
    process.terminate()
    raise KeeperGone(f"the keeper did not answer within {_START_LIMIT_S:.0f} s; its log is {folders.log}")


class RigKeeper:
    """A rig's keeper as a window needs it: found, started where there is none, opened."""

    def __init__(self, rig: str, folders: Folders, words: list[str]) -> None:
        """`rig` and `words` as `vigil keep --rig` understands them."""
        self._rig = rig
        self._folders = folders
        self._words = words

    async def ensure(self) -> None:
        """A keeper answers afterwards. Raises KeeperGone."""
        if await keeper_status(self._folders) is None:
            await start_keeper(self._rig, self._folders, self._words)

    async def answers(self) -> bool:
        return await keeper_status(self._folders) is not None

    def open(self) -> SocketLink:
        return SocketLink(self._folders.socket_in_use)
