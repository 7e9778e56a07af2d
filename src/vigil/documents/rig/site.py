"""Where the rig stands, and what hides its sky."""

from itertools import pairwise
from typing import Annotated

from pydantic import Field, field_validator

from vigil.documents.rig.part import Name, Part, Shown
from vigil.sky.horizon import Horizon
from vigil.sky.site import Site, standard_pressure_hpa


class HorizonPoint(Part):
    """How high the sky begins in a direction."""

    azimuth_deg: Annotated[float, Field(ge=0, lt=360), Shown("azimuth", "°")]
    altitude_deg: Annotated[float, Field(ge=-5, le=90), Shown("altitude", "°")]


class SitePart(Part):
    """Where the rig stands; `time_zone` is an IANA name, used for display and for the night's date."""

    name: Name
    latitude_deg: Annotated[float, Field(ge=-90, le=90), Shown("latitude", "°", help="north positive")]
    longitude_deg: Annotated[float, Field(ge=-180, le=180), Shown("longitude", "°", help="east positive")]
    height_m: Annotated[float, Field(ge=-500, le=9000), Shown("height", "m")] = 0.0
    time_zone: Annotated[str, Shown("time zone")] = "UTC"
    minimum_altitude_deg: Annotated[float, Field(ge=0, lt=90), Shown("lowest altitude", "°")] = 20.0
    horizon: Annotated[list[HorizonPoint], Shown("horizon")] = []  # noqa: RUF012

    @field_validator("time_zone")
    @classmethod
    def _known(cls, name: str) -> str:
        from zoneinfo import ZoneInfo

        try:
            ZoneInfo(name)
        except (KeyError, ValueError, OSError):
            raise ValueError("not a time zone; write it as Europe/Vienna or UTC") from None
        return name

    @field_validator("horizon")
    @classmethod
    def _in_order(cls, points: list[HorizonPoint]) -> list[HorizonPoint]:
        ordered = sorted(points, key=lambda p: p.azimuth_deg)
        for one, next_one in pairwise(ordered):
            if one.azimuth_deg == next_one.azimuth_deg:
                raise ValueError(f"azimuth {one.azimuth_deg:g}° stands twice")
        return ordered

    def place(self) -> Site:
        """The site with the standard atmosphere's pressure, for refraction."""
        pressure = standard_pressure_hpa(self.height_m)
        return Site(self.latitude_deg, self.longitude_deg, self.height_m, pressure)

    def sky_line(self, at_least_deg: float = 0.0) -> Horizon:
        """Horizon and minimum altitude together, and a further limit where one is given."""
        points = tuple((p.azimuth_deg, p.altitude_deg) for p in self.horizon)
        return Horizon(points, max(self.minimum_altitude_deg, at_least_deg))

    def sky_line_alone(self) -> Horizon:
        """The horizon as it is, without the altitude under which nothing is taken."""
        return Horizon(tuple((p.azimuth_deg, p.altitude_deg) for p in self.horizon), -90.0)
