"""Star detection and size."""

from dataclasses import dataclass
from threading import Lock

import numpy as np
import sep
from numpy.typing import NDArray

from vigil.imaging.profile import profile_of
from vigil.imaging.shapes import Shapes, shapes_of

Floats = NDArray[np.float64]
Image = NDArray[np.generic]

BACKGROUND_MESH_PX = 64
THRESHOLD_SIGMA = 5.0
MIN_AREA_PX = 5
DEBLEND_CONTRAST = 0.005
CROWD_SHARE = 0.02
# A star's light lies inside this many isophotal semi-major axes; fewer would cut the wings of a Moffat
# profile and make stars look smaller, more would gather neighbours.
FLUX_RADIUS_AXES = 4.5
# so many of the brightest unsaturated stars tell the profile and the shape
_SHAPED_STARS = 300
_PATCH_HALF_PX, _NEAR_PX = 40, 10.0

# sep clears its whole pixel buffer at each call, 70 ms for two million: no larger than the image needs. The
# buffer's size is the process's own, and sep lets other threads run meanwhile.
_LEAST_BUFFER_PX, _MOST_BUFFER_PX = 50_000, 2_000_000
_one_extraction = Lock()


@dataclass(frozen=True, slots=True)
class Stars:
    """Detected stars, brightest first; arrays of one length n.

    `x_px` is the column, `y_px` the row, 0-based with pixel centres at integers. `flux_adu` is above the
    background. `hfr_px` is the radius of the circle that holds half of the star's flux, as its pixels show
    it inside `aperture_px`. `saturated` marks stars with a pixel at or over the level asked for; `edge` those
    cut off by the border.
    """

    x_px: Floats
    y_px: Floats
    flux_adu: Floats
    peak_adu: Floats
    hfr_px: Floats
    saturated: NDArray[np.bool_]
    edge: NDArray[np.bool_]
    aperture_px: Floats

    def __len__(self) -> int:
        return len(self.x_px)


_BRIGHT, _FEW_BRIGHT = slice(3, 13), 8


@dataclass(frozen=True, slots=True)
class Field:
    """What an image shows: its stars and its background."""

    stars: Stars
    background_adu: float
    noise_adu: float
    hfr_px: float
    fwhm_px: float
    elongation: float

    @property
    def saturated(self) -> int:
        """Number of saturated stars."""
        return int(np.count_nonzero(self.stars.saturated))

    @property
    def bright_flux_adu(self) -> float:
        """The median flux of its bright stars, the very brightest left out: what a cloud takes of it is gone,
        however many stars are still found. NaN without stars."""
        fluxes = self.stars.flux_adu
        if not len(fluxes):
            return float("nan")
        return float(np.median(fluxes[_BRIGHT] if len(fluxes) > _FEW_BRIGHT else fluxes))


def find_stars(
    image: Image, saturation_adu: float = 65535.0, threshold_sigma: float = THRESHOLD_SIGMA
) -> tuple[Stars, float, float, NDArray[np.float32]]:
    """Detect stars on `image` [row, column] (any real dtype).

    Returns the stars, background level and noise per pixel (ADU), and the background-subtracted image.
    Without sep's default filter more stars are found, and single hot pixels fall to the least area.
    Raises ValueError for an image that isn't two-dimensional or is smaller than 32 × 32, or
    where nearly all of it is over the threshold. Pixels that aren't finite count as background.
    """
    if image.ndim != 2 or min(image.shape) < 32:
        raise ValueError(
            f"an image of shape {image.shape} can't be measured: give a plane of 32 × 32 or more"
        )
    data = np.ascontiguousarray(image, dtype=np.float32)
    if image.dtype.kind == "f" and not np.all(good := np.isfinite(data)):
        data = np.where(good, data, np.median(data[good]) if good.any() else np.float32(0))
    background = sep.Background(data, bw=BACKGROUND_MESH_PX, bh=BACKGROUND_MESH_PX)
    level, noise = float(background.globalback), float(background.globalrms)
    if data is image:
        data = data.copy()
    background.subfrom(data)
    if not noise > 0:
        return _no_stars(), level, noise, data
    try:
        with _one_extraction:
            sep.set_extract_pixstack(min(max(_LEAST_BUFFER_PX, data.size), _MOST_BUFFER_PX))
            found = sep.extract(
                data,
                max(threshold_sigma, _crowd_threshold_sigma(data, noise)),
                err=noise,
                minarea=MIN_AREA_PX,
                filter_kernel=None,
                deblend_cont=DEBLEND_CONTRAST,
            )
    except Exception as problem:  # sep raises bare ones, such as for a full pixel buffer
        raise ValueError(f"stars can't be told from the background: {problem}") from problem
    found = found[np.argsort(found["flux"])[::-1]]
    aperture = FLUX_RADIUS_AXES * np.maximum(found["a"], 1.0)
    radius, flag = sep.flux_radius(data, found["x"], found["y"], aperture, 0.5, subpix=5)
    saturated = found["peak"] + level >= saturation_adu
    # cosmic rays and hot clumps: nearly all light in one pixel, which no optics gives
    real = (found["peak"] < 0.7 * found["flux"]) & np.isfinite(radius) & (radius > 0.4)
    rows, columns = data.shape
    edge = (
        (found["xmin"] <= 0)
        | (found["ymin"] <= 0)
        | (found["xmax"] >= columns - 1)
        | (found["ymax"] >= rows - 1)
        | ((flag & sep.APER_TRUNC) != 0)
    )
    stars = Stars(
        found["x"][real],
        found["y"][real],
        found["flux"][real].astype(float),
        found["peak"][real].astype(float),
        np.asarray(radius, dtype=float)[real],
        saturated[real],
        edge[real],
        np.asarray(aperture, dtype=float)[real],
    )
    return stars, level, noise, data


