"""Tilt and curvature of the field, from the best positions of its zones in one run.

best(x, y) = centre + slope · (x, y) + curvature · (x² + y²): a tilted sensor gives the slope, a flattener at
the wrong distance the curvature.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vigil.focusing.fit import Curve, NoCurve, Point, fit

LEAST_ZONES = 5
_USUAL_SIGMAS = 1.96


@dataclass(frozen=True, slots=True)
class Zone:
    """A part of the field: where its stars lie from the sensor's centre (mm; x to the right, y up), and their
    sizes against the focuser's position in µm of travel."""

    x_mm: float
    y_mm: float
    points: Sequence[Point]


@dataclass(frozen=True, slots=True)
class ZoneFocus:
    """A zone's best position in µm, and its standard error."""

    x_mm: float
    y_mm: float
    best_um: float
    sigma_um: float


@dataclass(frozen=True, slots=True)
class FieldFocus:
    """`tilt_deg` is the angle between sensor and focal plane, `towards_deg` the direction in which best focus
    moves outwards (from x towards y), with its standard error; `tilt_um` what that makes from corner to
    corner. `curvature_um` is how much farther out the corners are in focus than the centre: with it alone
    over its error the back focus is off, and `curvature_sigma_um` is that error."""

    centre_um: float
    tilt_deg: float
    tilt_sigma_deg: float
    towards_deg: float
    tilt_um: float
    curvature_um: float
    curvature_sigma_um: float
    zones: tuple[ZoneFocus, ...]


class NoField(ValueError):
    """The zones don't tell; the message says why."""


def field_focus(zones: Sequence[Zone], width_mm: float, height_mm: float) -> FieldFocus:
    """Fit every zone's curve, and a tilted bowl through their best positions, each weighed by its error.
    Zones without a curve are left out; raises NoField when too few are left."""
    found = [z for z in map(_zone_focus, zones) if z is not None]
    if len(found) < LEAST_ZONES:
        raise NoField(
            f"{len(found)} of {len(zones)} zones have a curve of their own, {LEAST_ZONES} are needed: "
            "more stars, or fewer zones"
        )
    x, y, best, sigma = (np.array([getattr(z, name) for z in found]) for name in ZoneFocus.__slots__)
    design = np.stack([np.ones_like(x), x, y, x**2 + y**2], axis=1) / sigma[:, None]
    if np.linalg.matrix_rank(design) < design.shape[1]:
        raise NoField("the zones with a curve lie on one line, or on one circle: they tell no tilt")
    inverse = np.linalg.inv(design.T @ design)
    centre, across, upwards, bowl = inverse @ (design.T @ (best / sigma))
    off = best / sigma - design @ np.array([centre, across, upwards, bowl])
    freedom = max(len(found) - 4, 1)
    # zones may agree worse than their own errors say: a field is no perfect bowl
    covariance = inverse * max(float(off @ off) / freedom, 1.0)
    slope = math.hypot(across, upwards)  # µm a mm, so a thousandth each
    along = np.array([across, upwards]) / slope if slope > 0 else np.array([1.0, 0.0])
    corner2 = (width_mm**2 + height_mm**2) / 4
    return FieldFocus(
        centre_um=float(centre),
        tilt_deg=math.degrees(math.atan(slope / 1000)),
        tilt_sigma_deg=math.degrees(math.sqrt(float(along @ covariance[1:3, 1:3] @ along)) / 1000),
        towards_deg=math.degrees(math.atan2(upwards, across)) % 360,
        tilt_um=slope * 2 * math.sqrt(corner2),
        curvature_um=float(bowl) * corner2,
        curvature_sigma_um=math.sqrt(float(covariance[3, 3])) * corner2,
        zones=tuple(found),
    )


def _zone_focus(zone: Zone) -> ZoneFocus | None:
    try:
        curve: Curve = fit(zone.points)
    except NoCurve:
        return None
    sigma = (curve.interval[1] - curve.interval[0]) / (2 * _USUAL_SIGMAS)
    return ZoneFocus(zone.x_mm, zone.y_mm, curve.best, max(sigma, 1e-6))
