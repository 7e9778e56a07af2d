"""The polar axis out of a star's drift in declination, while nothing corrects that axis."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.stats import t as student
from scipy.stats import theilslopes

Floats = NDArray[np.float64]
AxisName = Literal["azimuth", "altitude"]

ARCSEC_MIN_PER_ARCMIN = 15.041067 * 60 * math.radians(1 / 60)
"""By how much a star drifts where an axis that is an arc-minute off shows all of it: 0.26″ a minute."""
_LEAST_SAMPLES, _LEAST_SHARE = 20, 0.2
_HUBER, _ROUNDS = 1.345, 30
"""Residuals beyond so many standard deviations count less (Huber 1981, Robust Statistics, section 7.6)."""
_MOST_LIKE_THE_LAST = 0.95
_WANTED_ARCMIN = 0.5
_REFRACTION_ARCSEC = 58.3
"""Of the zenith distance's tangent, in standard air at sea level."""


class NoDrift(ValueError):
    """The record says too little, or the place shows too little of the axis; the message says which."""


@dataclass(frozen=True, slots=True)
class Drift:
    """Of a star in declination: arc-seconds a minute, + northward, with 95 % intervals; and what that says of
    an axis, arc-minutes (+ too high, + east of the pole). `enough` once the interval is as narrow as was
    asked, else in about so many seconds."""

    rate_arcsec_min: float
    half_rate_arcsec_min: float
    error_arcmin: float
    interval_95: tuple[float, float]
    enough: bool
    seconds_more: float


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
    minute_deg = 15.041067 / 60

    def lifted_arcsec(hour_deg: float) -> float:
        lat, dec, hour = (math.radians(v) for v in (latitude_deg, dec_deg, hour_deg))
        sin_alt = math.sin(lat) * math.sin(dec) + math.cos(lat) * math.cos(dec) * math.cos(hour)
        alt = math.asin(max(min(sin_alt, 1.0), -1.0))
        if alt < math.radians(2.0):
            raise NoDrift(f"the star stands {math.degrees(alt):.0f}° high: too low to tell")
        lift = _REFRACTION_ARCSEC * pressure_hpa / 1010.0 / math.tan(alt)
        # the parallactic angle's cosine: how much of upward is northward
        north = (math.sin(lat) - sin_alt * math.sin(dec)) / max(math.cos(alt) * math.cos(dec), 1e-6)
        return lift * max(min(north, 1.0), -1.0)

    later, earlier = (lifted_arcsec(hour_angle_deg + by) for by in (minute_deg / 2, -minute_deg / 2))
    return later - earlier


def drift_of(
    at_s: Floats,
    dec_arcsec: Floats,
    axis: AxisName,
    latitude_deg: float,
    hour_angle_deg: float,
    dec_deg: float = 0.0,
    pressure_hpa: float = 1010.0,
    wanted_arcmin: float = _WANTED_ARCMIN,
) -> Drift:
    """A straight line through the star's places (″, + north) that single wild samples don't pull, after the
    air's memory is taken out of them, so that its error is told truly. Raises NoDrift."""
    share = shown(axis, hour_angle_deg, latitude_deg)
    if abs(share) < _LEAST_SHARE * ARCSEC_MIN_PER_ARCMIN:
        where = "near the meridian" if axis == "azimuth" else "far east or west"
        raise NoDrift(f"at an hour angle of {hour_angle_deg:.0f}° {axis} hardly shows: take a star {where}")
    if len(at_s) < _LEAST_SAMPLES:
        raise NoDrift(f"{len(at_s)} samples: at least {_LEAST_SAMPLES} are needed")
    slope, error, freedom = _robust_slope(np.asarray(at_s, dtype=float), np.asarray(dec_arcsec, dtype=float))
    rate, half = 60 * slope, 60 * error * float(student.ppf(0.975, freedom))
    by_air = refraction_drift_arcsec_min(latitude_deg, dec_deg, hour_angle_deg, pressure_hpa)
    found, half_error = (rate - by_air) / share, half / abs(share)
    enough = half_error <= wanted_arcmin
    lasted = float(at_s[-1] - at_s[0])
    # a slope's error falls with the time's power of one and a half
    more = 0.0 if enough else lasted * ((half_error / wanted_arcmin) ** (2 / 3) - 1)
    return Drift(rate, half, found, (found - half_error, found + half_error), enough, more)


def _robust_slope(at_s: Floats, values: Floats) -> tuple[float, float, int]:
    """(slope, standard error, degrees of freedom): Cochrane and Orcutt (1949, JASA 44, 32) take the memory
    of one sample for the last out of the samples, Huber's weights the wild ones."""
    start = theilslopes(values, at_s)
    left = values - (start.intercept + start.slope * at_s)
    left = np.clip(left, -4 * _spread(left), 4 * _spread(left))
    alike = float(np.clip((left[1:] @ left[:-1]) / max(left @ left, 1e-12), 0.0, _MOST_LIKE_THE_LAST))
    y, x = values[1:] - alike * values[:-1], at_s[1:] - alike * at_s[:-1]
    design = np.stack([np.full_like(x, 1 - alike), x - x.mean()], axis=1)
    weights = np.ones_like(y)
    for _ in range(_ROUNDS):
        root = np.sqrt(weights)
        fit = np.linalg.lstsq(design * root[:, None], y * root, rcond=None)[0]
        off = y - design @ fit
        spread = max(_spread(off), 1e-9)
        weights = np.minimum(1.0, _HUBER * spread / np.maximum(np.abs(off), 1e-12))
    counted = weights > 0.5
    freedom = max(int(weights.sum()) - 3, 3)
    psi = np.clip(off, -_HUBER * spread, _HUBER * spread)
    scale = float(np.sum(psi**2) / freedom) / max(float(np.mean(counted)) ** 2, 0.25)
    covariance = scale * np.linalg.inv(design.T @ design)
    return float(fit[1]), math.sqrt(float(covariance[1, 1])), freedom


def _spread(values: Floats) -> float:
    return float(1.4826 * np.median(np.abs(values - np.median(values))))
