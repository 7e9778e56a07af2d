"""The line above which a site sees the sky."""

from dataclasses import dataclass

import numpy as np

from vigil.sky.instants import Floats


@dataclass(frozen=True, slots=True)
class Horizon:
    """Points (azimuth, altitude) in degrees with straight lines between them, azimuths rising, closed over
    north; never under `minimum_altitude_deg`. Without points the minimum alone."""

    points: tuple[tuple[float, float], ...] = ()
    minimum_altitude_deg: float = 0.0

    def altitude_deg(self, azimuth_deg: float | Floats) -> Floats:
        """How high the sky begins in directions (north 0°, east 90°), in the shape given."""
        azimuth = np.asarray(azimuth_deg, dtype=float)
        if not self.points:
            return np.full(azimuth.shape, self.minimum_altitude_deg)
        known = np.array(self.points, dtype=float)
        line = np.interp(azimuth, known[:, 0], known[:, 1], period=360.0)
        return np.asarray(np.maximum(line, self.minimum_altitude_deg))

    @property
    def highest_deg(self) -> float:
        """The highest point of the line."""
        return max([self.minimum_altitude_deg, *(altitude for _, altitude in self.points)])


def parse_horizon(text: str) -> list[tuple[float, float]]:
    """Points from plain text or CSV: azimuth and altitude a line, split by commas, semicolons or blanks.

    Lines that begin with # and a heading are left out; azimuths come in any order and up to 360. Raises
    ValueError with the line that can't be used.
    """
    points: dict[float, float] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        bare = line.split("#")[0].replace(",", " ").replace(";", " ").replace("\t", " ").strip()
        if not bare:
            continue
        try:
            azimuth, altitude = (float(piece) for piece in bare.split())
        except ValueError:
            if not points and not any(c.isdigit() for c in bare):
                continue  # a heading
            raise ValueError(f"line {number}: {line.strip()!r} is not an azimuth and an altitude") from None
        if not -360 <= azimuth <= 360:
            raise ValueError(f"line {number}: azimuth {azimuth:g}° must be between 0 and 360")
        if not -5 <= altitude <= 90:
            raise ValueError(f"line {number}: altitude {altitude:g}° must be between −5 and 90")
        points[azimuth % 360] = altitude
    if not points:
        raise ValueError("no line with an azimuth and an altitude was found")
    return sorted(points.items())
