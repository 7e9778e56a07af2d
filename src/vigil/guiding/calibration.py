"""The guide calibration: which way and how far a star moves for a correction, out of measured moves."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

Floats = NDArray[np.float64]
Direction = Literal["west", "east", "north", "south"]
Side = Literal["west", "east", ""]

SIDEREAL_ARCSEC_S = 15.041067
"""Of the sky's turn, at the celestial equator."""
LEAST_MOVES = 4
_LOWEST_COS_DEC = 0.03
_RATE_OFF, _SQUARE_OFF_DEG, _CROOKED, _SIGMAS = 0.15, 8.0, 0.12, 3.0
_WEAK_SHARE = 0.3
_SHORT_WAY_PX = 10.0


class NoCalibration(ValueError):
    """The moves say too little; the message says what is missing."""


@dataclass(frozen=True, slots=True)
class Move:
    """Where the star stood (px; column, row) after a pulse in a direction had lasted so long, and when
    (seconds from the first). The first of a leg may be of no length: where it begins."""

    direction: Direction
    pulse_s: float
    x_px: float
    y_px: float
    at_s: float


@dataclass(frozen=True, slots=True)
class Axis:
    """The way a star goes for a second of pulse west or north: a rate (px/s) with its standard error, towards
    an angle (from the columns' direction towards the rows'). `crooked` is the scatter about a straight line
    as a share of the way, `way_px` its length."""

    rate_px_s: float
    rate_error_px_s: float
    angle_deg: float
    angle_error_deg: float
    crooked: float
    way_px: float

    @property
    def vector(self) -> Floats:
        """Of a second's pulse, px (column, row)."""
        turn = math.radians(self.angle_deg)
        return self.rate_px_s * np.array([math.cos(turn), math.sin(turn)])


@dataclass(frozen=True, slots=True)
class GuideCalibration:
    """At the declination and on the side of the pier where it was made. `ra` is a pulse west, `dec` one
    north. `backlash_s` is the pulse that declination loses when it turns back, with its standard error;
    `drift_px_s` the star's own way meanwhile."""

    ra: Axis
    dec: Axis
    backlash_s: float
    backlash_error_s: float
    drift_px_s: tuple[float, float]
    dec_deg: float
    pier_side: Side = ""
    binning: int = 1
    rotator_deg: float | None = None

    @property
    def square_off_deg(self) -> float:
        """By how much the angle between the axes differs from a right one."""
        between = abs((self.dec.angle_deg - self.ra.angle_deg + 180) % 360 - 180)
        return between - 90

    @property
    def shows_backlash(self) -> bool:
        """Whether it is more than its error makes likely."""
        return self.backlash_s > 2 * self.backlash_error_s

    @property
    def mirrored(self) -> bool:
        """Whether north is on the other hand of west than in the sky seen from below."""
        return math.sin(math.radians(self.dec.angle_deg - self.ra.angle_deg)) < 0

    def rates_arcsec_s(self, scale_arcsec_px: float) -> tuple[float, float]:
        """On the sky, right ascension and declination; `scale_arcsec_px` is of the binned pixel."""
        return self.ra.rate_px_s * scale_arcsec_px, self.dec.rate_px_s * scale_arcsec_px

    def sky_arcsec(self, dx_px: float, dy_px: float, scale_arcsec_px: float) -> tuple[float, float]:
        """A star's shift as (ra on the sky, dec), + where a pulse east or south puts it: so a pulse of +
        milliseconds (west, north) moves the star to smaller values."""
        west, north = self.ra.vector / self.ra.rate_px_s, self.dec.vector / self.dec.rate_px_s
        along = np.linalg.solve(np.stack([west, north], axis=1), np.array([dx_px, dy_px]))
        return -float(along[0]) * scale_arcsec_px, -float(along[1]) * scale_arcsec_px

    def pixels(self, ra_arcsec: float, dec_arcsec: float, scale_arcsec_px: float) -> tuple[float, float]:
        """The other way."""
        west, north = self.ra.vector / self.ra.rate_px_s, self.dec.vector / self.dec.rate_px_s
        moved = -(ra_arcsec * west + dec_arcsec * north) / scale_arcsec_px
        return float(moved[0]), float(moved[1])

    def at_declination(self, dec_deg: float) -> "GuideCalibration":
        """Elsewhere a pulse in right ascension moves the star by the cosine of the declination."""
        share = _cos(dec_deg) / _cos(self.dec_deg)
        rate, error = self.ra.rate_px_s * share, self.ra.rate_error_px_s * share
        return replace(self, ra=replace(self.ra, rate_px_s=rate, rate_error_px_s=error), dec_deg=dec_deg)

    def on_side(self, side: Side, dec_turns_back: bool = False) -> "GuideCalibration":
        """After a flip the camera stands on its head: both axes are turned by half a turn. A mount that
        turns its declination motor's sense round itself (`dec_turns_back`) leaves that axis as it was."""
        if not side or not self.pier_side or side == self.pier_side:
            return self
        dec = self.dec if dec_turns_back else _turned(self.dec, 180)
        return replace(self, ra=_turned(self.ra, 180), dec=dec, pier_side=side)

    def turned_to(self, rotator_deg: float | None, sense: int = 1) -> "GuideCalibration":
        """Where the guide camera turns with the rotator: `sense` is +1 when its angle grows the way that
        position angles do, in a frame that isn't mirrored."""
        if rotator_deg is None or self.rotator_deg is None:
            return self
        turn = sense * (1 if self.mirrored else -1) * (rotator_deg - self.rotator_deg)
        return replace(self, ra=_turned(self.ra, turn), dec=_turned(self.dec, turn), rotator_deg=rotator_deg)


