"""A guide calibration: the star is moved west and back, north and back, and the places say the rest."""

import math
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Any

from vigil.engine.activities.moves import slew_to
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.frames import GuideFrames, pulse, scale_of
from vigil.guiding.calibration import (
    SIDEREAL_ARCSEC_S,
    Axis,
    Direction,
    GuideCalibration,
    Judged,
    Move,
    NoCalibration,
    Side,
    calibration_of,
    judge,
)
from vigil.guiding.several import Shift
from vigil.planning.sides import EAST, WEST, flips, side_after_slew
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes

_STEPS, _MOST_BACK, _MOST_TAKE_UP = 10, 40, 16
_WAY_PX, _LEAST_ARCSEC, _MOST_ARCSEC = 25.0, 150.0, 250.0
_OF_FRAME = 0.2
"""How much of the guide camera's shorter side a leg may take: the star stays in the frame."""
_LEAST_PULSE_MS, _MOST_PULSE_MS = 100, 8000
_TAKEN_UP_STEPS = 3
_FOLLOWS = 0.6
"""Of a step, by which the star has to go on for the play to be taken up."""
_SEARCH_PX, _TRIES = 12.0, 3
_WELL_KNOWN_DEG, _WELL_KNOWN_RATE, _WELL_KNOWN_BACKLASH = 0.25, 0.006, 0.025
"""Standard errors: an axis's angle, its rate and the backlash as shares of themselves. More moves until then,
but no more than so many rounds; a turn has so many steps."""
_MOST_MORE, _TURN_STEPS = 6, 2
_PLACE_HOUR_DEG, _LOWEST_COS = 10.0, 0.2
Tell = Callable[[dict[str, Any], str], Awaitable[None]]


@dataclass(frozen=True, slots=True)
class Made:
    """A calibration with what is said of it."""

    calibration: GuideCalibration
    judged: Judged
    scale_arcsec_px: float
    moves: tuple[Move, ...]
    left_px: tuple[float, float] = (0.0, 0.0)
    """Where the star stands then, against its first place."""


async def go_to_the_place(kit: Kit, side: str = "") -> str:
    """Slew near the equator, ten degrees beside the meridian, on the side where the mount looks or on the one
    asked for. Returns the side of the pier then. Raises ActivityFailed and what devices raise."""
    mount = kit.devices.named("mount")
    if mount.state is None:
        raise ActivityFailed("the mount's position is unknown")
    at, site = from_datetimes(kit.clock.utcnow()), kit.rig.site.place()
    west = side == "west"
    if not side:
        west = float(observe(mount.state.ra_deg, mount.state.dec_deg, at, site).hour_angle_deg) >= 0
    ra_deg, dec_deg = unobserve(_PLACE_HOUR_DEG if west else -_PLACE_HOUR_DEG, 0.0, at, site)
    return await slew_to(kit, float(ra_deg) % 360, float(dec_deg))


def pier_side_of(kit: Kit) -> Side:
    """By the mount's word; where it doesn't tell as the night knows it, else where a slew would leave it."""
    mount, rig = kit.devices.named("mount").state, kit.rig
    told = mount.pier_side.value if mount is not None else ""
    if told not in (WEST, EAST) and mount is not None and flips(rig):
        told = kit.side or side_after_slew(rig, mount.ra_deg, mount.dec_deg, kit.clock.utcnow())
    return told if told in ("west", "east") else ""  # type: ignore[return-value]


async def calibrate(kit: Kit, frames: GuideFrames, tell: Tell) -> Made:
    """With stars that are chosen. The pulse before anything is known follows from scale and rate, so that a
    leg is some twenty pixels long. Cut off, the star stands elsewhere by as much, and nothing else. Raises
    ActivityFailed."""
    mount = kit.devices.named("mount")
    part = kit.rig.mount
    if part is None or mount.state is None:
        raise ActivityFailed("the mount's position is unknown")
    scale, dec_deg = scale_of(kit, frames.binning), mount.state.dec_deg
    run = _Run(kit, frames, tell, scale, part.guide_rate * SIDEREAL_ARCSEC_S, dec_deg)
    moves = await run.legs()
    on_side = pier_side_of(kit)
    rotator = kit.devices.rotator
    angle = rotator.state.angle_deg if rotator is not None and rotator.state is not None else None
    try:
        found = calibration_of(moves, dec_deg, on_side, frames.binning, angle)
        for _ in range(_MOST_MORE):
            if not await run.more(found):
                break
            found = calibration_of(moves, dec_deg, on_side, frames.binning, angle)
    except NoCalibration as problem:
        raise ActivityFailed(f"no calibration: {problem}") from None
    return Made(found, judge(found, scale, part.guide_rate), scale, tuple(moves), run.where)


