"""A mount whose aim is a little off what it says: index errors, cone error, some chance."""

from datetime import datetime, timedelta

import numpy as np

from vigil.devices.errors import Refused
from vigil.devices.protocols import Capabilities, MountState, PierSide
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

    async def capabilities(self) -> Capabilities:
        site, part = self._bench.rig.site, self._bench.rig.mount
        figures = {"site.latitude_deg": site.latitude_deg, "site.longitude_deg": site.longitude_deg}
        figures |= {"mount.reports_pier_side": part.reports_pier_side if part else True}
        return Capabilities(figures=figures, clock_off_s=0.2)

    async def read(self) -> MountState:
        bench = self._bench
        bench.need("mount")
        now = bench.clock.utcnow()
        self._settle_motion(now)
        ra_deg, dec_deg = self._believed_deg(now)
        state = bench.state
        tells = bench.rig.mount is not None and bench.rig.mount.reports_pier_side
        side = PierSide(state.pier_side) if tells else PierSide.UNKNOWN
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
        lowest = bench.rig.mount.lowest_altitude_deg if bench.rig.mount else 5.0
        if seen.altitude_deg < lowest:
            raise Refused(
                f"mount: the place to slew to stands {seen.altitude_deg:.0f}° high, limit {lowest:g}°"
            )
        bench.state.tracking = True
        await self._move(ra_deg, dec_deg, parks=False)

    async def park(self) -> None:
        bench = self._bench
        bench.need("mount")
        self._settle_motion(bench.clock.utcnow())
        if bench.state.parked:
            return
        await self._move(*self._park_at(), parks=True)

    def _park_at(self) -> tuple[float, float]:
        """The stored position that the rig parks at, else along the polar axis."""
        bench, part = self._bench, self._bench.rig.mount
        site, now = bench.rig.site.place(), bench.clock.utcnow()
        if part is None or part.park is None:
            return park_position(site, now)
        stored = part.position(part.park)
        ra_deg, dec_deg = unobserve(stored.hour_angle_deg, stored.dec_deg, from_datetimes(now), site)
        return float(ra_deg % 360), float(dec_deg)

    async def move_axis(self, axis: int, rate_deg_s: float) -> None:
        bench, state = self._bench, self._bench.state
        bench.need("mount")
        if state.parked:
            raise Refused("mount: parked, unpark it before moving it")
        self._stay(bench.clock.utcnow())
        west, north = state.hand_rates_deg_s
        state.hand_rates_deg_s = (rate_deg_s, north) if axis == 0 else (west, rate_deg_s)
        bench.save()

    async def stop(self) -> None:
        bench = self._bench
        bench.need("mount")
        self._stay(bench.clock.utcnow())
        bench.state.motion = None
        bench.state.hand_rates_deg_s = (0.0, 0.0)
        bench.save()

    async def _move(self, ra_deg: float, dec_deg: float, parks: bool) -> None:
        bench, state = self._bench, self._bench.state
        now = bench.clock.utcnow()
        self._stay(now)
        away = float(separation_deg(state.ra_deg, state.dec_deg, ra_deg, dec_deg))
        part = bench.rig.mount
        assert part is not None
        state.hand_rates_deg_s = (0.0, 0.0)
        seconds = away / part.slew_deg_s + part.settle_s
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
        side = PierSide.WEST if seen.hour_angle_deg < 0 or not self._flips else PierSide.EAST
        state.pier_side = side.value
        sign = 1 if side is PierSide.WEST else -1
        rng = generator(state.seed, "slew", state.next_count("slew"))
        chance_arcsec = min(8.0, 0.7 + 0.3 * away)
        east, north = self._index_arcmin
        state.east_error_arcsec = 60 * (
            east * np.cos(np.radians(state.dec_deg)) + sign * self._cone_arcmin
        ) + rng.normal(0, chance_arcsec)
        state.north_error_arcsec = 60 * north * sign + rng.normal(0, chance_arcsec)

    @property
    def _flips(self) -> bool:
        """A fork or an alt-azimuth mount has one side only."""
        return self._bench.rig.mount is not None and self._bench.rig.mount.kind == "german"

    def _believed_deg(self, now: datetime) -> tuple[float, float]:
        state = self._bench.state
        if state.motion is not None:
            motion = state.motion
            whole = (motion.ends - motion.began).total_seconds()
            share = min(1.0, max(0.0, (now - motion.began).total_seconds() / whole)) if whole > 0 else 1.0
            turn = float(wrap_180(motion.to_ra_deg - motion.from_ra_deg))
            dec_deg = motion.from_dec_deg + share * (motion.to_dec_deg - motion.from_dec_deg)
            return (motion.from_ra_deg + share * turn) % 360, dec_deg
        seconds = (now - state.since).total_seconds()
        west, north = state.hand_rates_deg_s
        drift = (0.0 if state.tracking else _SIDEREAL_DEG_S) - west
        return (state.ra_deg + drift * seconds) % 360, float(
            np.clip(state.dec_deg + north * seconds, -90, 90)
        )

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
