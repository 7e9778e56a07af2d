"""A German mount whose aim is a little off what it says: index errors, cone error, some chance."""

from datetime import datetime, timedelta

import numpy as np

from vigil.devices.errors import Refused
from vigil.devices.protocols import MountState, PierSide
from vigil.simulator.chance import generator
from vigil.simulator.gear import Bench
from vigil.simulator.state import MountMotion
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes
from vigil.sky.site import Site

_SIDEREAL_DEG_S = 15.041067 / 3600


def park_position(site: Site, at: datetime) -> tuple[float, float]:
    """The ICRS direction that the parked tube points at: along the polar axis, just off it."""
    pole = 89.0 if site.latitude_deg >= 0 else -89.0
    ra_deg, dec_deg = unobserve(-90.0, pole, from_datetimes(at), site)
    return float(ra_deg % 360), float(dec_deg)


class SimMount:
    """Tracks exactly; its errors are made at each slew and stay until the next."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        rng = generator(bench.state.seed, "mount")
        self._index_arcmin = rng.normal(0, 8), rng.normal(0, 6)
        self._cone_arcmin = rng.normal(0, 4)
        self._camera_angle_deg = float(rng.uniform(0, 360))

    async def connect(self) -> None:
        await self._bench.connect("mount", 2.0)

    async def disconnect(self) -> None:
        self._bench.disconnect("mount")

    async def read(self) -> MountState:
        bench = self._bench
        bench.need("mount")
        now = bench.clock.utcnow()
        self._settle_motion(now)
        ra_deg, dec_deg = self._believed_deg(now)
        state = bench.state
        side = PierSide(state.pier_side)
        return MountState(ra_deg, dec_deg, state.tracking, state.parked, state.motion is not None, side)

    async def unpark(self) -> None:
        self._bench.need("mount")
        self._bench.state.parked = False
        self._bench.save()

    async def track(self, on: bool) -> None:
        bench = self._bench
        bench.need("mount")
        if on and bench.state.parked:
            raise Refused("mount: parked, unpark it before tracking")
        self._stay(bench.clock.utcnow())
        bench.state.tracking = on
        bench.save()

    async def slew(self, ra_deg: float, dec_deg: float) -> None:
        bench = self._bench
        bench.need("mount")
        if bench.state.parked:
            raise Refused("mount: parked, unpark it before slewing")
        now = bench.clock.utcnow()
        seen = observe(ra_deg, dec_deg, from_datetimes(now), bench.rig.site.place())
        if seen.altitude_deg < 5:
            raise Refused(f"mount: the place to slew to stands {seen.altitude_deg:.0f}° high, limit 5°")
        bench.state.tracking = True
        await self._move(ra_deg, dec_deg, parks=False)

    async def park(self) -> None:
        bench = self._bench
        bench.need("mount")
        self._settle_motion(bench.clock.utcnow())
        if bench.state.parked:
            return
        ra_deg, dec_deg = park_position(bench.rig.site.place(), bench.clock.utcnow())
        await self._move(ra_deg, dec_deg, parks=True)

    async def stop(self) -> None:
        bench = self._bench
        bench.need("mount")
        self._stay(bench.clock.utcnow())
        bench.state.motion = None
        bench.save()

    async def _move(self, ra_deg: float, dec_deg: float, parks: bool) -> None:
        bench, state = self._bench, self._bench.state
        now = bench.clock.utcnow()
        self._stay(now)
        away = float(separation_deg(state.ra_deg, state.dec_deg, ra_deg, dec_deg))
        seconds = away / bench.rig.mount.slew_deg_s + bench.rig.mount.settle_s
        state.motion = MountMotion(
            from_ra_deg=state.ra_deg,
            from_dec_deg=state.dec_deg,
            to_ra_deg=ra_deg,
            to_dec_deg=dec_deg,
            began=now,
            ends=now + timedelta(seconds=seconds),
            parks=parks,
        )
        bench.save()
        await bench.clock.sleep(seconds)
        self._settle_motion(bench.clock.utcnow() + timedelta(milliseconds=1))
        bench.save()

    def _settle_motion(self, now: datetime) -> None:
        """Take over the end of a motion whose time has come."""
        state = self._bench.state
        motion = state.motion
        if motion is None or now < motion.ends:
            return
        state.motion = None
        state.ra_deg, state.dec_deg, state.since = motion.to_ra_deg, motion.to_dec_deg, motion.ends
        if motion.parks:
            state.parked, state.tracking = True, False
        self._draw_errors(motion)

    def _draw_errors(self, motion: MountMotion) -> None:
        state = self._bench.state
        away = float(
            separation_deg(motion.from_ra_deg, motion.from_dec_deg, motion.to_ra_deg, motion.to_dec_deg)
        )
        seen = observe(state.ra_deg, state.dec_deg, from_datetimes(motion.ends), self._bench.rig.site.place())
        # the counterweight stays down: a target east of the meridian is looked at from the pier's west side
        side = PierSide.WEST if seen.hour_angle_deg < 0 else PierSide.EAST
        state.pier_side = side.value
        sign = 1 if side is PierSide.WEST else -1
        rng = generator(state.seed, "slew", state.next_count("slew"))
        chance_arcsec = min(8.0, 0.7 + 0.3 * away)
        east, north = self._index_arcmin
        state.east_error_arcsec = 60 * (
            east * np.cos(np.radians(state.dec_deg)) + sign * self._cone_arcmin
        ) + rng.normal(0, chance_arcsec)
        state.north_error_arcsec = 60 * north * sign + rng.normal(0, chance_arcsec)

    def _believed_deg(self, now: datetime) -> tuple[float, float]:
        state = self._bench.state
        if state.motion is not None:
            motion = state.motion
            whole = (motion.ends - motion.began).total_seconds()
            share = min(1.0, max(0.0, (now - motion.began).total_seconds() / whole)) if whole > 0 else 1.0
            turn = float(wrap_180(motion.to_ra_deg - motion.from_ra_deg))
            dec_deg = motion.from_dec_deg + share * (motion.to_dec_deg - motion.from_dec_deg)
            return (motion.from_ra_deg + share * turn) % 360, dec_deg
        drift = 0.0 if state.tracking else _SIDEREAL_DEG_S * (now - state.since).total_seconds()
        return (state.ra_deg + drift) % 360, state.dec_deg

    def _stay(self, now: datetime) -> None:
        """Make the present place the one that is remembered."""
        self._settle_motion(now)
        state = self._bench.state
        state.ra_deg, state.dec_deg = self._believed_deg(now)
        state.since = now
        state.motion = None

    def true_pointing_deg(self, now: datetime) -> tuple[float, float]:
        """Where the image's centre really is."""
        ra_deg, dec_deg = self._believed_deg(now)
        state = self._bench.state
        east = state.east_error_arcsec / 3600 / max(np.cos(np.radians(dec_deg)), 0.02)
        return float((ra_deg + east) % 360), float(dec_deg + state.north_error_arcsec / 3600)

    def position_angle_deg(self) -> float:
        """Of the camera's rows on the sky; the other side of the pier turns it by 180°."""
        turned = 180.0 if self._bench.state.pier_side == PierSide.EAST.value else 0.0
        return (self._camera_angle_deg + turned) % 360
