"""The kinds of devices: what everybody has to know of one, in one table."""

from collections.abc import Callable
from dataclasses import dataclass

from vigil.documents.actions import Action, Takes, Value

_CABLE = "its power and its cable"
_LINE = "its supply and its network or serial line"


@dataclass(frozen=True, slots=True)
class DeviceKind:
    """`name` is what people call it, `part` the field of the rig document, and of
    devices.protocols.Devices, that it stands in."""

    name: str
    part: str
    check_first: str
    """What to look at when it can't be reached or stops answering."""
    actions: tuple[Action, ...] = ()
    """What can be asked of it by hand, connecting apart."""
    field: str = ""
    """In Devices, where it isn't called like the part."""
    short: str = ""
    """For its lamp, where the name is too long."""
    lamp_always: bool = False
    """Whether its lamp stands in the status line whatever it does."""
    needed: bool = True
    """Whether a night waits for it; it goes on without the others."""
    guarded: bool = False
    """Whether guards can't do without it: lost, it is looked for again and again."""
    senses_safety: bool = False
    """Whether it says that the sky is safe."""
    moves: bool = False
    """Whether it moves something: then the emergency stop holds it."""
    restless: bool = False
    """Whether it is read every second: safety hangs on it."""

    @property
    def attribute(self) -> str:
        return self.field or self.part

    @property
    def stops(self) -> bool:
        """Whether what it moves can be stopped."""
        return self.moves and any(action.name == "stop" for action in self.actions)


_STOP = Action("stop", "stop")
_FRAMES = (
    Action(
        "take",
        "take one",
        (Value("exposure_s", Takes.NUMBER, "s"), Value("binning", Takes.WHOLE, "×", 1)),
    ),
    Action(
        "loop",
        "loop",
        (Value("exposure_s", Takes.NUMBER, "s"), Value("binning", Takes.WHOLE, "×", 1)),
    ),
    _STOP,
)
_SHUTTER = (Action("open", "open"), Action("close", "close"), _STOP)
_KINDS = (
    DeviceKind(
        "camera",
        "camera",
        f"{_CABLE}; a camera hanging on the rig's USB hub needs the hub's own supply",
        lamp_always=True,
        actions=(
            *_FRAMES,
            Action("cool", "cool to", (Value("set_point_c", Takes.NUMBER, "°C"),)),
            Action("warm", "warm up"),
        ),
    ),
    DeviceKind(
        "filter wheel",
        "wheel",
        f"{_CABLE}, and whether it turned when it was switched on",
        short="filters",
        lamp_always=True,
        moves=True,
        actions=(Action("to", "turn to", (Value("filter", Takes.TEXT),)),),
    ),
    DeviceKind(
        "focuser",
        "focuser",
        f"{_CABLE}, and whether the drawtube's lock screw is loose",
        lamp_always=True,
        moves=True,
        actions=(
            Action("to", "move to", (Value("position", Takes.WHOLE, "steps"),)),
            Action("by", "move by", (Value("steps", Takes.WHOLE, "steps"),)),
            _STOP,
        ),
    ),
    DeviceKind(
        "mount",
        "mount",
        f"{_CABLE}, and whether another program holds its port",
        lamp_always=True,
        guarded=True,
        restless=True,
        moves=True,
        actions=(
            Action("slew", "go to", (Value("ra", Takes.TEXT), Value("dec", Takes.TEXT))),
            Action(
                "centre",
                "centre on",
                (
                    Value("ra", Takes.TEXT),
                    Value("dec", Takes.TEXT),
                    Value("reach_px", Takes.NUMBER, "px", 4.0),
                ),
            ),
            Action(
                "frame",
                "frame",
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
    ),
    DeviceKind(
        "rotator",
        "rotator",
        f"{_CABLE}, and whether cables wind up round the camera",
        needed=False,
        moves=True,
        actions=(
            Action("to", "turn to", (Value("angle_deg", Takes.NUMBER, "°"),)),
            Action("by", "turn by", (Value("degrees", Takes.NUMBER, "°"),)),
            _STOP,
        ),
    ),
    DeviceKind(
        "guide camera",
        "guider",
        f"{_CABLE}; long USB cables fail in the cold",
        field="guide_camera",
        short="guider",
        lamp_always=True,
        needed=False,
        actions=_FRAMES,
    ),
    DeviceKind(
        "flat panel",
        "panel",
        f"{_CABLE}, and whether its switch is on",
        needed=False,
        actions=(
            Action("on", "on"),
            Action("off", "off"),
            Action("level", "set its level", (Value("step", Takes.WHOLE),)),
        ),
    ),
    DeviceKind(
        "cover",
        "cover",
        f"{_CABLE}, and whether it is frozen shut",
        guarded=True,
        moves=True,
        actions=_SHUTTER,
    ),
    DeviceKind(
        "roof",
        "roof",
        "its controller's supply, and whether its hand switch stands on remote",
        guarded=True,
        restless=True,
        moves=True,
        actions=_SHUTTER,
    ),
    DeviceKind("weather station", "weather", _LINE, guarded=True, senses_safety=True, restless=True),
    DeviceKind("safety sensor", "safety", _LINE, guarded=True, senses_safety=True, restless=True),
    DeviceKind(
        "heaters",
        "heaters",
        "the controller's supply and cable",
        needed=False,
        actions=(Action("level", "set", (Value("heater", Takes.TEXT), Value("percent", Takes.NUMBER, "%"))),),
    ),
    DeviceKind(
        "power",
        "power",
        "the power box's own supply and cable",
        needed=False,
        actions=(Action("switch", "switch", (Value("outlet", Takes.TEXT), Value("on", Takes.SWITCH))),),
    ),
)
DEVICE_KINDS: dict[str, DeviceKind] = {kind.name: kind for kind in _KINDS}
"""By name, in the order in which they are shown."""


def names_of(which: Callable[[DeviceKind], bool]) -> tuple[str, ...]:
    """The names of those kinds that `which` says."""
    return tuple(kind.name for kind in DEVICE_KINDS.values() if which(kind))


def name_of_part(part: str) -> str:
    """Of the device that a part of the rig is; empty for a part that is none."""
    return next((kind.name for kind in DEVICE_KINDS.values() if kind.part == part), "")
