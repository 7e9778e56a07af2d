"""Quick measurements, for rehearsals: a frame without pixels keeps what it would have been drawn from, and
its figures and its solution follow from that, with the noise that measuring pixels has."""

import math
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vigil.imaging.doughnuts import Doughnuts
from vigil.imaging.figures import FrameFigures
from vigil.imaging.focusframe import FocusFrame
from vigil.imaging.onestar import OneStar
from vigil.imaging.richestpart import Region
from vigil.imaging.sharpness import Sharpness
from vigil.imaging.spikes import MaskReading
from vigil.optics.train import defocus_disc_um
from vigil.simulator.above.counts import galactic_deg, stars_per_deg2
from vigil.simulator.chance import generator
from vigil.simulator.frame.psf import Spot, half_flux_radius_px
from vigil.simulator.frame.scene import Scene
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes
from vigil.solving.solution import Solution
from vigil.solving.wcs import Wcs

# what the campaigns found of pixels: a star is measured from fourteen times the noise of its own disc on,
# a frame
# solves from eleven stars on, its centre within a tenth of an arc-second or two
_DETECTED_SIGMA, _LEAST_STARS = 14.0, 11
_CENTRE_ARCSEC, _SIZE_SHARE, _SIZE_SIGMA_SHARE = 0.15, 0.01, 0.03
_FAINTEST_MAG, _MOST_STARS = 22.0, 20_000
# of the stars found, those that are far enough over their noise for a size of their own
_CLEAR_SHARE, _LIGHT_SHARE = 0.4, 0.03
# discs up to this share of the frame's side are told from its background; how well
_DISC_SHARE, _DISC_RADIUS_SHARE = 0.2, 0.03
# a star further out of focus than this is no star to the detection
_LARGEST_DISC_PX = 60.0


class QuickImage(np.ndarray):
    """An array of one value repeated, which takes no room; `scene` is what it stands for."""

    scene: Scene

    def __array_finalize__(self, other: Any) -> None:
        scene = getattr(other, "scene", None)
        if scene is not None:
            self.scene = scene


def quick_frame(scene: Scene) -> NDArray[np.uint16]:
    """In place of `draw`."""
    region = scene.sensor.whole
    image = np.broadcast_to(np.uint16(0), (region.rows, region.columns)).view(QuickImage)
    image.scene = scene
    return image


class QuickMeasurer:
    """Measures and solves quick frames. Raises ValueError for one with pixels."""

    async def measure(
        self, image: NDArray[np.generic], full_scale_adu: float, mosaic: bool = False
    ) -> FrameFigures:
        return figures_of(scene_of_quick(image))

    async def solve(
        self, image: NDArray[np.generic], hint: Any, blind: Any = None, mosaic: bool = False
    ) -> Solution:
        return solution_of(scene_of_quick(image))

    async def measure_and_solve(
        self, image: NDArray[np.generic], full_scale_adu: float, hint: Any, mosaic: bool = False
    ) -> tuple[FrameFigures, Solution]:
        scene = scene_of_quick(image)
        return figures_of(scene), solution_of(scene)

    async def focus(self, image: NDArray[np.generic], optics: Any) -> FocusFrame:
        return focus_frame_of(scene_of_quick(image))

    async def one_star(
        self, image: NDArray[np.generic], optics: Any, near: tuple[float, float] | None
    ) -> OneStar | None:
        scene = scene_of_quick(image)
        frame = focus_frame_of(scene)
        if not frame.stars and frame.discs is None:
            return None
        x, y = near or (scene.sensor.shape[1] / 2, scene.sensor.shape[0] / 2)
        size = frame.discs.radius_px / math.sqrt(2) if frame.discs else frame.size_px
        return OneStar(x, y, size, frame.discs is not None, 100.0, frame.background_adu, False)

    async def sharpness(self, image: NDArray[np.generic], full_scale_adu: float) -> Sharpness:
        figures = figures_of(scene_of_quick(image))
        blur = figures.hfr_px if figures.stars else _LARGEST_DISC_PX
        return Sharpness(blur**-2, blur, 0.01, 0.0)

    async def richest_part(
        self, image: NDArray[np.generic], side_px: int, full_scale_adu: float
    ) -> Region | None:
        return None

    async def mask(self, image: NDArray[np.generic], x_px: float, y_px: float) -> MaskReading:
        raise ValueError("a mask's spikes can't be measured without pixels")


