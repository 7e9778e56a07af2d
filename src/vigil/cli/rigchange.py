"""A rig changed from the command line: written, and told to its keeper."""

import asyncio
import sys
from pathlib import Path

from vigil.cli.files import my_rigs, own_folders
from vigil.documents.messages import Command
from vigil.documents.rig import Rig
from vigil.documents.store import save
from vigil.link.attach import command, keeper_status
from vigil.link.socket import SocketLink


def take_over(changed: Rig, path: Path) -> None:
    """What was measured becomes the rig's, and that is said."""
    said = keep_changed(changed, path)
    print(f"{changed.id}: taken over{f'; {said}' if said else ''}", file=sys.stderr)


def keep_changed(changed: Rig, path: Path) -> str:
    """Write it where it came from. Returns what a keeper that runs makes of the change; empty without one."""
    rigs = my_rigs()
    if rigs.lists(path):
        rigs.save(changed)  # an example becomes one's own by the first change
    else:
        save(changed, path)
    return _tell_keeper(changed)


def _tell_keeper(rig: Rig) -> str:
    folders = own_folders(rig)

    async def tell() -> str:
        if await keeper_status(folders) is None:
            return ""
        async with SocketLink(folders.socket_in_use) as link:
            return (await command(link, Command.RIG, rig=rig.model_dump(mode="json"))).reason

    return asyncio.run(tell())
