"""The polar axis out of a star's drift in declination, while nothing corrects that axis."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_triangular
from scipy.special import stdtrit

Floats = NDArray[np.float64]
AxisName = Literal["azimuth", "altitude"]

ARCSEC_MIN_PER_ARCMIN = 15.041067 * 60 * math.radians(1 / 60)
"""By how much a star drifts where an axis that is an arc-minute off shows all of it: 0.26″ a minute."""
_LEAST_SAMPLES, _LEAST_SHARE = 20, 0.2
_WILD, _MOST_SAMPLES = 3.5, 150
"""Standard deviations, beyond which a sample is wild."""
_MEMORIES = ((0.5, 1.0), (0.31, 4.0), (0.19, 12.0))
"""Shares of the air's motion and their memories in seconds: together a spectrum that falls as f^−2/3 down to
some hundredths of a hertz, as angles of arrival do until the outer scale has passed (Conan, Rousset & Madec
1995, JOSA A 12, 1559)."""
_COUNTS = 3
"""Samples that remember each other count as one, in how sure the scatter itself is."""
_SHARES = (0.0, 0.15, 0.3, 0.45, 0.6, 0.75, 0.9, 0.97)
"""Of a sample's scatter, that the air remembers: tried all, and weighed."""
_WANTED_ARCMIN, _Z_95 = 0.5, 1.96
_ENOUGH_SHARE, _SIGN_HALVES = 0.6, 2.0
"""Of what is wanted, that the interval must come to; and how many of its halves an error must be away from 0
for its side to be said: 3.3 and 4 standard errors."""
_LOOKED_AGAIN, _SAG_SIGMA_ARCSEC = 1.15, 10.0
"""An interval that ends a measurement has been looked at often, and is luckier than one that was not. Tubes
sag, by up to twice that at the horizon, and change that while they track."""
_REFRACTION_ARCSEC = 58.3
"""Of the zenith distance's tangent, in standard air at sea level."""


class NoDrift(ValueError):
    """The record says too little, or the place shows too little of the axis; the message says which."""


@dataclass(frozen=True, slots=True)
class Drift:
    """Of a star in declination: arc-seconds a minute, + northward, with 95 % intervals; and what that says of
    an axis, arc-minutes (+ too high, + east of the pole). `enough` once the interval is clearly narrower than
    was asked, else in about so many seconds: it is looked at again and again, and must not stop at the first
    lucky moment."""

    rate_arcsec_min: float
    half_rate_arcsec_min: float
    error_arcmin: float
    interval_95: tuple[float, float]
    enough: bool
    seconds_more: float

    @property
    def half_arcmin(self) -> float:
        """Of the interval."""
        return (self.interval_95[1] - self.interval_95[0]) / 2

    @property
    def sign_known(self) -> bool:
        """Whether the side may be said: that must not turn out wrong, however often it is looked at."""
        return abs(self.error_arcmin) > _SIGN_HALVES * self.half_arcmin


def shown(axis: AxisName, hour_angle_deg: float, latitude_deg: float) -> float:
    """The drift (″/min, + north) of a star there for each arc-minute of an axis.

    The tube turns about an axis off by e from the pole, so that it leaves the sky by ω e × s: a star moves
    north by ω e · west in the northern hemisphere, by the opposite in the southern. Declination doesn't come
    into it."""
    side = 1.0 if latitude_deg >= 0 else -1.0
    hour = math.radians(hour_angle_deg)
    share = math.cos(hour) if axis == "azimuth" else math.sin(hour)
    return -side * share * ARCSEC_MIN_PER_ARCMIN


def refraction_drift_arcsec_min(
    latitude_deg: float, dec_deg: float, hour_angle_deg: float, pressure_hpa: float = 1010.0
) -> float:
    """How fast refraction moves a star north meanwhile: it lifts it less and less while it rises."""
    return _north_drift(
        latitude_deg,
        dec_deg,
        hour_angle_deg,
        lambda alt: _REFRACTION_ARCSEC * pressure_hpa / 1010.0 / math.tan(alt),
    )