def scene_of_quick(image: NDArray[np.generic]) -> Scene:
    if not isinstance(image, QuickImage):
        raise ValueError("a frame with pixels can't be measured quickly")
    return image.scene


def figures_of(scene: Scene) -> FrameFigures:
    """What measuring its pixels would give."""
    sensor, rng = scene.sensor, generator(*scene.noise_key, 1)
    size, fwhm = _size_px(scene)
    count = star_count(scene)
    e_px = _even_e_px(scene)
    noise_e = math.sqrt(e_px + sensor.read_noise_e**2)
    adu = sensor.bias_adu + e_px / sensor.electrons_per_adu
    background = float(min(sensor.full_scale_adu, adu))
    noise = noise_e / sensor.electrons_per_adu
    if count == 0:
        nothing = float("nan")
        return FrameFigures(0, nothing, nothing, nothing, nothing, background, noise, 0)
    seen = size * (1 + float(rng.normal(0, _SIZE_SHARE + 0.06 / math.sqrt(count))))
    sigma = math.hypot(0.06 * size / math.sqrt(count), _SIZE_SIGMA_SHARE * size)
    walked = _walked_px(scene)
    elongation = math.hypot(fwhm, 2.35 * walked) / fwhm
    return FrameFigures(count, seen, sigma, fwhm * seen / size, elongation, background, noise, 0)


def focus_frame_of(scene: Scene) -> FocusFrame:
    """What measuring its pixels for focus would give: as many stars as are far over their noise, discs where
    there are none."""
    figures = figures_of(scene)
    stars = round(_CLEAR_SHARE * figures.stars)
    lost_mag = scene.sky.cloud_mag if scene.sky is not None else 0.0
    rng = generator(*scene.noise_key, 3)
    radius = _disc_px(scene) / 2
    discs = None
    large = _LARGEST_DISC_PX / 2 < radius < _DISC_SHARE * min(scene.sensor.shape)
    if large and _bright_over(scene, math.pi * radius**2) > 0:
        discs = Doughnuts(radius * (1 + float(rng.normal(0, _DISC_RADIUS_SHARE))), 0.05 * radius, 5, 20.0)
    none = np.empty(0)
    return FocusFrame(
        size_px=figures.hfr_px,
        scatter_px=0.06 * figures.hfr_px / math.sqrt(max(stars, 1)),
        stars=stars,
        elongation=figures.elongation,
        found=figures.stars,
        clipped=0,
        brightest_adu=0.0,
        background_adu=figures.background_adu,
        noise_adu=figures.noise_adu,
        x_px=none,
        y_px=none,
        sizes_px=none,
        lights_adu=none,
        discs=discs,
        fwhm_px=figures.fwhm_px,
        light=10 ** (-0.4 * lost_mag) * (1 + float(rng.normal(0, _LIGHT_SHARE))),
    )


def solution_of(scene: Scene) -> Solution:
    """What solving its pixels would give."""
    count = star_count(scene)
    if count < _LEAST_STARS:
        return Solution(False, f"too few stars: {count} found, {_LEAST_STARS} are needed", count)
    rng = generator(*scene.noise_key, 2)
    aim, step = scene.aim, scene.scale_arcsec_px / 3600
    east, north = rng.normal(0, _CENTRE_ARCSEC / 3600, 2)
    turn = math.radians(aim.position_angle_deg)
    # rows rise towards the position angle, columns 90° clockwise of that
    cd = (
        (-step * math.cos(turn), step * math.sin(turn)),
        (step * math.sin(turn), step * math.cos(turn)),
    )
    dec = min(90.0, max(-90.0, aim.dec_deg + north))
    ra = (aim.ra_deg + east / max(math.cos(math.radians(dec)), 1e-4)) % 360
    wcs = Wcs(ra, dec, cd, scene.sensor.shape)
    return Solution(True, f"{count} stars", count, count, _CENTRE_ARCSEC, 0.1, -30.0, wcs)


def star_count(scene: Scene) -> int:
    """How many stars would be found: those whose light stands out of the noise of their own disc."""
    if _disc_px(scene) > _LARGEST_DISC_PX:
        return 0
    size, _ = _size_px(scene)
    return _bright_over(scene, math.pi * (1.5 * size) ** 2)


