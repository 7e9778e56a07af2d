"""What goes wrong, by time or by chance."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.rig.part import Part, Positive, Shown


class FaultKind(StrEnum):
    """Each kind says for which devices it is."""

    DISCONNECTS = "disconnects"
    TIMES_OUT = "times out"
    THROWS = "throws anything"
    FRAME_LOST = "frame never arrives"
    FRAME_TORN = "frame arrives torn"
    SLEW_REFUSED = "slew refused"
    STAYS = "stays on its side"
    COOLER_WEAK = "cooler can't hold"
    WHEEL_JAMS = "wheel jams"
    FOCUSER_STALLS = "focuser stalls"
    STALE = "weather stands still"
    FLICKERS = "flickers"
    CANT_END = "can't end a frame"
    MOVES = "moves by itself"
    DISK_FULL = "disk full"
    DISK_GONE = "disk vanished"


CAMERAS = ("camera", "guide camera")
DEVICES_OF: dict[FaultKind, tuple[str, ...]] = {
    FaultKind.DISCONNECTS: tuple(DEVICE_KINDS),
    FaultKind.TIMES_OUT: tuple(DEVICE_KINDS),
    FaultKind.THROWS: tuple(DEVICE_KINDS),
    FaultKind.FRAME_LOST: CAMERAS,
    FaultKind.FRAME_TORN: CAMERAS,
    FaultKind.SLEW_REFUSED: ("mount",),
    FaultKind.STAYS: ("mount",),
    FaultKind.COOLER_WEAK: ("camera",),
    FaultKind.WHEEL_JAMS: ("filter wheel",),
    FaultKind.FOCUSER_STALLS: ("focuser",),
    FaultKind.STALE: ("weather station", "safety sensor"),
    FaultKind.FLICKERS: ("safety sensor",),
    FaultKind.CANT_END: ("camera",),
    FaultKind.MOVES: ("mount", "focuser", "filter wheel"),
    FaultKind.DISK_FULL: (),
    FaultKind.DISK_GONE: (),
}
"""The devices that a fault can befall; none where it is the computer's."""

_AT_ONCE = (FaultKind.DISCONNECTS, FaultKind.MOVES)


class Fault(Part):
    """Begins at a time, or at any time by chance, and lasts; `moves by itself` and `disconnects` with 0
    minutes happen once."""

    kind: Annotated[FaultKind, Shown("fault")]
    device: Annotated[str | None, Shown("device", help="empty: the kind's usual one")] = None
    at_min: Annotated[
        Annotated[float, Field(ge=-1440, le=2880)] | None,
        Shown("at", "min", help="from the evening's beginning; empty: by chance"),
    ] = None
    per_hour: Annotated[Positive | None, Shown("by chance", "/h", help="times an hour, on average")] = None
    minutes: Annotated[float, Field(ge=0, le=2880), Shown("for", "min")] = 10.0
    share: Annotated[
        float, Field(gt=0, le=1), Shown("share of calls", help="that it befalls while it lasts")
    ] = 1.0
    amount: Annotated[
        float,
        Shown(
            "by",
            help="moves: arc-minutes, steps or slots; cooler: °C below the air that it still reaches; "
            "flickers: seconds from yes to no",
        ),
    ] = 20.0

    @model_validator(mode="after")
    def _consistent(self) -> "Fault":
        if (self.at_min is None) == (self.per_hour is None):
            raise ValueError(f"{self.kind}: say either when (at_min) or how often (per_hour)")
        known = DEVICES_OF[self.kind]
        if self.device is not None and self.device not in known:
            raise ValueError(
                f"{self.kind} can't befall {self.device!r}; "
                + (
                    f"it befalls {', '.join(known)}"
                    if known
                    else "it is the computer's: leave the device out"
                )
            )
        return self

    @property
    def befalls(self) -> str | None:
        """The device; None for the computer's disk."""
        known = DEVICES_OF[self.kind]
        return self.device or (known[0] if known else None)

    @property
    def once(self) -> bool:
        """Whether it is a moment rather than a while."""
        return self.kind in _AT_ONCE and (self.kind is FaultKind.MOVES or self.minutes == 0)

    @property
    def words(self) -> str:
        """ "the mount: slew refused, at 120 min for 10 min"."""
        when = f"at {self.at_min:g} min" if self.at_min is not None else f"{self.per_hour:g} times an hour"
        lasts = "" if self.once else f" for {self.minutes:g} min"
        return f"{self.befalls or 'the disk'}: {self.kind}, {when}{lasts}"
