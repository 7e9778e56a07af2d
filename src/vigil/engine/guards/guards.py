"""The guards' round, every second, whatever goes on. By themselves they stop motion, and shut and park."""

import asyncio
import logging
from datetime import UTC, datetime, timedelta
from typing import Any

from vigil.devices.protocols import MountState, PierSide
from vigil.devices.supervised import POLL_S, SupervisedDevices
from vigil.devices.ways import SUN_CLEARANCE_DEG, keep_at
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.rig import Rig
from vigil.engine.activities.shelter import Shelter, unsheltered
from vigil.engine.arbiter import Arbiter
from vigil.engine.conditions.safe import Safe, sky_check
from vigil.engine.guards.charge import Charge
from vigil.engine.guards.limits import LimitGuard
from vigil.engine.guards.readers import Readers
from vigil.planning.daylight import DAY_ABOVE_DEG, sun_altitude_deg
from vigil.runtime.clock import Clock
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

log = logging.getLogger(__name__)

_STALE_S = 15.0
"""A sensor's state that was read longer ago says nothing."""
_BLIND_AFTER = 3
"""A round that fails so often in a row counts as an unsafe sky."""
_PAUSES_S = (5.0, 15.0, 60.0)
_SUN_EVERY, _DISK_EVERY = timedelta(seconds=20), timedelta(seconds=30)
_SUN_UP_DEG, _SUN_DEG_MIN = -1.0, 0.26
"""Over this altitude it may shine on the tube; it climbs no faster than this in a minute."""