def _bright_over(scene: Scene, pixels: float) -> int:
    """How many stars in the field stand out of the noise of so many pixels."""
    sky, sensor = scene.sky, scene.sensor
    if sky is None:
        return 0
    noise_e = math.sqrt(pixels * (_even_e_px(scene) + sensor.read_noise_e**2))
    wanted_e_s = _DETECTED_SIGMA * max(noise_e, 1.0) / scene.exposure_s
    lost_mag = sky.cloud_mag - 2.5 * math.log10(max(sky.dimmed, 1e-3))
    lost_mag += float(scene.light.extinction_mag(_air_mass(scene)))
    limit = 2.5 * math.log10(scene.light.zero_point_e_s / wanted_e_s) - lost_mag
    if sensor.bayer is not None and sensor.binning == 1:
        limit -= 1.0  # a pixel of a mosaic sees a third of the light
    area = sensor.shape[0] * sensor.shape[1] * (scene.scale_arcsec_px / 3600) ** 2
    place = round(scene.aim.ra_deg, 1), round(scene.aim.dec_deg, 1)
    return int(min(_MOST_STARS, area * _density(*place, round(min(limit, _FAINTEST_MAG), 2))))


@lru_cache(maxsize=512)
def _density(ra_deg: float, dec_deg: float, mag: float) -> float:
    # brighter than 4 the counts are not fitted; so few don't matter
    return 0.0 if mag < 4 else float(stars_per_deg2(mag, *galactic_deg(ra_deg, dec_deg)))


def _even_e_px(scene: Scene) -> float:
    """Electrons of sky, dark current and panel in a binned pixel."""
    sensor = scene.sensor
    even = sensor.dark_e_s * sensor.binning**2 + scene.panel_e_s_px
    if scene.sky is not None:
        even += scene.light.sky_e_s_arcsec2(scene.sky.mag_arcsec2) * scene.scale_arcsec_px**2
    return even * scene.exposure_s


def _air_mass(scene: Scene) -> float:
    seen = scene.aim.seen
    if seen is None:
        return 0.0
    there = observe(scene.aim.ra_deg, scene.aim.dec_deg, from_datetimes(seen.at), seen.site)
    return float(air_mass(max(float(there.altitude_deg), 1.0)))


def _disc_px(scene: Scene) -> float:
    """Of the out-of-focus ring: the centre's, with half of what tilt and curvature add at the edges."""
    blur, sensor = scene.blur, scene.sensor
    uneven = math.hypot(*blur.tilt_um, blur.curvature_um) / 2
    missed_um = math.hypot(blur.defocus_um, uneven)
    return float(defocus_disc_um(missed_um, blur.focal_ratio)) / (sensor.pixel_um * sensor.binning)


def _walked_px(scene: Scene) -> float:
    walk = np.array(scene.blur.walk_px or ((0.0, 0.0),))
    return float(np.sqrt(np.sum(np.var(walk, axis=0))))


def _size_px(scene: Scene) -> tuple[float, float]:
    """(HFR, FWHM) of a star near the middle."""
    fwhm = math.hypot(scene.blur.fwhm_px, 2.35 * _walked_px(scene))
    return star_size_px(fwhm, _disc_px(scene), scene.blur.obstruction, scene.blur.beta), fwhm


_FIRM_FWHM_PX, _RATIO_STEP, _LARGEST_RATIO = 1.5, 0.25, 12.0


def star_size_px(fwhm_px: float, disc_px: float, obstruction: float, beta: float) -> float:
    """The half-flux radius of a star whose ring out of focus is so wide.

    A spot twice as large all round has twice the radius: so it is one function of disc over FWHM, reckoned
    at a few ratios and drawn straight between them; a large disc's own radius grows with it.
    """
    ratio = disc_px / fwhm_px
    if ratio >= _LARGEST_RATIO:
        return disc_px / _LARGEST_RATIO * _firm(round(_LARGEST_RATIO / _RATIO_STEP), obstruction, beta)
    number, share = divmod(ratio / _RATIO_STEP, 1)
    low, high = (_firm(int(number) + k, obstruction, beta) for k in (0, 1))
    return fwhm_px * (low + share * (high - low))


@lru_cache(maxsize=2048)
def _firm(number: int, obstruction: float, beta: float) -> float:
    """The half-flux radius, in FWHMs, of a spot whose disc is so many steps of a quarter FWHM."""
    disc_px = number * _RATIO_STEP * _FIRM_FWHM_PX
    return half_flux_radius_px(Spot(_FIRM_FWHM_PX, disc_px, obstruction, beta)) / _FIRM_FWHM_PX
