"""What devices can be asked by name, from the command bar: all that needs no value."""

from collections.abc import Callable
from functools import partial

from vigil.documents.hand import CONNECT, DISCONNECT, actions_of
from vigil.ui.actions import Action
from vigil.ui.rig.hand import hindrance
from vigil.ui.rig.parts import parts_of
from vigil.ui.session import Session


def device_commands(session: Session, do: Callable[[str, str], None]) -> list[Action]:
    """Of the rig's devices, one after the other; `do` takes the part's key and the action's name."""
    return [
        Action(
            f"{part.device.capitalize()}: {action.words}",
            partial(do, part.key, action.name),
            hindrance=partial(hindrance, session, part.device, action.name),
        )
        for part in parts_of(session.rig)
        if part.device
        for action in actions_of(part.device)
        if not action.values and action not in (CONNECT, DISCONNECT)
    ]
