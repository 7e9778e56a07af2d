"""The mount and the rotator."""

import re
from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.rig.part import Name, NotNegative, Part, Positive, Shown

MINUTES_PER_DEGREE = 4.0
"""A degree of hour angle passes in four sidereal minutes."""


_HOUR_ANGLE = re.compile(r"^([+-]?[\d.]+)\s*(min|m|°|deg|d|h)?\s*(?:([\d.]+)\s*m?)?$")


def hour_angle_min(text: str) -> float:
    """Minutes from "5 min", "1.25°", "0.2 h", "0h05m"; a bare number is minutes. Raises ValueError."""
    found = _HOUR_ANGLE.match(text.replace("after", "").strip().replace(",", "."))
    if found is None:
        raise ValueError(f"{text!r} is no hour angle: write 5 min, 1.25° or 0h05m")
    value, unit, rest = float(found[1]), found[2] or "min", float(found[3] or 0)
    if unit == "h":
        return (abs(value) * 60 + rest) * (-1 if found[1].startswith("-") else 1)
    return value * MINUTES_PER_DEGREE if unit in ("°", "deg", "d") else value


def hour_angle_deg(minutes: float) -> float:
    """The angle that the sky turns by in sidereal minutes."""
    return minutes / MINUTES_PER_DEGREE


class FlipWindow(Part):
    """When the meridian flip may be made, in minutes of hour angle after the meridian (before: negative)."""

    earliest_min: Annotated[float, Field(ge=-360, le=360), Shown("earliest", "min after")] = 5.0
    latest_min: Annotated[
        Annotated[float, Field(ge=-360, le=360)] | None,
        Shown("latest", "min after", help="empty: the mount can go on to any hour angle"),
    ] = None
    preferred_min: Annotated[
        Annotated[float, Field(ge=-360, le=360)] | None,
        Shown("preferred", "min after", safe=True, help="empty: as early as may be"),
    ] = None
    buffer_min: Annotated[NotNegative, Shown("buffer", "min", safe=True)] = 2.0

    def narrower_than(self, other: "FlipWindow") -> bool:
        """Whether every moment allowed here is allowed by `other` too."""
        late = float("inf")
        ends = (
            (self.latest_min if self.latest_min is not None else late),
            (other.latest_min if other.latest_min is not None else late),
        )
        return self.earliest_min >= other.earliest_min and ends[0] <= ends[1]


class StoredPosition(Part):
    """A position of the mount by hour angle and declination, as it stands whatever the time."""

    name: Name
    hour_angle_deg: Annotated[float, Field(ge=-180, le=180), Shown("hour angle", "°")]
    dec_deg: Annotated[float, Field(ge=-90, le=90), Shown("declination", "°")]


class MountPart(Part):
    """The mount."""

    name: Name
    kind: Annotated[Literal["german", "fork", "alt-azimuth"], Shown("kind")] = "german"
    slew_deg_s: Annotated[Positive, Shown("slews at", "°/s")] = 3.0
    settle_s: Annotated[NotNegative, Shown("settles in", "s", safe=True)] = 4.0
    hand_rates: Annotated[
        list[Positive],
        Field(min_length=1, max_length=8),
        Shown("by hand", "×", safe=True, help="rates of small moves, times sidereal"),
    ] = [0.5, 8.0, 64.0]  # noqa: RUF012
    guide_rate: Annotated[float, Field(gt=0, le=1), Shown("guide rate", "×", help="times sidereal")] = 0.5
    corrections: Annotated[Literal["mount", "guide camera's port"], Shown("corrections")] = "mount"
    centres_by: Annotated[
        Literal["offset", "synchronising"],
        Shown("centres by", safe=True, help="aiming beside the error, or telling the mount where it looks"),
    ] = "offset"
    reports_pier_side: Annotated[bool, Shown("tells pier side")] = True
    lowest_altitude_deg: Annotated[float, Field(ge=-10, lt=90), Shown("lowest", "°")] = 5.0
    highest_altitude_deg: Annotated[float, Field(gt=0, le=90), Shown("highest", "°")] = 90.0
    flip: Annotated[FlipWindow | None, Shown("flip window")] = None
    flip_other_side: Annotated[
        FlipWindow | None, Shown("flip from the east side", help="tube east of the pier; empty: the same")
    ] = None
    between_targets: Annotated[
        Literal["stands still", "parks"],
        Shown("between targets", safe=True, help="what it does while nobody wants it for more than 10 min"),
    ] = "stands still"
    positions: Annotated[list[StoredPosition], Shown("stored positions")] = []  # noqa: RUF012
    park: Annotated[str | None, Shown("park at", help="empty: the mount's own park position")] = None

    @model_validator(mode="after")
    def _consistent(self) -> "MountPart":
        names = [p.name for p in self.positions]
        if self.park is not None and self.park not in names:
            known = ", ".join(names) or "none"
            raise ValueError(f"no stored position is called {self.park!r}; there are: {known}")
        return self

    def position(self, name: str) -> StoredPosition:
        """A stored position. Raises KeyError with those there are."""
        for stored in self.positions:
            if stored.name == name:
                return stored
        raise KeyError(
            f"no stored position is called {name!r}; there are: "
            f"{', '.join(p.name for p in self.positions) or 'none'}"
        )


class RotatorPart(Part):
    """Turns the camera, by motor or by a person."""

    name: Name
    by: Annotated[Literal["motor", "hand"], Shown("turned by")] = "motor"
    lowest_deg: Annotated[float, Field(ge=-360, le=360), Shown("lowest", "°")] = 0.0
    highest_deg: Annotated[float, Field(ge=-360, le=720), Shown("highest", "°")] = 360.0
    reversed: Annotated[bool, Shown("counts the other way")] = False
    settle_s: Annotated[NotNegative, Shown("settles in", "s", safe=True)] = 1.0

    @model_validator(mode="after")
    def _range(self) -> "RotatorPart":
        if self.lowest_deg >= self.highest_deg:
            raise ValueError(f"the lowest angle {self.lowest_deg:g}° must be under {self.highest_deg:g}°")
        return self