def _north_drift(
    latitude_deg: float, dec_deg: float, hour_angle_deg: float, lift: Callable[[float], float]
) -> float:
    """Arc-seconds a minute by which something that lifts a star by its altitude (rad) moves it north. Raises
    NoDrift for one that stands too low."""
    minute_deg = 15.041067 / 60

    def northward(hour_deg: float) -> float:
        lat, dec, hour = (math.radians(v) for v in (latitude_deg, dec_deg, hour_deg))
        sin_alt = math.sin(lat) * math.sin(dec) + math.cos(lat) * math.cos(dec) * math.cos(hour)
        alt = math.asin(max(min(sin_alt, 1.0), -1.0))
        if alt < math.radians(2.0):
            raise NoDrift(f"the star stands {math.degrees(alt):.0f}° high: too low to tell")
        # the parallactic angle's cosine: how much of upward is northward
        north = (math.sin(lat) - sin_alt * math.sin(dec)) / max(math.cos(alt) * math.cos(dec), 1e-6)
        return lift(alt) * max(min(north, 1.0), -1.0)

    return northward(hour_angle_deg + minute_deg / 2) - northward(hour_angle_deg - minute_deg / 2)


def drift_of(
    at_s: Floats,
    dec_arcsec: Floats,
    axis: AxisName,
    latitude_deg: float,
    hour_angle_deg: float,
    dec_deg: float = 0.0,
    pressure_hpa: float = 1010.0,
    wanted_arcmin: float = _WANTED_ARCMIN,
    other_arcmin: float = 0.0,
    other_sigma_arcmin: float = 0.0,
) -> Drift:
    """A straight line through the star's places (″, + north) that single wild samples don't pull, after the
    air's memory is taken out of them, so that its error is told truly. `hour_angle_deg` is that of the middle
    of the samples; what the other axis has of the drift there is taken off, as far as that is known. Raises
    NoDrift."""
    share = shown(axis, hour_angle_deg, latitude_deg)
    if abs(share) < _LEAST_SHARE * ARCSEC_MIN_PER_ARCMIN:
        where = "near the meridian" if axis == "azimuth" else "far east or west"
        raise NoDrift(f"at an hour angle of {hour_angle_deg:.0f}° {axis} hardly shows: take a star {where}")
    if len(at_s) < _LEAST_SAMPLES:
        raise NoDrift(f"{len(at_s)} samples: at least {_LEAST_SAMPLES} are needed")
    slope, error, freedom = _robust_slope(np.asarray(at_s, dtype=float), np.asarray(dec_arcsec, dtype=float))
    rate = 60 * slope
    half = _LOOKED_AGAIN * 60 * error * float(stdtrit(freedom, 0.975))
    by_air = refraction_drift_arcsec_min(latitude_deg, dec_deg, hour_angle_deg, pressure_hpa)
    by_sag = _north_drift(
        latitude_deg, dec_deg, hour_angle_deg, lambda alt: _SAG_SIGMA_ARCSEC * math.cos(alt)
    )
    by_other = shown("altitude" if axis == "azimuth" else "azimuth", hour_angle_deg, latitude_deg)
    small = (rate - by_air - other_arcmin * by_other) / share
    found, curved = _large(axis, small, other_arcmin, other_sigma_arcmin, latitude_deg)
    unsure = math.hypot(by_sag, other_sigma_arcmin * by_other, curved * share)
    half_error = math.hypot(half, _Z_95 * unsure) / abs(share)
    enough = half_error <= _ENOUGH_SHARE * wanted_arcmin
    lasted = float(at_s[-1] - at_s[0])
    # a slope's error falls with the time's power of one and a half
    more = 0.0 if enough else lasted * ((half_error / (_ENOUGH_SHARE * wanted_arcmin)) ** (2 / 3) - 1)
    return Drift(rate, half, found, (found - half_error, found + half_error), enough, more)


