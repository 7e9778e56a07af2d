"""The mount's limits: a tube that has tracked to one stands still; one that moves the wrong way is
stopped."""

import logging
from datetime import datetime, timedelta

from vigil.devices.errors import DeviceError
from vigil.devices.protocols import Mount, MountState, PierSide
from vigil.devices.supervised import Supervised
from vigil.devices.ways import Place, keep_at, worse
from vigil.documents.rig import Rig
from vigil.engine.guards.charge import Charge
from vigil.planning.limits import look
from vigil.sky.angles import separation_deg
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

log = logging.getLogger(__name__)

_SAME_PLACE_DEG = 0.25
_LONGEST_REST_MIN = 30.0
_MOVES_DEG = 0.06
"""From one look to the next: more than the sky's own turning in ten seconds."""
_STOP_S = 10.0


class LimitGuard:
    """Where the mount is reckoned only when a limit may be near, or it moves."""

    def __init__(self) -> None:
        self._reckoned: tuple[float, float, str] | None = None
        self._not_before: datetime | None = None
        self._before: tuple[float, float, bool] | None = None

    async def look(
        self, rig: Rig, mount: Supervised[Mount, MountState], charge: Charge, at: datetime
    ) -> None:
        """Never raises DeviceError: what could not be stopped is tried again at the next look."""
        state = mount.state
        if state is None or not mount.connected or state.parked:
            self._reckoned = self._before = None
            return
        words = self._wrong_way(rig, state, at)
        if words is not None:
            await self._stop(mount, charge, words, still=True)
        elif state.tracking and not state.slewing:
            told = self._at_limit(rig, state, charge.side(), at)
            if told is not None:
                await self._stop(mount, charge, told, still=False)
        else:
            self._reckoned = None

    def _at_limit(self, rig: Rig, state: MountState, last_side: str, at: datetime) -> str | None:
        side = last_side if state.pier_side is PierSide.UNKNOWN else state.pier_side.value
        here = self._reckoned
        same = (
            here is not None
            and here[2] == side
            and separation_deg(here[0], here[1], state.ra_deg, state.dec_deg) < _SAME_PLACE_DEG
        )
        if same and self._not_before is not None and at < self._not_before:
            return None
        told = look(rig, state.ra_deg, state.dec_deg, side, at)
        self._reckoned = state.ra_deg, state.dec_deg, side
        self._not_before = at + timedelta(minutes=min(_LONGEST_REST_MIN, told.spare_min))
        return told.words

    def _wrong_way(self, rig: Rig, state: MountState, at: datetime) -> str | None:
        """Why a motion must not go on: it comes nearer to the sun, or goes on past an altitude."""
        before, self._before = self._before, (state.ra_deg, state.dec_deg, state.slewing)
        if before is None or separation_deg(before[0], before[1], state.ra_deg, state.dec_deg) < _MOVES_DEG:
            return None
        was, now = _seen(rig, before[0], before[1], at), _seen(rig, state.ra_deg, state.dec_deg, at)
        fault = worse(keep_at(rig, at), was, now)
        return (
            None if fault is None else f"the mount was stopped: {fault.replace('the way there', 'its way')}"
        )

    async def _stop(
        self, mount: Supervised[Mount, MountState], charge: Charge, words: str, still: bool
    ) -> None:
        try:
            await mount.refresh()
            if not still and (mount.state is None or mount.state.slewing or not mount.state.tracking):
                return  # it has been sent elsewhere meanwhile: that must not be cut off
            if still:
                await mount.do("stop", _STOP_S, lambda m: m.stop(), tries=1)
            await mount.do("stop tracking", _STOP_S, lambda m: m.track(False), tries=1)
        except DeviceError as problem:
            log.error("the mount would not stop (%s): %s", words, problem)
            return
        self._reckoned = None
        await charge.guarded({"device": "mount", "guard": "limit"}, words)
        charge.stopped(words)


def _seen(rig: Rig, ra_deg: float, dec_deg: float, at: datetime) -> Place:
    seen = observe(ra_deg, dec_deg, from_datetimes(at), rig.site.place().airless())
    return float(seen.hour_angle_deg), float(seen.dec_deg)
