"""The plane that a chart is drawn on: stereographic, so that shapes stay true from ten arc-minutes to the
whole sky; with its rotation, its size in pixels, and the way back."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats
from vigil.sky.tangent import deproject

# beyond this from the middle nothing is drawn: it would lie far outside any window
_FARTHEST_DEG = 160.0
_STEP_DEG = 0.001


@dataclass(frozen=True, slots=True)
class ChartPlane:
    """A chart of `width_px` × `height_px` about a direction. `height_deg` is the angle from the bottom's
    middle to the top's; `up_deg` the position angle that points up (0: north up). East is to the left, as
    one looks at the sky. Chart pixels count from the top left corner, rows downward."""

    ra_deg: float
    dec_deg: float
    height_deg: float
    up_deg: float
    width_px: int
    height_px: int

    @property
    def scale_px(self) -> float:
        """Pixels a unit of the plane, which is two half-angle tangents across the height."""
        return float(self.height_px / (4 * np.tan(np.radians(min(self.height_deg, 350.0)) / 4)))

    @property
    def px_per_deg(self) -> float:
        """At the middle."""
        return float(self.scale_px * np.radians(1.0))

    @property
    def radius_deg(self) -> float:
        """From the middle to a corner."""
        half_px = float(np.hypot(self.width_px, self.height_px)) / 2
        return float(min(180.0, 2 * np.degrees(np.arctan(half_px / self.scale_px / 2))))

    def place(
        self, ra_deg: float | Floats, dec_deg: float | Floats, farthest_deg: float = _FARTHEST_DEG
    ) -> tuple[Floats, Floats]:
        """Chart pixels (x, y) of ICRS directions; NaN for what lies farther from the middle."""
        ra = np.radians(np.subtract(ra_deg, self.ra_deg))
        dec, dec0 = np.radians(dec_deg), np.radians(self.dec_deg)
        cos = np.sin(dec0) * np.sin(dec) + np.cos(dec0) * np.cos(dec) * np.cos(ra)
        seen = cos > np.cos(np.radians(farthest_deg))
        depth = np.where(seen, 1 + cos, np.nan)
        east = 2 * np.cos(dec) * np.sin(ra) / depth
        north = 2 * (np.cos(dec0) * np.sin(dec) - np.sin(dec0) * np.cos(dec) * np.cos(ra)) / depth
        turn = np.radians(self.up_deg)
        right = -east * np.cos(turn) + north * np.sin(turn)
        up = east * np.sin(turn) + north * np.cos(turn)
        return self.width_px / 2 + right * self.scale_px, self.height_px / 2 - up * self.scale_px

    def sky(self, x_px: float | Floats, y_px: float | Floats) -> tuple[Floats, Floats]:
        """ICRS degrees of chart pixels: the inverse of `place`."""
        right = (np.asarray(x_px, dtype=float) - self.width_px / 2) / self.scale_px
        up = (self.height_px / 2 - np.asarray(y_px, dtype=float)) / self.scale_px
        turn = np.radians(self.up_deg)
        east, north = -right * np.cos(turn) + up * np.sin(turn), right * np.sin(turn) + up * np.cos(turn)
        square = (east**2 + north**2) / 4
        x, y, z = east / (1 + square), north / (1 + square), (1 - square) / (1 + square)
        dec0 = np.radians(self.dec_deg)
        across, over = z * np.cos(dec0) - y * np.sin(dec0), z * np.sin(dec0) + y * np.cos(dec0)
        ra = self.ra_deg + np.degrees(np.arctan2(x, across))
        return np.asarray(ra % 360), np.degrees(np.arcsin(np.clip(over, -1, 1)))

    def inside(self, x_px: Floats, y_px: Floats, margin_px: float = 0.0) -> NDArray[np.bool_]:
        """Which places are on the chart."""
        return np.asarray(
            (x_px > -margin_px)
            & (x_px < self.width_px + margin_px)
            & (y_px > -margin_px)
            & (y_px < self.height_px + margin_px)
        )

    def angle_on_chart_deg(self, ra_deg: float, dec_deg: float, position_angle_deg: float) -> float:
        """How a position angle at a direction stands on the chart: clockwise from up, degrees."""
        turn = np.radians(position_angle_deg)
        steps = np.array([0.0, _STEP_DEG])
        x, y = self.place(*deproject(steps * np.sin(turn), steps * np.cos(turn), ra_deg, dec_deg))
        return float(np.degrees(np.arctan2(x[1] - x[0], y[0] - y[1])) % 360)