def _large(
    axis: AxisName, small: float, other: float, other_sigma: float, latitude_deg: float
) -> tuple[float, float]:
    """An axis's error out of the one that small angles give (arc-minutes), and its standard error by what
    isn't known of the other axis: a raised axis is nearer to the zenith, where azimuths turn it less; one
    turned aside points lower than the meridian's."""
    lat, arcmin = math.radians(abs(latitude_deg)), math.radians(1 / 60)
    cos = max(math.cos(lat), 0.05)
    if axis == "azimuth":
        found = small * cos / max(math.cos(lat + other * arcmin), 0.05)
        return found, abs(small) * math.tan(min(lat, 1.5)) * other_sigma * arcmin
    turned = other / cos * arcmin
    found = small - (1 - math.cos(turned)) * cos * math.sin(lat) / arcmin
    return found, abs(turned) * math.sin(lat) * other_sigma


def _robust_slope(at_s: Floats, values: Floats) -> tuple[float, float, int]:
    """(slope, standard error, degrees of freedom) by generalised least squares: how much of the scatter the
    air remembers is learnt from the samples, by restricted likelihood (Harville 1977, JASA 72, 320), and
    what remains unsure of that is in the error. Wild samples are drawn in to where the others end."""
    at_s, values, each = _at_most(at_s, values)
    from scipy.stats import theilslopes  # the rest of that package costs every start a quarter of a second

    start = theilslopes(values, at_s)
    line = start.intercept + start.slope * at_s
    bound = _WILD * _spread(values - line)
    values = line + np.clip(values - line, -bound, bound)
    design = np.stack([np.ones_like(at_s), at_s - at_s.mean()], axis=1)
    apart = np.abs(at_s[:, None] - at_s[None, :])
    remembered = np.zeros_like(apart)
    for part, memory in _MEMORIES:
        remembered += part * np.exp(-apart / memory)
    fits = [_fit(share, remembered, design, values, each) for share in _SHARES]
    likely = np.array([fit[0] for fit in fits])
    weights = np.exp(likely - likely.max())
    weights /= weights.sum()
    slopes, variances = (np.array([fit[k] for fit in fits]) for k in (1, 2))
    slope = float(weights @ slopes)
    variance = float(weights @ (variances + (slopes - slope) ** 2))
    return slope, math.sqrt(variance), max(len(at_s) // _COUNTS, 3)


def _fit(
    share: float, remembered: Floats, design: Floats, values: Floats, each: int
) -> tuple[float, float, float]:
    """(log restricted likelihood, slope, its variance) where the air remembers that share of a sample's
    scatter; a mean of several has less of the rest."""
    covariance = share * remembered + (1 - share) / each * np.eye(len(values))
    lower = np.linalg.cholesky(covariance)
    x, y = (solve_triangular(lower, part, lower=True) for part in (design, values))
    inner = x.T @ x
    fit = np.linalg.solve(inner, x.T @ y)
    left = y - x @ fit
    freedom = len(values) - 2
    sigma2 = max(float(left @ left) / freedom, 1e-12)
    logdet = 2 * float(np.log(np.diag(lower)).sum()) + float(np.linalg.slogdet(inner)[1])
    likelihood = -0.5 * (freedom * math.log(sigma2) + logdet)
    return likelihood, float(fit[1]), sigma2 * float(np.linalg.inv(inner)[1, 1])


def _at_most(at_s: Floats, values: Floats) -> tuple[Floats, Floats, int]:
    """No more samples than can be weighed against each other: means of so many neighbours each."""
    each = -(-len(at_s) // _MOST_SAMPLES)
    if each == 1:
        return at_s, values, 1
    count = len(at_s) // each
    whole = slice(0, count * each)
    # a median of a few would not have the mean's scatter
    return at_s[whole].reshape(count, each).mean(1), values[whole].reshape(count, each).mean(1), each


def _spread(values: Floats) -> float:
    return max(float(1.4826 * np.median(np.abs(values - np.median(values)))), 1e-9)
