"""What can be done with each kind of device by hand: the same for window, command line and keeper."""

from typing import Any

from vigil.documents.actions import Action
from vigil.documents.devicekinds import DEVICE_KINDS

CONNECT, DISCONNECT = Action("connect", "connect"), Action("disconnect", "disconnect")
STOP_ALL = Action("stop", "stop everything at once")
READY = Action("ready", "connect all, cooling as soon as the camera is there")

ALL = "all"
"""Stands for every device of the rig in `connect`, `ready`, `disconnect` and `stop`."""


class UnknownAction(ValueError):
    """No such action; the message says which there are."""


def actions_of(device: str) -> tuple[Action, ...]:
    """What can be asked of a device, connecting included. Raises UnknownAction for an unknown device."""
    if device == ALL:
        return CONNECT, READY, DISCONNECT, STOP_ALL
    if device not in DEVICE_KINDS:
        raise UnknownAction(f"there is no device called {device!r}; there are {', '.join(DEVICE_KINDS)}")
    return CONNECT, DISCONNECT, *DEVICE_KINDS[device].actions


def find_action(device: str, name: str) -> Action:
    """An action of a device. Raises UnknownAction."""
    for action in actions_of(device):
        if action.name == name:
            return action
    usages = "; ".join(action.usage for action in actions_of(device))
    raise UnknownAction(f"{device}: nothing is called {name!r}; there is {usages}")


def read_values(device: str, action: Action, given: list[str]) -> dict[str, Any]:
    """The values behind words on a command line. Raises UnknownAction or ValueError."""
    needed = sum(1 for value in action.values if value.default is None)
    if not needed <= len(given) <= len(action.values):
        raise UnknownAction(f"{device} {action.usage}: {len(given)} values given")
    found = {value.name: value.read(text) for value, text in zip(action.values, given, strict=False)}
    return {**{v.name: v.default for v in action.values if v.default is not None}, **found}
