"""Which stars to guide by: clear, whole and single, by how well each one's place can be known."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from vigil.guiding.centroid import Profile, place_of
from vigil.imaging.profile import profile_of
from vigil.imaging.shapes import shapes_of
from vigil.imaging.stars import find_stars

Floats = NDArray[np.float64]

_MOST_TRIED, _MOST_STARS = 40, 6
_TOO_HIGH = 0.9
"""Share of full scale that a peak may have; it grows when the air is still."""
_EDGE_FWHM, _LEAST_EDGE_PX = 8.0, 20.0
"""How far from the border a star stands that may wander and be dithered."""
_ALONE_FWHM = 5.0
_COMPANION_LIGHT = 0.1
_LEAST_SNR = 8.0
_HOT_SHARE = 0.06
"""Of its highest pixel: what the neighbours have at least, for it to be light through air and glass."""
_FLAT_SHARE = 0.02
_USELESS = 3.0
"""Times the best star's error: worse ones say nothing more."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A star to guide by. `full_share` is its highest pixel (background and all) against full scale."""

    x_px: float
    y_px: float
    error_px: float
    snr: float
    full_share: float


@dataclass(frozen=True, slots=True)
class Choice:
    """The stars, the best first, how they look, and how many were refused for what."""

    stars: tuple[Candidate, ...]
    profile: Profile
    refused: dict[str, int]

    @property
    def words(self) -> str:
        """What became of those that aren't taken, the most frequent reason first."""
        told = sorted(self.refused.items(), key=lambda item: -item[1])
        return ", ".join(f"{count} {why}" for why, count in told if count)


def choose(
    image: NDArray[np.generic],
    full_scale_adu: float,
    adu_per_electron: float = 1.0,
    dark: NDArray[np.generic] | None = None,
    most: int = _MOST_STARS,
    near: tuple[float, float] | None = None,
) -> Choice | None:
    """Out of a frame [row, column]; `near` has the star that is nearest to a place (column, row) first,
    whatever the others are. None where there is none. Raises ValueError for what is no image, and for a dark
    of another shape."""
    data = without_dark(image, dark)
    stars, _, noise, light = find_stars(data, np.inf)
    if not len(stars):
        return None
    first = np.argsort(-stars.flux_adu)[:_MOST_TRIED]
    refused = dict.fromkeys(("hot pixels", "clipped", "at the edge", "doubled", "too faint"), 0)
    highest = image.max(initial=0)
    real, clipped = [], set()
    for number in first:
        if _hot(light, stars.x_px[number], stars.y_px[number]):
            refused["hot pixels"] += 1
            continue
        real.append(int(number))
        top = _top(image, stars.x_px[number], stars.y_px[number])
        if top >= _TOO_HIGH * full_scale_adu or (
            top >= _TOO_HIGH * highest and _flat(image, stars.x_px[number], stars.y_px[number])
        ):
            clipped.add(int(number))
    if not real:
        return None
    whole = np.array([number for number in real if number not in clipped] or real)
    profile = _profile(light, stars.x_px[whole], stars.y_px[whole], stars.hfr_px[whole], noise)
    tree = cKDTree(np.stack([stars.x_px, stars.y_px], axis=1))
    edge = max(_EDGE_FWHM * profile.fwhm_px, _LEAST_EDGE_PX)
    rows, columns = image.shape
    found = []
    for number in real:
        x, y = float(stars.x_px[number]), float(stars.y_px[number])
        wanted = near is not None and np.hypot(x - near[0], y - near[1]) <= _ALONE_FWHM * profile.fwhm_px
        beside = [n for n in tree.query_ball_point((x, y), _ALONE_FWHM * profile.fwhm_px) if n != number]
        if number in clipped and not wanted:
            refused["clipped"] += 1
            continue
        if not wanted and not (edge <= x < columns - edge and edge <= y < rows - edge):
            refused["at the edge"] += 1
            continue
        if not wanted and any(stars.flux_adu[n] > _COMPANION_LIGHT * stars.flux_adu[number] for n in beside):
            refused["doubled"] += 1
            continue
        place = place_of(data, (x, y), profile, adu_per_electron)
        if place is None or place.snr < _LEAST_SNR:
            refused["too faint"] += 1
            continue
        share = _top(image, x, y) / full_scale_adu
        found.append(Candidate(place.x_px, place.y_px, place.error_px, place.snr, share))
    if not found:
        return None
    found.sort(key=lambda star: star.error_px)
    found = [star for star in found if star.error_px <= _USELESS * found[0].error_px]
    if near is not None:
        found.sort(key=lambda star: np.hypot(star.x_px - near[0], star.y_px - near[1]))
    return Choice(tuple(found[:most]), profile, refused)


