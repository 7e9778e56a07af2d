"""The polar axis out of two or three solved frames between which the mount has turned about it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from vigil.polar.attitude import Sighting, attitude
from vigil.sky.site import Site

Floats = NDArray[np.float64]
ARCSEC = np.radians(1 / 3600)
_LEAST_TURN_DEG = 2.0
"""A shorter turn tells nothing: the mount did not move, or hardly."""


class NoAxis(ValueError):
    """The frames don't show an axis; the message says why."""


@dataclass(frozen=True, slots=True)
class Axis:
    """`direction` is a unit vector (east, north, up), on the pole's side of the horizon or near it;
    `covariance` that of its two small turns about east and about the vertical (rad²). `turns_deg` are those
    from each frame to the next, westward positive as the sky turns; `chi2` the fit's, of `freedom`
    degrees."""

    direction: Floats
    covariance: Floats
    turns_deg: tuple[float, ...]
    chi2: float
    freedom: int

    @property
    def fits(self) -> bool:
        """Whether the frames agree with one axis, as far as more than two of them can tell."""
        return self.freedom == 0 or self.chi2 < 16.0 * self.freedom


def axis_of(sightings: Sequence[Sighting], site: Site) -> Axis:
    """By least squares: one attitude, one axis, and a turn about it to each further frame, against centres
    and orientations, each weighted by its own error. Between frames the mount tracks too, about the same
    axis: the turns have that in them. Raises NoAxis."""
    if len(sightings) < 2:
        raise NoAxis(f"{len(sightings)} frame: an axis takes two, better three")
    stood = [attitude(sighting, site) for sighting in sightings]
    pole = np.sign(site.latitude_deg or 1.0)
    first, turns = _guess(stood, pole)
    weights = np.array([[1 / s.sigma_turn_arcsec, 1 / s.sigma_arcsec, 1 / s.sigma_arcsec] for s in sightings])

    def predicted(values: Floats) -> list[Floats]:
        axis = _tilted(first, values[:2])
        begins = stood[0] @ Rotation.from_rotvec(values[2:5]).as_matrix().T
        angles = [0.0, *values[5:]]
        return [begins @ Rotation.from_rotvec(angle * axis).as_matrix().T for angle in angles]

    def off(values: Floats) -> Floats:
        told = [_small_turn(was, now) for was, now in zip(stood, predicted(values), strict=True)]
        return np.asarray((np.array(told) / ARCSEC * weights).ravel())

    begin = np.concatenate([np.zeros(5), turns])
    found = least_squares(
        off, begin, x_scale=np.concatenate([np.full(5, ARCSEC), np.full(len(turns), ARCSEC)])
    )
    freedom = found.fun.size - begin.size
    chi2 = float(found.fun @ found.fun)
    covariance = np.linalg.pinv(found.jac.T @ found.jac)[:2, :2] * max(
        1.0, chi2 / freedom if freedom else 1.0
    )
    angles = np.degrees(np.diff([0.0, *found.x[5:]]))
    # about the pole that stands up the sky turns the other way in the south
    return Axis(
        _tilted(first, found.x[:2]), covariance, tuple(float(-pole * a) for a in angles), chi2, freedom
    )


def _guess(stood: Sequence[Floats], pole: float) -> tuple[Floats, Floats]:
    """The axis of the longest turn, and each frame's turn from the first about it."""
    whole = [Rotation.from_matrix(now.T @ stood[0]).as_rotvec() for now in stood[1:]]
    longest = max(whole, key=lambda turn: float(np.linalg.norm(turn)))
    if np.degrees(np.linalg.norm(longest)) < _LEAST_TURN_DEG:
        raise NoAxis(
            f"the camera has turned by {np.degrees(np.linalg.norm(longest)):.1f}° only: did the mount turn?"
        )
    axis = longest / np.linalg.norm(longest)
    if axis[1] * pole < 0:
        axis = -axis
    return axis, np.array([float(turn @ axis) for turn in whole])


def _tilted(direction: Floats, by: Floats) -> Floats:
    """Turned a little about east and about the vertical."""
    turn = Rotation.from_euler("z", by[1]) * Rotation.from_euler("x", by[0])
    return np.asarray(turn.apply(direction))


def _small_turn(was: Floats, now: Floats) -> Floats:
    """From one attitude to a near one, about the attitude's own three directions (rad)."""
    turn = 0.5 * np.cross(was, now).sum(axis=0)
    return np.asarray(was @ turn)
