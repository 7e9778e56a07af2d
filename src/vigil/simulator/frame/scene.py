"""All that a frame depends on. Sizes in binned pixels where not said otherwise; frames are [row, column] with
row 0 at the bottom."""

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from vigil.simulator.above.light import Light
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site
from vigil.sky.tangent import project

Floats = NDArray[np.float64]
_LOWEST_DEG = 1.0


@dataclass(frozen=True, slots=True)
class Seen:
    """The air that a frame is seen through, and where in it the frame's centre stands: hour angle,
    declination and the rows' position angle as the site sees them, refraction and aberration included."""

    at: datetime
    site: Site
    hour_angle_deg: float
    dec_deg: float
    position_angle_deg: float


@dataclass(frozen=True, slots=True)
class Aim:
    """The frame's centre and the position angle of its rows' rising, ICRS. Without `seen` the sky is
    projected as it stands in the catalogue, without any air."""

    ra_deg: float
    dec_deg: float
    position_angle_deg: float
    seen: Seen | None = None


@dataclass(frozen=True, slots=True)
class Region:
    """A part of the frame, its lower left pixel counted in the whole one's."""

    left: int
    bottom: int
    columns: int
    rows: int


@dataclass(frozen=True, slots=True)
class Sensor:
    """What the pixels do. Figures of one unbinned pixel; `shape` is the whole frame's, binned."""

    shape: tuple[int, int]
    pixel_um: float
    binning: int
    electrons_per_adu: float
    bias_adu: float
    read_noise_e: float
    full_well_e: float
    full_scale_adu: int
    dark_e_s: float
    hot_share: float = 0.0
    hot_seed: int = 0
    noise: bool = True
    often: bool = False
    """Whether its frames come by the thousand, so that their noise is had more cheaply."""
    bayer: str | None = None
    """The colours of the lowest two rows, left to right; None for a mono sensor."""
    region: Region | None = None

    @property
    def whole(self) -> Region:
        rows, columns = self.shape
        return self.region or Region(0, 0, columns, rows)


@dataclass(frozen=True, slots=True)
class Blur:
    """What makes a star's image: the air's and the aperture's core (FWHM), the defocus of the field's
    centre with the sensor's tilt and the field's curvature, and the way that it walks during the exposure
    (pixels)."""

    fwhm_px: float
    beta: float = 4.0
    defocus_um: float = 0.0
    tilt_um: tuple[float, float] = (0.0, 0.0)
    curvature_um: float = 0.0
    focal_ratio: float = 6.0
    obstruction: float = 0.0
    walk_px: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Shade:
    """What keeps even light from falling evenly: vignetting, dust, and bands in short exposures."""

    vignetting: float = 0.0
    specks: int = 0
    seed: int = 0
    slot: int = 0
    shift_um: tuple[float, float] = (0.0, 0.0)
    bands: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Amplitude, period in rows, phase in radians of the light of one row against the next."""


@dataclass(frozen=True, slots=True)
class Sky:
    """What of the sky is drawn."""

    seed: int
    mag_arcsec2: float
    faint_to_mag: float | None = 16.0
    catalogue_errors: bool = True
    deep_sky: bool = False
    cloud_mag: float = 0.0
    cloud_drift: float = 0.0
    """How far the clouds' pattern has drifted, in frame widths."""
    dimmed: float = 1.0
    """Share of the light that dew leaves."""


@dataclass(frozen=True, slots=True)
class Scene:
    """`light` turns magnitudes into electrons; without a `sky` (shutter shut, cover or roof closed) only the
    panel's light and the sensor's own are there."""

    noise_key: tuple[int, str, int]
    aim: Aim
    scale_arcsec_px: float
    exposure_s: float
    light: Light
    sensor: Sensor
    blur: Blur
    shade: Shade = Shade()
    sky: Sky | None = None
    panel_e_s_px: float = 0.0
    """Of an evenly lit panel, in a binned pixel at the centre of the field."""


def to_pixels(ra_deg: Floats, dec_deg: Floats, scene: Scene) -> tuple[Floats, Floats, Floats]:
    """0-based (column, row) in the whole frame of ICRS directions, and the air mass there (0 without air)."""
    aim, seen = scene.aim, scene.aim.seen
    if seen is None:
        xi, eta = project(ra_deg, dec_deg, aim.ra_deg, aim.dec_deg)
        angle, mass = np.radians(aim.position_angle_deg), np.zeros_like(xi)
    else:
        there = observe(ra_deg, dec_deg, from_datetimes(seen.at), seen.site)
        # eastward is where hour angles fall
        xi, eta = project(-there.hour_angle_deg, there.dec_deg, -seen.hour_angle_deg, seen.dec_deg)
        angle = np.radians(seen.position_angle_deg)
        mass = air_mass(np.maximum(there.altitude_deg, _LOWEST_DEG))
    column, row = plane_to_pixels(xi, eta, angle, scene.scale_arcsec_px)
    rows, columns = scene.sensor.shape
    return column + (columns - 1) / 2, row + (rows - 1) / 2, np.asarray(mass)


def plane_to_pixels(
    xi_deg: Floats, eta_deg: Floats, angle_rad: float | Floats, scale_arcsec_px: float
) -> tuple[Floats, Floats]:
    """(column, row) from the frame's centre of tangent-plane coordinates: rows rise towards the position
    angle, columns 90° clockwise of that, as the sky is seen."""
    row = xi_deg * np.sin(angle_rad) + eta_deg * np.cos(angle_rad)
    column = -xi_deg * np.cos(angle_rad) + eta_deg * np.sin(angle_rad)
    return column * 3600 / scale_arcsec_px, row * 3600 / scale_arcsec_px


def radius_deg(scene: Scene) -> float:
    """Of the circle round the frame."""
    return float(np.hypot(*scene.sensor.shape)) / 2 * scene.scale_arcsec_px / 3600