def calibration_of(
    moves: Sequence[Move],
    dec_deg: float,
    pier_side: Side = "",
    binning: int = 1,
    rotator_deg: float | None = None,
) -> GuideCalibration:
    """Out of legs west and east, north and south, in whatever order. Raises NoCalibration.

    One least-squares fit to all places: a start, the star's own drift and its bend (the worm's slow wave
    would lean the axes otherwise), and a way for each second of pulse on each axis; in declination the first
    pulse after a turn is lost in the gears up to the backlash, which is sought so that what is left over is
    least (the legs before the first turn must have taken it up).
    """
    if min(sum(m.direction == d for m in moves) for d in ("west", "east", "north", "south")) < LEAST_MOVES:
        raise NoCalibration(f"at least {LEAST_MOVES} moves each way are needed")
    places = np.array([[m.x_px, m.y_px] for m in moves])
    west_s = np.cumsum([m.pulse_s * _way(m.direction, "west", "east") for m in moves])
    at_s = np.array([m.at_s for m in moves]) - np.mean([m.at_s for m in moves])
    longest_s = sum(m.pulse_s for m in moves if m.direction == "south")

    def design(backlash_s: float) -> Floats:
        return np.stack([np.ones(len(moves)), at_s, at_s**2, west_s, _after_play(moves, backlash_s)], axis=1)

    def left_over(backlash_s: float) -> float:
        a = design(backlash_s)
        found = np.linalg.lstsq(a, places, rcond=None)[0]
        return float(((places - a @ found) ** 2).sum())

    backlash_s = _least(left_over, 0.9 * longest_s)
    a = design(backlash_s)
    found = np.linalg.lstsq(a, places, rcond=None)[0]
    free = 2 * len(moves) - 11
    scatter = math.sqrt(max(left_over(backlash_s), 1e-12) / free)
    # the backlash's own column, so that all errors know of each other
    eps = max(1e-3, 0.02 * longest_s / 10)
    slope = (_after_play(moves, backlash_s + eps) - _after_play(moves, max(backlash_s - eps, 0.0))) / (
        backlash_s + eps - max(backlash_s - eps, 0.0)
    )
    errors = _errors(a, slope[:, None] * found[4], scatter * _lasting(places - a @ found))
    ra = _axis(found[3], errors[3], scatter, west_s)
    dec = _axis(found[4], errors[4], scatter, a[:, 4])
    if min(ra.way_px, dec.way_px) < 6 * scatter or ra.rate_px_s <= 0 or dec.rate_px_s <= 0:
        worse = "right ascension" if ra.way_px < dec.way_px else "declination"
        raise NoCalibration(
            f"the star moved by only {min(ra.way_px, dec.way_px):.1f} px in {worse}, its places scatter "
            f"{scatter:.1f} px: does the mount take corrections? Longer moves are needed"
        )
    return GuideCalibration(
        ra=ra,
        dec=dec,
        backlash_s=backlash_s,
        backlash_error_s=errors[5],
        drift_px_s=(float(found[1, 0]), float(found[1, 1])),
        dec_deg=dec_deg,
        pier_side=pier_side,
        binning=binning,
        rotator_deg=rotator_deg,
    )


def _way(direction: str, onward: str, back: str) -> int:
    return (direction == onward) - (direction == back)


def _after_play(moves: Sequence[Move], backlash_s: float) -> Floats:
    """Seconds of pulse north that the axis has followed. The play is taken up northward before the first."""
    axis, motor, ways = 0.0, 0.0, []
    for move in moves:
        motor += move.pulse_s * _way(move.direction, "north", "south")
        # the motor drags the axis along at both ends of the play
        axis = min(max(axis, motor), motor + backlash_s)
        ways.append(axis)
    return np.array(ways)


