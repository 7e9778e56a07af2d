"""Where the observer stands, and the air above."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Site:
    """A place on the Earth (WGS 84) with the air used for refraction.

    `longitude_deg` counts east. A `pressure_hpa` of 0 leaves refraction out.
    """

    latitude_deg: float
    longitude_deg: float
    height_m: float = 0.0
    pressure_hpa: float = 0.0
    temperature_c: float = 10.0
    relative_humidity: float = 0.5
    wavelength_um: float = 0.55

    def __post_init__(self) -> None:
        if not -90 <= self.latitude_deg <= 90:
            raise ValueError(f"latitude {self.latitude_deg}° is outside −90…90")
        if not -180 <= self.longitude_deg <= 360:
            raise ValueError(f"longitude {self.longitude_deg}° is outside −180…360 (east positive)")

    def airless(self) -> "Site":
        """The same place without refraction."""
        return Site(self.latitude_deg, self.longitude_deg, self.height_m)


def standard_pressure_hpa(height_m: float) -> float:
    """Mean air pressure at a height: the ICAO standard atmosphere, valid below 11 km."""
    return float(1013.25 * (1 - 2.25577e-5 * height_m) ** 5.25588)