class Guards:
    """`charge` may change at any time; `sheltering` says in words why all is being shut, or was last."""

    def __init__(
        self,
        rig: Rig,
        devices: SupervisedDevices,
        clock: Clock,
        arbiter: Arbiter,
        charge: Charge,
        look_every_s: float = POLL_S,
    ) -> None:
        self.rig = rig
        self.charge = charge
        self._devices, self._clock, self._arbiter = devices, clock, arbiter
        self._look_every_s = look_every_s
        self._readers = Readers(devices)
        self._limits = LimitGuard()
        self._shelter: asyncio.Task[None] | None = None
        self._failed = 0
        self._again: datetime | None = None
        self._blind = 0
        self._was_well = True
        self._sun: tuple[datetime, float] | None = None
        self._sun_until = datetime.min.replace(tzinfo=UTC)
        self._disk_at: datetime | None = None
        self._disk_was = ""
        self._worried_side = ""

    @property
    def sheltering(self) -> bool:
        """Whether things are being shut now."""
        return self._shelter is not None and not self._shelter.done()

    async def keep_on(self) -> None:
        """Until cancelled; nothing else ends it."""
        try:
            while True:
                await self._clock.sleep(self._look_every_s)
                try:
                    await self.round()
                    self._blind = 0
                except Exception:
                    self._blind += 1
                    log.exception("the guards' look failed, %d times in a row", self._blind)
                    if self._blind >= _BLIND_AFTER:
                        self._shut_for("the guards can't see: an error in Vigil", self._clock.utcnow())
        finally:
            self._readers.stop()

    async def stop(self) -> None:
        """Wait until what a guard has begun to shut is shut; for the keeper's end."""
        if self._shelter is not None:
            await asyncio.wait({self._shelter})

    async def round(self) -> None:
        """One look at everything."""
        lost = await self._readers.round()
        now, mount = self._clock.utcnow(), self._devices.mount
        if mount is not None:
            await self._limits.look(self.rig, mount, self.charge, now)
            await self._look_at_side(mount.state if mount.connected else None)
        why = self.unsafe(now) if self.charge.may_shelter() else None
        why = why or self.too_bright(now) or self._sun_comes(now)
        if why is not None and self._was_well:
            self.charge.unsafe(why)
        self._was_well = why is None
        if why is None:
            self._failed, self._again = 0, None
        else:
            self._shut_for(why, now)
        self._look_at_disk(now)
        for device in lost:
            self.charge.lost(device.name, f"{device.name} lost: {device.fault}; {device.advice}")

    # -- safety and the day -----------------------------------------------------------------------

    def unsafe(self, now: datetime) -> str | None:
        """In words, while the rig's sensors don't say that the sky is safe; None without sensors. One that is
        silent, or was read too long ago, says nothing."""
        if not Safe.wanted(self.rig) or not any(device.connected for device in self._devices.all()):
            return None
        stale_s = max(_STALE_S, 3 * self._look_every_s)
        states = {
            device.name: device.state
            for device in self._devices.all()
            if DEVICE_KINDS[device.name].senses_safety and device.connected and device.age_s <= stale_s
        }
        check = sky_check(self.rig, states, now, held=False)
        return None if check.met else check.words

    def too_bright(self, now: datetime) -> str | None:
        """In words, while the day has come and nobody asked for it."""
        altitude = self._sun_altitude_deg(now)
        if altitude <= DAY_ABOVE_DEG or self.charge.wants_daylight(now):
            return None
        return f"the sun is at {altitude:+.0f}°: by day nothing stays open that nobody wants open"

    def _sun_comes(self, now: datetime) -> str | None:
        """In words, when the sun comes near a tube that stands open to it, whoever wants that."""
        mount = self._devices.mount
        if (
            mount is None
            or mount.state is None
            or self._sun_altitude_deg(now) < _SUN_UP_DEG
            or mount.state.slewing
        ):
            return None
        shut = [d.state for d in (self._devices.roof, self._devices.cover) if d is not None and d.connected]
        if mount.state.parked or any(s is not None and s.shutter == "closed" for s in shut):
            return None
        site = self.rig.site.place().airless()
        seen = observe(mount.state.ra_deg, mount.state.dec_deg, from_datetimes(now), site)
        near = keep_at(self.rig, now).near_sun_deg(float(seen.hour_angle_deg), float(seen.dec_deg))
        if float(near) <= 0:
            return None
        return f"the sun is {SUN_CLEARANCE_DEG - float(near):.0f}° from where the open tube looks"

    def _sun_altitude_deg(self, now: datetime) -> float:
        """As it was when last reckoned: it is reckoned anew before it can have come to a limit."""
        if self._sun is None or not self._sun[0] <= now < self._sun_until:
            altitude = sun_altitude_deg(self.rig.site, now)
            far_deg = min(abs(altitude - limit) for limit in (DAY_ABOVE_DEG, _SUN_UP_DEG))
            self._sun = now, altitude
            self._sun_until = now + max(_SUN_EVERY, timedelta(minutes=far_deg / _SUN_DEG_MIN))
        return self._sun[1]

    def open(self) -> list[str]:
        """What stands open or awake, in words."""
        states = {device.name: device.state or device.last_seen for device in self._devices.all()}
        return unsheltered(self.rig, {name: state for name, state in states.items() if state is not None})

    def _shut_for(self, why: str, now: datetime) -> None:
        """Begun, it is carried through, whatever flickers; failed, it is tried again."""
        if self.sheltering or (self._again is not None and now < self._again):
            return
        opened = self.open()
        if opened:
            self._shelter = asyncio.ensure_future(self._shut(f"{why}; {', '.join(opened)}"))

    async def _shut(self, why: str) -> None:
        try:
            problem = await self.charge.carry(Shelter(), "sheltered", why)
        except Exception as error:
            log.exception("shelter failed")
            problem = str(error)
        if problem is None:
            self._failed, self._again = 0, None
            return
        pause_s = _PAUSES_S[min(self._failed, len(_PAUSES_S) - 1)]
        self._failed += 1
        self._again = self._clock.utcnow() + timedelta(seconds=pause_s)
        log.error("not sheltered: %s; again in %.0f s", problem, pause_s)

    # -- the disk, and sides ----------------------------------------------------------------------

    def _look_at_disk(self, now: datetime) -> None:
        if self._disk_at is not None and timedelta(0) <= now - self._disk_at < _DISK_EVERY:
            return
        self._disk_at = now
        trouble = self.charge.disk_trouble(now)
        if trouble and not self._disk_was:
            self.charge.disk(trouble)
        self._disk_was = trouble

    async def _look_at_side(self, mount: MountState | None) -> None:
        """A mount that has changed sides though nobody sent it."""
        last = self.charge.side()
        if mount is None or mount.pier_side is PierSide.UNKNOWN or not last or mount.parked or mount.slewing:
            return
        side, moving = mount.pier_side.value, self._arbiter.mover("mount")
        if side == last or moving is not None:
            self._worried_side = ""
        elif self._worried_side != side:
            self._worried_side = side  # what was sent a moment ago may not be on record yet
        else:
            values: dict[str, Any] = {"device": "mount", "guard": "side", "side": side}
            await self.charge.guarded(
                values, f"the mount changed sides by itself: the tube is {side} of the pier"
            )
            self._worried_side = ""
