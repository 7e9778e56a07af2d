"""The meridian flip: wait until it may be, slew to the same place again, see that the tube has changed
sides."""

from dataclasses import dataclass
from typing import Any

from vigil.devices.protocols import PierSide
from vigil.documents.rig.mount import MINUTES_PER_DEGREE
from vigil.engine.activities.moves import slew_to
from vigil.engine.activities.solving import ready_to_solve, solved_frame, solved_values
from vigil.engine.activity import Activity, ActivityFailed, Kit
from vigil.planning.flip import SIDEREAL_RATE, hour_angle_min, rule_of
from vigil.planning.overheads import FLIP_S
from vigil.planning.sides import WEST, beyond_min, window_on
from vigil.sky.angles import separation_deg, wrap_180
from vigil.solving.wcs import Wcs

# the camera turns with the tube: by half a turn, give or take what a badly aligned axis adds
_TURNED_WITHIN_DEG = 20.0
_STEP_S = 10.0
_LONGEST_WAIT_MIN = 45.0
_STANDS_MIN = 0.4
_SURE_MIN = 2.5
"""Nearer to the meridian than this a slew might end on either side, by the mount's own clock and axes."""
# a slew that begins on the meridian itself might end on either side
_PAST_S = 5.0


@dataclass(frozen=True)
class Flip(Activity):
    """The place is where the mount says it is, so that its hour angle is that of the axis; the target is
    centred afterwards. `angle_before_deg` is the camera's position angle by the last solved frame, None
    where unknown."""

    KIND = "flip"
    PATIENT = True
    DEVICES = frozenset({"camera", "filter wheel", "focuser", "mount"})
    DISTURBS = ("pointing", "angle")

    target: str
    ra_deg: float
    dec_deg: float
    focus_position: int | None
    angle_before_deg: float | None
    refocus: bool
    settles_for: tuple[str, float, float] | None = None
    """Block and aim, where no centring follows: what its own frame shows is taken as it is."""
    side: str = WEST
    """Of the pier, that the tube is to leave."""

    @property
    def words(self) -> str:
        return f"flipping the mount for {self.target}"

    @property
    def expected_s(self) -> float:
        return FLIP_S

    @property
    def disturbs(self) -> tuple[str, ...]:
        return (*self.DISTURBS, "focus") if self.refocus else self.DISTURBS

    async def run(self, kit: Kit) -> dict[str, Any]:
        await self._wait(kit)
        at_min = self._here_min(kit)
        await self._try_within_limits(kit, at_min)
        side = await slew_to(kit, self.ra_deg, self.dec_deg)
        state = kit.devices.mount.state if kit.devices.mount else None
        reports = state is not None and state.pier_side is not PierSide.UNKNOWN
        if side == self.side:
            raise ActivityFailed(f"the mount says that the tube is still {side} of the pier")
        told = {"hour_angle_min": round(at_min, 2), "side": side}
        said = f"tube {side} of the pier" if reports else "the mount doesn't say its side"
        solved = await self._turned(kit, said, side)
        return {
            **told,
            **solved,
            "summary": f"flipped {at_min:.1f} min after the meridian: {solved['words']}",
        }

    async def _try_within_limits(self, kit: Kit, here_min: float) -> None:
        """Past the tube's limit it first changes sides at a place which both sides may look at: one that
        stays on its side must not be sent past its limit. Raises ActivityFailed when it stays."""
        window = window_on(kit.rig, self.side)
        if window is None or here_min <= (rule := rule_of(window)).limit_min - _STANDS_MIN:
            return
        safe_min = max((rule.earliest_min + rule.limit_min) / 2, _SURE_MIN)
        side = await slew_to(kit, self.ra_deg + (here_min - safe_min) / MINUTES_PER_DEGREE, self.dec_deg)
        if side == self.side:
            raise ActivityFailed(f"the mount says that the tube is still {side} of the pier")

    async def _wait(self, kit: Kit) -> None:
        """Until the window opens, told as it goes."""
        window, mount = window_on(kit.rig, self.side), kit.devices.mount
        rule = rule_of(window) if window is not None else None
        earliest = max(rule.earliest_min if rule is not None else 0.0, _SURE_MIN)
        kit.progress.begin("flip", self.words, 0, 1, "")
        if earliest - self._here_min(kit) > _LONGEST_WAIT_MIN:
            raise ActivityFailed(f"the flip may begin in {earliest - self._here_min(kit):.0f} min only")
        while True:
            here = self._here_min(kit)
            left_s = 60 * (earliest - here) / SIDEREAL_RATE + _PAST_S
            if left_s <= _PAST_S and here > 0:
                return
            tracks = mount is not None and mount.state is not None and mount.state.tracking
            if rule is not None and mount is not None and tracks and here >= rule.limit_min - _STANDS_MIN:
                # its limit comes before its window: it stands until the sky has moved on
                await mount.do("stop tracking", 10.0, lambda m: m.track(False))
            await kit.clock.sleep(min(left_s, _STEP_S))

    def _here_min(self, kit: Kit) -> float:
        """Minutes after the meridian that the tube has to leave its side at."""
        return beyond_min(self.side, hour_angle_min(self.ra_deg, self.dec_deg, kit.rig, kit.clock.utcnow()))

    async def _turned(self, kit: Kit, said: str, side: str) -> dict[str, Any]:
        """Whether a solved frame shows half a turn. Raises ActivityFailed when it shows none, or when nothing
        at all tells the side."""
        try:
            exposure = await ready_to_solve(kit, self.focus_position)
            solution, wcs = await solved_frame(kit, exposure, (self.ra_deg, self.dec_deg), 1)
        except ActivityFailed as problem:
            if said.startswith("tube"):
                return {"words": f"{said}; not confirmed by a frame: {problem}"}
            raise ActivityFailed(f"{said}, and {problem}: the flip can't be confirmed") from None
        await kit.step(solved_values(solution, wcs), f"camera at {wcs.position_angle_deg:.1f}°")
        angle = {"angle": {"position_angle_deg": wcs.position_angle_deg}, **self._settled(wcs, side)}
        if self.angle_before_deg is None:
            return {**angle, "words": f"{said}; no frame before it tells how the camera stood"}
        turned = abs(float(wrap_180(wcs.position_angle_deg - self.angle_before_deg)))
        if turned < 180 - _TURNED_WITHIN_DEG:
            raise ActivityFailed(
                f"{said}, but the camera has turned by {turned:.1f}° only: the tube has stayed on its side"
            )
        return {
            **angle,
            "turned_deg": round(turned, 2),
            "words": f"{said}; the camera turned by {turned:.1f}°",
        }

    def _settled(self, wcs: Wcs, side: str) -> dict[str, Any]:
        """Where the tube came to stand, as a pointing."""
        if self.settles_for is None:
            return {}
        block, ra_deg, dec_deg = self.settles_for
        off_arcsec = 3600 * float(separation_deg(wcs.ra_deg, wcs.dec_deg, ra_deg, dec_deg))
        pointing = {
            "block": block,
            "off_px": round(off_arcsec / wcs.scale_arcsec_px, 2),
            "off_arcsec": round(off_arcsec, 2),
            "aim_ra_deg": self.ra_deg,
            "aim_dec_deg": self.dec_deg,
            "side": side,
        }
        return {"pointing": pointing}