def without_dark(image: NDArray[np.generic], dark: NDArray[np.generic] | None) -> NDArray[np.float32]:
    """An image less a dark frame of its own exposure, as numbers that may be negative. Raises ValueError."""
    data = np.asarray(image, dtype=np.float32)
    if dark is None:
        return data
    if dark.shape != image.shape:
        raise ValueError(f"a dark of {dark.shape} is no dark for a frame of {image.shape}")
    warm = np.asarray(dark, dtype=np.float32)
    return np.asarray(data - warm + np.median(warm), dtype=np.float32)


def better_exposure_s(choice: Choice | None, exposure_s: float, shortest_s: float, longest_s: float) -> float:
    """With which the best star's peak is about half of full scale; longer where nothing is seen."""
    if choice is None:
        return min(2.5 * exposure_s, longest_s)
    wanted = exposure_s * 0.5 / max(choice.stars[0].full_share, 1e-3)
    return float(np.clip(wanted, shortest_s, longest_s))


def _around(data: NDArray[np.generic], x: float, y: float, half: int) -> Floats:
    row, column = round(y), round(x)
    part = data[max(0, row - half) : row + half + 1, max(0, column - half) : column + half + 1]
    return np.asarray(part, dtype=np.float64)


def _top(image: NDArray[np.generic], x: float, y: float) -> float:
    return float(_around(image, x, y, 2).max(initial=0.0))


def _hot(light: NDArray[np.float32], x: float, y: float) -> bool:
    """One pixel, or two side by side, without the rim that air and glass give every star."""
    stamp = _around(light, x, y, 2)
    highest = np.sort(stamp.ravel())[::-1]
    if highest.size < 9 or highest[0] <= 0:
        return True
    return bool(highest[2:6].mean() < _HOT_SHARE * highest[0])


def _flat(image: NDArray[np.generic], x: float, y: float) -> bool:
    """Whether the star's top is cut off: more pixels than a peak has stand at its height."""
    stamp = _around(image, x, y, 6)
    top, level = float(stamp.max()), float(np.median(stamp))
    over = stamp - level
    wide = np.count_nonzero(over >= 0.5 * (top - level))
    flat = np.count_nonzero(over >= (1 - _FLAT_SHARE) * (top - level))
    # of the area over half of the maximum a Gaussian has 3 % within 2 % of its top
    return bool(flat >= 4 and flat > 0.15 * wide)


def _profile(light: NDArray[np.float32], x: Floats, y: Floats, hfr: Floats, noise: float) -> Profile:
    """Of the frame's stars: what they share; where they are too few for that, by their half-flux radius."""
    shared = profile_of(light, x, y, hfr, noise)
    shapes = shapes_of(light, x, y, hfr)
    longest = Profile(max(1.2, 2.0 * float(np.median(hfr))))
    if len(shapes.x_px):
        share = (shapes.elongation - 1) / (shapes.elongation + 1)
        mean = complex(np.mean(share * np.exp(2j * np.radians(shapes.angle_deg))))
        longest = Profile(
            longest.fwhm_px,
            longest.beta,
            (1 + abs(mean)) / (1 - abs(mean)),
            float(np.degrees(np.angle(mean)) / 2),
        )
    if shared is None:
        return longest
    across = shared.fwhm_px / np.sqrt(longest.elongation)
    return Profile(max(float(across), 0.8), shared.beta, longest.elongation, longest.angle_deg)
