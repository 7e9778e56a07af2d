"""What can be asked of a device by hand: an action, and the values that it takes."""

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
