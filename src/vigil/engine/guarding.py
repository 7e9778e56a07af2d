"""What is watched every second, whatever goes on: limits that nothing may cross."""

from datetime import datetime, timedelta

from vigil.devices.protocols import MountState, PierSide
from vigil.documents.rig import Rig
from vigil.planning.flip import SIDEREAL_RATE, FlipRule, hour_angle_min, rule_for
from vigil.sky.angles import separation_deg

# a tube that tracks into its limit is stopped this much before it, in minutes of hour angle
_BEFORE_MIN = 0.1
_SAME_PLACE_DEG = 0.25
_LOOK_AGAIN_MIN = 1.0


class LimitGuard:
    """The mount's limit after the meridian. Hour angles are reckoned anew only when the limit may be near."""

    def __init__(self) -> None:
        self._reckoned: tuple[float, float] | None = None
        self._not_before: datetime | None = None

    def crossed(self, rig: Rig, mount: MountState, side: str, at: datetime) -> str | None:
        """In words, when a tube that tracks west of the pier has reached the end of its flip window; else
        None. `side` is where its last slew left it, for a mount that doesn't say."""
        rule = rule_for(rig)
        if rule is None or not mount.tracking or mount.slewing or mount.parked:
            self._reckoned = None
            return None
        told = mount.pier_side
        if told is PierSide.EAST or (told is PierSide.UNKNOWN and side != PierSide.WEST.value):
            return None
        return self._reached(rule, rig, mount, at)

    def _reached(self, rule: FlipRule, rig: Rig, mount: MountState, at: datetime) -> str | None:
        place = mount.ra_deg, mount.dec_deg
        same = self._reckoned is not None and separation_deg(*self._reckoned, *place) < _SAME_PLACE_DEG
        if same and self._not_before is not None and at < self._not_before:
            return None
        here = hour_angle_min(*place, rig, at)
        left = rule.limit_min - _BEFORE_MIN - here
        if left <= 0 and here < 360:
            return (
                f"tracking stopped at the mount's limit: {here:.1f} min after the meridian, still west of "
                f"the pier, limit {rule.limit_min:g} min"
            )
        self._reckoned = place
        skip = min(max(0.0, left / SIDEREAL_RATE - _LOOK_AGAIN_MIN), 360.0) if left > 0 else 60.0
        self._not_before = at + timedelta(minutes=skip)
        return None