def _least(of: Callable[[float], float], most_s: float) -> float:
    """Where it is least from 0 to most: a coarse look, then the valley."""
    if most_s <= 0:
        return 0.0
    grid = np.linspace(0.0, most_s, 60)
    values = [of(float(s)) for s in grid]
    k = int(np.argmin(values))
    low, high = grid[max(k - 1, 0)], grid[min(k + 1, len(grid) - 1)]
    return float(minimize_scalar(of, bounds=(low, high), method="bounded", options={"xatol": 1e-3}).x)


def _errors(a: Floats, by_backlash: Floats, scatter: float) -> list[float]:
    """Standard errors of the columns' factors (those of x and y are alike), and of the backlash."""
    count, columns = a.shape
    both = np.zeros((2 * count, 2 * columns + 1))
    both[:count, :columns] = a
    both[count:, columns : 2 * columns] = a
    both[:count, -1], both[count:, -1] = by_backlash[:, 0], by_backlash[:, 1]
    covariance = np.linalg.pinv(both.T @ both) * scatter**2
    own = np.sqrt(np.diag(covariance))
    return [float(v) for v in (own[:columns] + own[columns : 2 * columns]) / 2] + [float(own[-1])]


def _lasting(left: Floats) -> float:
    """By how much what is left makes the errors larger when one frame's resembles the last one's, as the
    slow part of the seeing does: √((1 + ρ)/(1 − ρ)) of a first-order memory (Priestley 1981, Spectral
    Analysis and Time Series, 5.3.2)."""
    power = float((left**2).sum())
    alike = float((left[1:] * left[:-1]).sum()) / power if power > 0 else 0.0
    alike = min(max(alike, 0.0), 0.8)
    return math.sqrt((1 + alike) / (1 - alike))


def _axis(vector: Floats, error: float, scatter: float, pulses_s: Floats) -> Axis:
    rate = float(np.hypot(*vector))
    way = rate * float(np.ptp(pulses_s))
    return Axis(
        rate_px_s=rate,
        rate_error_px_s=error,
        angle_deg=float(np.degrees(np.arctan2(vector[1], vector[0]))) % 360,
        angle_error_deg=float(np.degrees(error / rate)) if rate > 0 else 180.0,
        crooked=scatter / way if way > 0 else 1.0,
        way_px=way,
    )


def _turned(axis: Axis, by_deg: float) -> Axis:
    return replace(axis, angle_deg=(axis.angle_deg + by_deg) % 360)


def _cos(dec_deg: float) -> float:
    return max(math.cos(math.radians(dec_deg)), _LOWEST_COS_DEC)


@dataclass(frozen=True, slots=True)
class Judged:
    """What is to be said of a calibration: `good` when it may be used as it is."""

    good: bool
    words: tuple[str, ...]


def judge(calibration: GuideCalibration, scale_arcsec_px: float, guide_rate: float) -> Judged:
    """Against what the mount's guide rate (times sidereal) and the scale of a binned pixel predict."""
    said: list[str] = []
    bad = False
    cos = _cos(calibration.dec_deg)
    for name, axis, share in (
        ("right ascension", calibration.ra, cos),
        ("declination", calibration.dec, 1.0),
    ):
        predicted = guide_rate * SIDEREAL_ARCSEC_S * share / scale_arcsec_px
        off = axis.rate_px_s / predicted - 1
        if abs(off) > max(_RATE_OFF, _SIGMAS * axis.rate_error_px_s / predicted):
            bad = bad or axis.rate_px_s < _WEAK_SHARE * predicted
            said.append(
                f"{name} moves {axis.rate_px_s:.2f} px/s, {predicted:.2f} were to be expected: is the guide "
                "rate or the guide scope's focal length right?"
            )
        if axis.crooked > _CROOKED:
            bad = True
            said.append(f"{name} went crooked: places scatter by {100 * axis.crooked:.0f} % of the way")
        if axis.way_px < _SHORT_WAY_PX:
            said.append(f"{name} moved by only {axis.way_px:.1f} px: longer moves are more exact")
    off_deg = calibration.square_off_deg
    error_deg = math.hypot(calibration.ra.angle_error_deg, calibration.dec.angle_error_deg)
    if abs(off_deg) > max(_SQUARE_OFF_DEG, _SIGMAS * error_deg):
        bad = True
        said.append(f"the axes stand {90 + off_deg:.0f}° apart in place of 90°")
    if abs(calibration.dec_deg) > 60:
        said.append(f"made at declination {calibration.dec_deg:+.0f}°: nearer to 0° is more exact")
    backlash_arcsec = calibration.backlash_s * calibration.dec.rate_px_s * scale_arcsec_px
    shown = calibration.shows_backlash
    if shown:
        said.append(
            f"declination loses {backlash_arcsec:.1f}″ ({calibration.backlash_s:.1f} s) when it turns back"
        )
    if not said or (len(said) == 1 and shown):
        said.insert(0, "square, straight, and as fast as predicted")
    return Judged(not bad, tuple(said))
