"""What stands beside the train: flat panel, cover, roof, weather, safety, heaters, power."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vigil.documents.rig.part import Name, NotNegative, Part, Percent, Positive, Shown


class FlatPanelPart(Part):
    """A light source for flats. `levels` is its brightest step; 0 for one that is on or off."""

    name: Name
    levels: Annotated[int, Field(ge=0, le=65535), Shown("brightest step", help="0: on or off only")] = 255
    lowest_level: Annotated[int, Field(ge=0), Shown("use from", "step", safe=True)] = 1
    highest_level: Annotated[
        Annotated[int, Field(ge=1)] | None, Shown("use up to", "step", safe=True, help="empty: the brightest")
    ] = None
    dimmed_by: Annotated[Literal["computer", "person"], Shown("dimmed by")] = "computer"
    placed: Annotated[Literal["fixed", "by hand"], Shown("stands")] = "fixed"
    shortest_exposure_s: Annotated[
        NotNegative, Shown("shortest exposure", "s", safe=True, help="the shortest clean flat")
    ] = 0.5
    position: Annotated[
        str | None, Shown("looked at from", help="a stored position of the mount; empty: parked")
    ] = None

    @property
    def top(self) -> int:
        """The highest step in use."""
        return self.highest_level if self.highest_level is not None else max(1, self.levels)


class CoverPart(Part):
    """A motorised cover on the telescope."""

    name: Name
    moves_in_s: Annotated[Positive, Shown("opens in", "s", safe=True)] = 8.0


class RoofPart(Part):
    """A roof or dome shutter."""

    name: Name
    moves_in_s: Annotated[Positive, Shown("opens in", "s", safe=True)] = 30.0
    clears_telescope: Annotated[
        bool, Shown("clears the telescope", help="may close whatever the telescope's position")
    ] = False


class WeatherPart(Part):
    """A weather station and the limits beyond which it is unsafe; an empty limit is not watched."""

    name: Name
    wind_limit_m_s: Annotated[Positive | None, Shown("wind up to", "m/s", safe=True)] = 10.0
    humidity_limit_percent: Annotated[Percent | None, Shown("humidity up to", "%", safe=True)] = 92.0
    cloud_limit_percent: Annotated[Percent | None, Shown("cloud up to", "%", safe=True)] = 60.0
    resumes_at_percent: Annotated[
        Annotated[float, Field(gt=0, le=100)],
        Shown("resumes at", "%", safe=True, help="of each limit: better than what ended the exposures"),
    ] = 90.0
    stale_after_s: Annotated[Positive, Shown("stale after", "s", safe=True)] = 120.0


class SafetyPart(Part):
    """A sensor that says safe or unsafe."""

    name: Name
    stale_after_s: Annotated[Positive, Shown("stale after", "s", safe=True)] = 60.0


class Heater(Part):
    """One dew heater."""

    name: Name
    level_percent: Annotated[Percent, Shown("level", "%", safe=True)] = 40.0


class HeatersPart(Part):
    """Dew heaters on one controller."""

    name: Name
    outputs: Annotated[list[Heater], Field(min_length=1, max_length=8), Shown("heaters")]


Fed = Literal["camera", "focuser", "mount", "filter wheel", "guider", "rotator", "heaters", "flat panel"]


class Outlet(Part):
    """One switched outlet, and what hangs on it."""

    name: Name
    feeds: Annotated[Fed | None, Shown("feeds")] = None
    on_at_start: Annotated[bool, Shown("on at the start", safe=True)] = True


class PowerPart(Part):
    """A power box."""

    name: Name
    outlets: Annotated[list[Outlet], Field(min_length=1, max_length=16), Shown("outlets")]

    @model_validator(mode="after")
    def _names(self) -> "PowerPart":
        names = [o.name for o in self.outlets]
        if len(set(names)) != len(names):
            raise ValueError("each outlet needs a name of its own")
        return self
