"""What can be done with each kind of device by hand: the same list for window, command line and keeper."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class Takes(StrEnum):
    """What a value is."""

    NUMBER = "number"
    WHOLE = "whole number"
    TEXT = "name"
    SWITCH = "on or off"


@dataclass(frozen=True, slots=True)
class Value:
    """A value of an action; with a default it may be left out."""

    name: str
    takes: Takes
    unit: str = ""
    default: Any = None

    def read(self, text: str) -> Any:
        """The value behind what somebody typed. Raises ValueError with what would be right."""
        bare = text.strip()
        try:
            if self.takes is Takes.NUMBER:
                return float(bare.replace("−", "-"))
            if self.takes is Takes.WHOLE:
                return int(bare.replace("−", "-"))
            if self.takes is Takes.SWITCH:
                return {"on": True, "off": False, "yes": True, "no": False}[bare.casefold()]
        except (ValueError, KeyError):
            unit = f" ({self.unit})" if self.unit else ""
            raise ValueError(f"{self.name}: {text!r} is not a {self.takes.value}{unit}") from None
        if not bare:
            raise ValueError(f"{self.name}: a name is needed")
        return bare


@dataclass(frozen=True, slots=True)
class Action:
    """One thing that can be asked of a device by hand."""

    name: str
    words: str
    values: tuple[Value, ...] = ()

    @property
    def usage(self) -> str:
        """ "slew RA DEC"."""
        said = [v.name.upper() if v.default is None else f"[{v.name.upper()}]" for v in self.values]
        return " ".join([self.name, *said])


CONNECT, DISCONNECT = Action("connect", "connect"), Action("disconnect", "disconnect")
STOP_ALL = Action("stop", "stop everything at once")
READY = Action("ready", "connect all, cooling as soon as the camera is there")
_STOP = Action("stop", "stop")
_FRAMES = (
    Action(
        "take",
        "take one",
        (Value("exposure_s", Takes.NUMBER, "s"), Value("binning", Takes.WHOLE, "", 1)),
    ),
    Action(
        "loop",
        "loop",
        (Value("exposure_s", Takes.NUMBER, "s"), Value("binning", Takes.WHOLE, "", 1)),
    ),
    _STOP,
)
_SHUTTER = (Action("open", "open"), Action("close", "close"), _STOP)

ALL = "all"
"""Stands for every device of the rig in `connect`, `ready`, `disconnect` and `stop`."""

ACTIONS: dict[str, tuple[Action, ...]] = {
    "camera": (
        *_FRAMES,
        Action("cool", "cool to", (Value("set_point_c", Takes.NUMBER, "°C"),)),
        Action("warm", "warm up"),
    ),
    "guide camera": _FRAMES,
    "filter wheel": (Action("to", "turn to", (Value("filter", Takes.TEXT),)),),
    "focuser": (
        Action("to", "move to", (Value("position", Takes.WHOLE, "steps"),)),
        Action("by", "move by", (Value("steps", Takes.WHOLE, "steps"),)),
        _STOP,
    ),
    "mount": (
        Action("slew", "slew to", (Value("ra", Takes.TEXT), Value("dec", Takes.TEXT))),
        Action(
            "centre",
            "slew and centre",
            (Value("ra", Takes.TEXT), Value("dec", Takes.TEXT), Value("reach_px", Takes.NUMBER, "px", 4.0)),
        ),
        Action(
            "frame",
            "slew, turn and centre",
            (
                Value("ra", Takes.TEXT),
                Value("dec", Takes.TEXT),
                Value("angle_deg", Takes.NUMBER, "°"),
                Value("within_deg", Takes.NUMBER, "°", 1.5),
                Value("reach_px", Takes.NUMBER, "px", 4.0),
            ),
        ),
        Action("to", "go to", (Value("position", Takes.TEXT),)),
        Action(
            "nudge",
            "move a little",
            (
                Value("direction", Takes.TEXT, "north, south, east or west"),
                Value("rate", Takes.NUMBER, "× sidereal"),
                Value("seconds", Takes.NUMBER, "s", 1.0),
            ),
        ),
        Action("track", "track", (Value("on", Takes.SWITCH),)),
        Action("park", "park"),
        Action("unpark", "unpark"),
        _STOP,
    ),
    "rotator": (
        Action("to", "turn to", (Value("angle_deg", Takes.NUMBER, "°"),)),
        Action("by", "turn by", (Value("degrees", Takes.NUMBER, "°"),)),
        _STOP,
    ),
    "flat panel": (
        Action("on", "on"),
        Action("off", "off"),
        Action("level", "set its level", (Value("step", Takes.WHOLE),)),
    ),
    "cover": _SHUTTER,
    "roof": _SHUTTER,
    "weather station": (),
    "safety sensor": (),
    "heaters": (Action("level", "set", (Value("heater", Takes.TEXT), Value("percent", Takes.NUMBER, "%"))),),
    "power": (Action("switch", "switch", (Value("outlet", Takes.TEXT), Value("on", Takes.SWITCH))),),
}


class UnknownAction(ValueError):
    """No such action; the message says which there are."""


def actions_of(device: str) -> tuple[Action, ...]:
    """What can be asked of a device, connecting included. Raises UnknownAction for an unknown device."""
    if device == ALL:
        return CONNECT, READY, DISCONNECT, STOP_ALL
    if device not in ACTIONS:
        raise UnknownAction(f"there is no device called {device!r}; there are {', '.join(ACTIONS)}")
    return CONNECT, DISCONNECT, *ACTIONS[device]


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