def _crowd_threshold_sigma(data: NDArray[np.float32], noise: float) -> float:
    """The threshold over which no more than CROWD_SHARE of the pixels lie: where stars stand shoulder to
    shoulder the faint ones cost much time and tell nothing."""
    sample = data[::4, ::4].ravel()
    place = int((1 - CROWD_SHARE) * (sample.size - 1))
    return float(np.partition(sample, place)[place]) / noise


def measure_field(
    image: Image,
    saturation_adu: float = 65535.0,
    threshold_sigma: float = THRESHOLD_SIGMA,
    smoothing_px2: float = 0.0,
) -> Field:
    """Stars and the frame's figures over good stars, NaN where there are none.

    Good: neither saturated nor cut off, and bright enough for a shape. `fwhm_px` is the width at half of the
    maximum of the profile that the stars share, `hfr_px` their median half-flux radius with the wings beyond
    the aperture; both are the stars' own, without the share of the pixels and of a smoothing kernel with the
    variance `smoothing_px2` each way. `elongation` is major over minor axis.
    """
    stars, level, noise, data = find_stars(image, saturation_adu, threshold_sigma)
    good = np.flatnonzero(~stars.saturated & ~stars.edge)
    if good.size == 0:
        return Field(stars, level, noise, np.nan, np.nan, np.nan)
    # the bright half, at least 20: faint ones have noisy radii that are biased low
    bright = good[: max(20, good.size // 2)]
    shapes = bright_shapes(stars, data)
    hfr, shaped = stars.hfr_px[bright], bright[:_SHAPED_STARS]
    x, y, radius = stars.x_px[shaped], stars.y_px[shaped], stars.hfr_px[shaped]
    profile = profile_of(data, x, y, radius, noise, smoothing_px2)
    if profile is not None:
        hfr = profile.whole_hfr_px(hfr, stars.aperture_px[bright])
    fwhm = np.nan if profile is None else profile.fwhm_px
    size = robust_median(hfr)
    return Field(stars, level, noise, size, fwhm, robust_median(shapes.elongation))


def bright_shapes(stars: Stars, data: NDArray[np.float32], most: int = _SHAPED_STARS) -> Shapes:
    """Of the brightest good stars on the background-subtracted image, at most so many."""
    good = np.flatnonzero(~stars.saturated & ~stars.edge)
    which = good[: max(20, good.size // 2)][:most]
    return shapes_of(data, stars.x_px[which], stars.y_px[which], stars.hfr_px[which])


def hfr_near(image: Image, column: int, row: int) -> float | None:
    """HFR (px) of the star nearest to a pixel, within ten pixels of it; None where there is none.

    Only a small patch around the pixel is looked at: quick enough for a pointer that moves.
    """
    top, left = max(0, row - _PATCH_HALF_PX), max(0, column - _PATCH_HALF_PX)
    patch = image[top : row + _PATCH_HALF_PX, left : column + _PATCH_HALF_PX]
    if patch.ndim != 2 or min(patch.shape) < _PATCH_HALF_PX:
        return None
    try:
        stars, *_ = find_stars(patch)
    except ValueError:
        return None
    if len(stars) == 0:
        return None
    away = np.hypot(stars.x_px - (column - left), stars.y_px - (row - top))
    nearest = int(np.argmin(away))
    return float(stars.hfr_px[nearest]) if away[nearest] <= _NEAR_PX else None


def robust_median(values: Floats) -> float:
    """The median after three rounds that drop what lies over three robust sigmas away."""
    kept = values[np.isfinite(values)]
    if kept.size == 0:
        return float("nan")
    for _ in range(3):
        middle = np.median(kept)
        sigma = 1.4826 * np.median(np.abs(kept - middle))
        kept = kept[np.abs(kept - middle) <= 3 * sigma] if sigma > 0 else kept
    return float(np.median(kept))


def _no_stars() -> Stars:
    none = np.empty(0)
    no = np.empty(0, dtype=bool)
    return Stars(none, none, none, none, none, no, no, none)