class _Run:
    def __init__(
        self, kit: Kit, frames: GuideFrames, tell: Tell, scale: float, rate_arcsec_s: float, dec_deg: float
    ) -> None:
        self._kit, self._frames, self._tell = kit, frames, tell
        guider = kit.rig.guider
        side_px = min(guider.rows, guider.columns) / frames.binning if guider else 500.0
        way = min(max(_WAY_PX * scale, _LEAST_ARCSEC), _MOST_ARCSEC, _OF_FRAME * side_px * scale)
        cos = max(math.cos(math.radians(dec_deg)), _LOWEST_COS)
        self._step_px = way / scale / _STEPS
        pulse_ms = 1000 * way / rate_arcsec_s / _STEPS
        self._pulse_ms = {"ra": self._bounded(pulse_ms / cos), "dec": self._bounded(pulse_ms)}
        self._began = kit.clock.utcnow()
        self._moves: list[Move] = []
        self._where = (0.0, 0.0)

    @property
    def where(self) -> tuple[float, float]:
        """The star's last place against its first, px."""
        return self._where

    @staticmethod
    def _bounded(pulse_ms: float) -> int:
        return round(min(max(pulse_ms, _LEAST_PULSE_MS), _MOST_PULSE_MS))

    async def legs(self) -> list[Move]:
        """West and back, then north until the play is taken up, on, and south until it is back."""
        await self._take_up()
        self._moves.clear()
        await self._look("west", 0)
        await self._there_and_back("west", "east", "ra", _STEPS)
        for _ in range(_STEPS):
            await self._step("north", "dec")
        far = self._where
        back = 0
        while back < _STEPS or (self._away(far) < self._step_px * _STEPS and back < _MOST_BACK):
            await self._step("south", "dec")
            back += 1
        return self._moves

    async def more(self, found: GuideCalibration) -> bool:
        """Moves for what isn't well known yet; False where all is."""
        again = False
        if not _well_known(found.ra):
            await self._there_and_back("west", "east", "ra", _STEPS)
            again = True
        backlash_known = found.backlash_error_s <= _WELL_KNOWN_BACKLASH * found.backlash_s
        if not _well_known(found.dec):
            await self._there_and_back("north", "south", "dec", _STEPS)
            again = True
        elif found.shows_backlash and not backlash_known:
            await self._there_and_back("north", "south", "dec", _TURN_STEPS)
            again = True
        return again

    async def _there_and_back(self, onward: Direction, back: Direction, axis: str, steps: int) -> None:
        for direction in (onward, back):
            for _ in range(steps):
                await self._step(direction, axis)

    async def _take_up(self) -> None:
        """North, until the star has followed three times."""
        await self._look("north", 0)
        followed = 0
        for _ in range(_MOST_TAKE_UP):
            before = self._where
            await self._step("north", "dec")
            followed = followed + 1 if self._away(before) > _FOLLOWS * self._step_px else 0
            if followed >= _TAKEN_UP_STEPS:
                return

    def _away(self, place: tuple[float, float]) -> float:
        return math.dist(self._where, place)

    async def _step(self, direction: Direction, axis: str) -> None:
        duration_ms = self._pulse_ms[axis]
        await pulse(self._kit, direction, duration_ms)
        await self._look(direction, duration_ms)
        if axis == "dec":  # once more, for the backlash is the hardest to know
            await self._look(direction, 0)
        number = len(self._moves)
        dx, dy = self._where
        await self._tell(
            {"direction": direction, "pulse_ms": duration_ms, "dx_px": round(dx, 3), "dy_px": round(dy, 3)},
            f"{number}: {direction} {duration_ms} ms, the star stands {dx:+.1f}, {dy:+.1f} px from its place",
        )

    async def _look(self, direction: Direction, duration_ms: int) -> Shift:
        for _ in range(_TRIES):
            seen = await self._frames.look(self._where, _SEARCH_PX + self._step_px)
            if seen.shift is not None:
                self._where = seen.shift.dx_px, seen.shift.dy_px
                at_s = (seen.at - self._began).total_seconds()
                self._moves.append(Move(direction, duration_ms / 1000, *self._where, at_s))
                return seen.shift
        raise ActivityFailed(f"the star is lost, {direction} of its place: cloud, or too long a pulse")


def _well_known(axis: Axis) -> bool:
    return (
        axis.angle_error_deg <= _WELL_KNOWN_DEG and axis.rate_error_px_s <= _WELL_KNOWN_RATE * axis.rate_px_s
    )
