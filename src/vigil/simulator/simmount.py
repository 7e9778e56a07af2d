"""A mount that looks beside where its encoders say: its axes, gears and clock are the scenario's."""

from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from vigil.devices.errors import Refused
from vigil.devices.protocols import Capabilities, MountState, PierSide
from vigil.documents.scenario import FaultKind
from vigil.simulator.chance import generator
from vigil.simulator.gear import Gear
from vigil.simulator.pointing.axes import AxisErrors, Looks, beside, looks_at
from vigil.simulator.pointing.corrections import Corrections
from vigil.simulator.pointing.gears import SIDEREAL_ARCSEC_S, adjusted_arcmin, periodic_error_arcsec, take_up
from vigil.simulator.state import MountMotion
from vigil.sky.angles import separation_deg, wrap_180
from vigil.sky.horizontal import observe, unobserve
from vigil.sky.instants import from_datetimes, from_unix
from vigil.sky.site import Site
from vigil.sky.tangent import deproject

Floats = NDArray[np.float64]
_SIDEREAL_DEG_S = SIDEREAL_ARCSEC_S / 3600
_PUT_ROUNDS = 4
_PULSES = {"west": (1, 0), "east": (-1, 0), "north": (0, 1), "south": (0, -1)}


def park_position(site: Site, at: datetime) -> tuple[float, float]:
    """The ICRS direction that the parked tube points at: along the polar axis, just off it."""
    pole = 89.0 if site.latitude_deg >= 0 else -89.0
    ra_deg, dec_deg = unobserve(-90.0, pole, from_datetimes(at), site)
    return float(ra_deg % 360), float(dec_deg)


class SimMount:
    """Keeps what its encoders show, as an ICRS direction; where the tube looks follows from that and time."""

    def __init__(self, gear: Gear) -> None:
        self._gear = gear
        rng = generator(gear.state.seed, "mount")
        self._seeded_index_arcmin = float(rng.normal(0, 8)), float(rng.normal(0, 6))
        self._seeded_cone_arcmin = float(rng.normal(0, 4))
        self._camera_angle_deg = float(rng.uniform(0, 360))
        self._corrections = Corrections()
        self._held_deg: tuple[float, float] | None = None
        """Where a rehearsal's guiding keeps the tube, ICRS."""

    async def connect(self) -> None:
        await self._gear.connect("mount", 2.0)

    async def disconnect(self) -> None:
        self._gear.disconnect("mount")

    async def capabilities(self) -> Capabilities:
        site = self._gear.rig.site
        figures = {"site.latitude_deg": site.latitude_deg, "site.longitude_deg": site.longitude_deg}
        figures |= {"mount.reports_pier_side": self._tells_side}
        return Capabilities(figures=figures, clock_off_s=self._gear.scenario.mount.clock_off_s)

    @property
    def _tells_side(self) -> bool:
        told, part = self._gear.scenario.mount.tells_pier_side, self._gear.rig.mount
        return told if told is not None else part is None or part.reports_pier_side

    async def read(self) -> MountState:
        gear = self._gear
        gear.need("mount")
        now = gear.clock.utcnow()
        self._settle_motion(now)
        ra_deg, dec_deg = self._told_deg(*self._believed_deg(now), 1)
        state = gear.state
        side = PierSide(state.pier_side) if self._tells_side else PierSide.UNKNOWN
        return MountState(ra_deg, dec_deg, state.tracking, state.parked, state.motion is not None, side)

    async def unpark(self) -> None:
        self._gear.need("mount")
        self._gear.state.parked = False
        self._gear.save()

    async def track(self, on: bool) -> None:
        gear = self._gear
        gear.need("mount")
        if on and gear.state.parked:
            raise Refused("mount: parked, unpark it before tracking")
        self._stay(gear.clock.utcnow())
        gear.state.tracking = on
        gear.save()

    async def slew(self, ra_deg: float, dec_deg: float) -> None:
        gear = self._gear
        gear.need("mount")
        if gear.state.parked:
            raise Refused("mount: parked, unpark it before slewing")
        now = gear.clock.utcnow()
        if gear.faults.active(FaultKind.SLEW_REFUSED, "mount", gear.minutes(now)):
            raise Refused("mount: it will not slew; its controller gives no reason")
        seen = observe(ra_deg, dec_deg, from_datetimes(now), gear.rig.site.place())
        lowest = gear.rig.mount.lowest_altitude_deg if gear.rig.mount else 5.0
        if seen.altitude_deg < lowest:
            raise Refused(
                f"mount: the place to slew to stands {seen.altitude_deg:.0f}° high, limit {lowest:g}°"
            )
        self._stay(now)
        gear.state.tracking = True
        await self._move(*self._told_deg(ra_deg, dec_deg, -1), parks=False)

    async def sync(self, ra_deg: float, dec_deg: float) -> None:
        gear = self._gear
        gear.need("mount")
        if gear.state.parked:
            raise Refused("mount: parked, it can't be told where it looks")
        shown_ra, shown_dec = self._believed_deg(gear.clock.utcnow())
        gear.state.synced_deg = (float(wrap_180(ra_deg - shown_ra)), dec_deg - shown_dec)
        gear.save()

    def _told_deg(self, ra_deg: float, dec_deg: float, sign: int) -> tuple[float, float]:
        """Between what the encoders show and what the mount says, which a sync has set apart."""
        ra, dec = self._gear.state.synced_deg
        return (ra_deg + sign * ra) % 360, float(np.clip(dec_deg + sign * dec, -90, 90))

    async def park(self) -> None:
        gear = self._gear
        gear.need("mount")
        self._settle_motion(gear.clock.utcnow())
        if gear.state.parked:
            return
        await self._move(*self._park_at(), parks=True)

    def _park_at(self) -> tuple[float, float]:
        """The stored position that the rig parks at, else along the polar axis."""
        gear, part = self._gear, self._gear.rig.mount
        site, now = gear.rig.site.place(), gear.clock.utcnow()
        if part is None or part.park is None:
            return park_position(site, now)
        stored = part.position(part.park)
        ra_deg, dec_deg = unobserve(stored.hour_angle_deg, stored.dec_deg, from_datetimes(now), site)
        return float(ra_deg % 360), float(dec_deg)

    async def move_axis(self, axis: int, rate_deg_s: float) -> None:
        gear, state = self._gear, self._gear.state
        gear.need("mount")
        if state.parked:
            raise Refused("mount: parked, unpark it before moving it")
        self._stay(gear.clock.utcnow())
        own = gear.scenario.mount.own_rates
        if own and rate_deg_s:
            nearest = min(own, key=lambda rate: abs(rate * _SIDEREAL_DEG_S - abs(rate_deg_s)))
            rate_deg_s = float(np.copysign(nearest * _SIDEREAL_DEG_S, rate_deg_s))
        west, north = state.hand_rates_deg_s
        state.hand_rates_deg_s = (rate_deg_s, north) if axis == 0 else (west, rate_deg_s)
        gear.save()

    async def pulse(self, direction: str, duration_ms: int) -> None:
        self._gear.need("mount")
        await self.pulse_by_port(direction, duration_ms)

    async def pulse_by_port(self, direction: str, duration_ms: int) -> None:
        """Over the guide camera's cable: what holds the mount's own line up doesn't matter."""
        gear, state, effects = self._gear, self._gear.state, self._gear.scenario.mount
        if direction not in _PULSES:
            raise Refused(f"mount: no pulse goes {direction!r}; there are {', '.join(_PULSES)}")
        if state.parked or not state.tracking:
            raise Refused("mount: it does not track, a pulse would only move it away")
        await gear.clock.sleep(duration_ms / 1000)
        if duration_ms >= effects.shortest_pulse_ms:
            self._stay(gear.clock.utcnow())
            rate = gear.rig.mount.guide_rate if gear.rig.mount else 0.5
            west, north = _PULSES[direction]
            step_deg = rate * _SIDEREAL_DEG_S * duration_ms / 1000
            # the axis is turned by this much, whatever that comes to on the sky
            ra_deg = -west * step_deg * effects.pulse_response[0]
            dec_deg, tube_deg = state.dec_deg, self._tube_deg
            state.ra_deg = (state.ra_deg + ra_deg) % 360
            state.dec_deg = float(
                np.clip(state.dec_deg + north * step_deg * effects.pulse_response[1], -90, 90)
            )
            self._follow_dec()
            moved = ra_deg, state.dec_deg - dec_deg, self._tube_deg - tube_deg
            self._corrections.add(state.since.timestamp(), *moved)
        gear.save()

    async def stop(self) -> None:
        gear = self._gear
        gear.need("mount")
        self._stay(gear.clock.utcnow())
        gear.state.motion = None
        gear.state.hand_rates_deg_s = (0.0, 0.0)
        gear.save()

    def turn_adjusters(self, higher_arcmin: float, east_arcmin: float) -> tuple[float, float]:
        """Turn the polar axis's screws; returns by how much the axis really went, arc-minutes."""
        state, effects = self._gear.state, self._gear.scenario.mount
        chance = generator(state.seed, "adjusters", state.next_count("adjusters")).uniform(-1, 1, 2)
        went = tuple(
            adjusted_arcmin(turn, effects.adjuster_sticks_arcmin, effects.adjuster_jumps, float(c))
            for turn, c in zip((higher_arcmin, east_arcmin), chance, strict=True)
        )
        state.adjusted_arcmin = (state.adjusted_arcmin[0] + went[0], state.adjusted_arcmin[1] + went[1])
        self._gear.save()
        return went[0], went[1]

    def put(self, ra_deg: float, dec_deg: float) -> None:
        """Tracking, and truly looking there, whatever its encoders must show for that: for frames by hand."""
        state, now = self._gear.state, self._gear.clock.utcnow()
        state.parked, state.tracking, state.motion = False, True, None
        state.ra_deg, state.dec_deg, state.since = ra_deg, dec_deg, now
        seen = observe(ra_deg, dec_deg, from_datetimes(now), self._gear.rig.site.place())
        east = self._flips and seen.hour_angle_deg >= 0
        state.pier_side = (PierSide.EAST if east else PierSide.WEST).value
        self._aim_truly(ra_deg, dec_deg, now)

    def _aim_truly(self, ra_deg: float, dec_deg: float, now: datetime) -> None:
        """Turn the axes until the tube really looks there."""
        state = self._gear.state
        for _ in range(_PUT_ROUNDS):
            state.dec_tube_deg = state.dec_deg
            true_ra, true_dec = self.true_pointing_deg(now)
            state.ra_deg = float((state.ra_deg + wrap_180(ra_deg - true_ra)) % 360)
            state.dec_deg = float(np.clip(state.dec_deg + dec_deg - true_dec, -90, 90))
        state.dec_tube_deg = state.dec_deg

    def hold_star(self) -> None:
        """From now on the tube looks where it looks: what guiding does, for rehearsals, which don't see each
        correction."""
        state = self._gear.state
        if self._held_deg is None and state.tracking and state.motion is None:
            self._held_deg = self.true_pointing_deg(self._gear.clock.utcnow())

    def move_held(self, east_arcsec: float, north_arcsec: float) -> None:
        """Hold it so far beside."""
        if self._held_deg is not None:
            ra, dec = deproject(east_arcsec / 3600, north_arcsec / 3600, *self._held_deg)
            self._held_deg = float(ra) % 360, float(dec)

    def let_star_go(self) -> None:
        """The mount tracks on by itself, from where it was held."""
        held, self._held_deg = self._held_deg, None
        if held is not None:
            now = self._gear.clock.utcnow()
            self._stay(now)
            self._aim_truly(*held, now)
            self._gear.save()

    def moved_by_itself(self, arcmin: float) -> None:
        """A fault: the tube was knocked, and its encoders saw it."""
        state = self._gear.state
        self._stay(self._gear.clock.utcnow())
        state.dec_deg = float(np.clip(state.dec_deg - np.copysign(arcmin / 60, state.dec_deg), -90, 90))
        state.dec_tube_deg = state.dec_deg

    async def _move(self, ra_deg: float, dec_deg: float, parks: bool) -> None:
        gear, state = self._gear, self._gear.state
        now = gear.clock.utcnow()
        self._stay(now)
        part = gear.rig.mount
        assert part is not None
        state.hand_rates_deg_s = (0.0, 0.0)
        self._corrections.forget()
        seconds = self._turn_deg(ra_deg, dec_deg, now) / part.slew_deg_s + part.settle_s
        state.motion = MountMotion(
            from_ra_deg=state.ra_deg,
            from_dec_deg=state.dec_deg,
            to_ra_deg=ra_deg,
            to_dec_deg=dec_deg,
            began=now,
            ends=now + timedelta(seconds=seconds),
            parks=parks,
        )
        gear.save()
        await gear.clock.sleep(seconds)
        self._settle_motion(gear.clock.utcnow() + timedelta(milliseconds=1))
        gear.save()

    def _turn_deg(self, ra_deg: float, dec_deg: float, now: datetime) -> float:
        """How far the farther axis has to turn: a change of sides goes round by half a turn and over the
        pole."""
        state = self._gear.state
        hour = abs(float(wrap_180(ra_deg - state.ra_deg)))
        if self._side_at(ra_deg, dec_deg, now).value == state.pier_side:
            return max(hour, abs(dec_deg - state.dec_deg))
        return max(180 - hour, 180 - abs(dec_deg + state.dec_deg))

    def _side_at(self, ra_deg: float, dec_deg: float, at: datetime) -> PierSide:
        """The counterweight stays down: a target east of the meridian is looked at from the pier's west
        side."""
        seen = observe(ra_deg, dec_deg, from_datetimes(at), self._gear.rig.site.place())
        return PierSide.WEST if seen.hour_angle_deg < 0 or not self._flips else PierSide.EAST

    def _settle_motion(self, now: datetime) -> None:
        """Take over the end of a motion whose time has come."""
        state = self._gear.state
        motion = state.motion
        if motion is None or now < motion.ends:
            return
        state.motion = None
        state.ra_deg, state.dec_deg, state.since = motion.to_ra_deg, motion.to_dec_deg, motion.ends
        self._follow_dec()
        if motion.parks:
            state.parked, state.tracking = True, False
        self._draw_errors(motion)

    def _draw_errors(self, motion: MountMotion) -> None:
        """The slew's own: on which side it ends, by how much it missed, whether a mirror has flopped."""
        state, effects, rig = self._gear.state, self._gear.scenario.mount, self._gear.rig
        away = float(
            separation_deg(motion.from_ra_deg, motion.from_dec_deg, motion.to_ra_deg, motion.to_dec_deg)
        )
        side = self._side_at(state.ra_deg, state.dec_deg, motion.ends)
        if self._gear.faults.active(FaultKind.STAYS, "mount", self._gear.minutes(motion.ends)):
            side = PierSide(state.pier_side)
        rng = generator(state.seed, "slew", state.next_count("slew"))
        chance_arcsec = min(effects.slew_scatter_arcsec, (0.7 + 0.3 * away) * effects.slew_scatter_arcsec / 8)
        east, north = rng.normal(0, 1, 2) * chance_arcsec
        state.slew_error_arcsec = (float(east), float(north))
        if side.value != state.pier_side and rig.telescope is not None and rig.telescope.mirror_moves:
            across, up = rng.normal(0, 1, 2) * effects.mirror_shift_arcsec
            state.mirror_arcsec = (float(across), float(up))
        state.pier_side = side.value
        # the wait for settling is part of the move: the tube stood still before it
        settle_s = rig.mount.settle_s if rig.mount else 0.0
        state.arrived = motion.ends - timedelta(seconds=settle_s)

    @property
    def _flips(self) -> bool:
        """A fork or an alt-azimuth mount has one side only."""
        return self._gear.rig.mount is not None and self._gear.rig.mount.kind == "german"

    def _believed_deg(self, now: datetime) -> tuple[float, float]:
        ra_deg, dec_deg = self._believed_at(np.array([(now - self._gear.state.since).total_seconds()]), now)
        return float(ra_deg[0]), float(dec_deg[0])

    def _believed_at(self, since_s: Floats, now: datetime) -> tuple[Floats, Floats]:
        """What the encoders show at so many seconds after `state.since`; a slew is seen as it is at `now`."""
        state = self._gear.state
        if state.motion is not None:
            motion = state.motion
            whole = (motion.ends - motion.began).total_seconds()
            share = min(1.0, max(0.0, (now - motion.began).total_seconds() / whole)) if whole > 0 else 1.0
            turn = float(wrap_180(motion.to_ra_deg - motion.from_ra_deg))
            dec_deg = motion.from_dec_deg + share * (motion.to_dec_deg - motion.from_dec_deg)
            ra_deg = (motion.from_ra_deg + share * turn) % 360
            return np.full_like(since_s, ra_deg), np.full_like(since_s, dec_deg)
        if any(state.hand_rates_deg_s):
            return self._moved_by_hand(since_s)
        drift = 0.0 if state.tracking else _SIDEREAL_DEG_S
        return (state.ra_deg + drift * since_s) % 360, np.full_like(since_s, state.dec_deg)

    def _moved_by_hand(self, since_s: Floats) -> tuple[Floats, Floats]:
        """About its own axes, which are those of today's sky and not the catalogue's: near the pole the two
        differ by as much as a turn is to be measured to."""
        state, site = self._gear.state, self._gear.rig.site.place().airless()
        west, north = state.hand_rates_deg_s
        began = observe(state.ra_deg, state.dec_deg, from_datetimes(state.since), site)
        turns = west + (_SIDEREAL_DEG_S if state.tracking else 0.0)
        dec_deg = np.clip(began.dec_deg + north * since_s, -90, 90)
        hour_angle_deg = began.hour_angle_deg + turns * since_s
        ra, dec = unobserve(hour_angle_deg, dec_deg, from_unix(state.since.timestamp() + since_s), site)
        return np.asarray(ra) % 360, np.asarray(dec)

    def _stay(self, now: datetime) -> None:
        """Make the present place the one that is remembered, with what the axis has slipped meanwhile."""
        if self._held_deg is not None:
            self.let_star_go()
        self._settle_motion(now)
        state = self._gear.state
        since_s = np.array([(now - state.since).total_seconds()])
        slipped, hit = self._slipped_arcsec(since_s, now)
        state.ra_deg, state.dec_deg = self._believed_deg(now)
        state.slipped_arcsec = float((slipped + hit)[0])
        state.since = now
        state.motion = None
        self._follow_dec()

    def _follow_dec(self) -> None:
        """The tube follows its declination drive once the play is taken up."""
        state = self._gear.state
        play_deg = self._gear.scenario.mount.dec_backlash_arcsec / 3600
        state.dec_tube_deg = take_up(self._tube_deg, state.dec_deg, play_deg)

    @property
    def _tube_deg(self) -> float:
        """The tube's declination, as its drive would show it without play."""
        state = self._gear.state
        return state.dec_deg if state.dec_tube_deg is None else state.dec_tube_deg

    # -- the truth ----------------------------------------------------------------------------------

    def _slipped_arcsec(self, since_s: Floats, now: datetime) -> tuple[Floats, Floats]:
        """How far the right ascension axis has come off its encoder, westward: by drift, and by standing
        against the pier."""
        state, effects = self._gear.state, self._gear.scenario.mount
        drift = effects.drift_arcsec_min * since_s / 60 if state.tracking else np.zeros_like(since_s)
        slipped = state.slipped_arcsec + drift
        limit_min = effects.hits_pier_after_min
        if limit_min is None or not self._flips or state.pier_side != PierSide.WEST.value or state.motion:
            return slipped, np.zeros_like(since_s)
        ha_deg, _ = self._encoders_deg(since_s, now)
        beyond_deg = ha_deg + slipped / 3600 - limit_min / 4
        return slipped, -3600 * np.where((beyond_deg > 0) & (ha_deg < 170), beyond_deg, 0.0)

    def at_the_pier(self, now: datetime) -> bool:
        """Whether the tube stands against the pier now."""
        since_s = np.array([(now - self._gear.state.since).total_seconds()])
        return bool(self._slipped_arcsec(since_s, now)[1][0] < 0)

    def _encoders_deg(self, since_s: Floats, now: datetime) -> tuple[Floats, Floats]:
        """Hour angle and declination that the encoders show; the mount reckons without air and by its own
        clock."""
        state = self._gear.state
        ra_deg, dec_deg = self._believed_at(since_s, now)
        seconds = state.since.timestamp() + since_s + self._gear.scenario.mount.clock_off_s
        seen = observe(ra_deg, dec_deg, from_unix(seconds), self._gear.rig.site.place().airless())
        return seen.hour_angle_deg, seen.dec_deg

    def looks(self, at: datetime, later_s: Floats | None = None, guides: bool = False) -> Looks:
        """Where the main or the guide telescope looks, as the site sees it, so many seconds after `at`."""
        looks = self._looks_by_itself(at, later_s, guides)
        if self._held_deg is None:
            return looks
        later_s = np.zeros(1) if later_s is None else later_s
        ra_deg, dec_deg = (np.full_like(later_s, way) for way in self._held_deg)
        seen = observe(ra_deg, dec_deg, from_unix(at.timestamp() + later_s), self._gear.site())
        return Looks(np.asarray(seen.hour_angle_deg), np.asarray(seen.dec_deg), looks.up_deg)

    def _looks_by_itself(self, at: datetime, later_s: Floats | None, guides: bool) -> Looks:
        state, effects, rig = self._gear.state, self._gear.scenario.mount, self._gear.rig
        later_s = np.zeros(1) if later_s is None else later_s
        since_s = (at - state.since).total_seconds() + later_s
        ha_deg, dec_deg = self._encoders_deg(since_s, at)
        # what pulses have turned since then had not been turned yet
        later_ra, later_dec, later_tube = self._corrections.since(at.timestamp() + later_s)
        ha_deg, dec_deg = ha_deg + later_ra, dec_deg - later_dec
        west = state.pier_side == PierSide.WEST.value
        worm_angle = ha_deg if west else ha_deg + 180
        off = periodic_error_arcsec(worm_angle, effects.worm_period_s, effects.periodic_error)
        slipped, hit = self._slipped_arcsec(since_s, at)
        ha_deg = ha_deg + (off + slipped + hit) / 3600
        play_deg = effects.dec_backlash_arcsec / 3600
        behind_deg = self._tube_deg - later_tube - (state.dec_deg - later_dec)
        dec_deg = dec_deg + np.clip(behind_deg, -play_deg / 2, play_deg / 2)
        index = effects.index_arcmin if effects.index_arcmin is not None else self._seeded_index_arcmin
        cone = effects.cone_arcmin if effects.cone_arcmin is not None else self._seeded_cone_arcmin
        looks = looks_at(
            ha_deg,
            dec_deg,
            AxisErrors(
                rig.site.latitude_deg,
                1 if west else -1,
                (effects.polar_altitude_arcmin + state.adjusted_arcmin[0]) / 60,
                (effects.polar_azimuth_arcmin + state.adjusted_arcmin[1]) / 60,
                index[0] / 60,
                index[1] / 60,
                cone / 60,
                (effects.flexure_arcsec + (effects.guide_flexure_arcsec if guides else 0.0)) / 3600,
            ),
        )
        across, along = self._swing_arcsec(at, later_s)
        if not guides:
            across, along = across + state.mirror_arcsec[0], along + state.mirror_arcsec[1]
        return beside(looks, across / 3600, along / 3600)

    def _swing_arcsec(self, at: datetime, later_s: Floats) -> tuple[Floats, Floats]:
        """Beside the tube's aim: the slew's miss, and what is left of its swing."""
        state, effects = self._gear.state, self._gear.scenario.mount
        east, north = state.slew_error_arcsec
        left = np.zeros_like(later_s)
        if state.arrived is not None and effects.settle_arcsec:
            gone_s = (at - state.arrived).total_seconds() + later_s
            left = effects.settle_arcsec * np.where(
                gone_s >= 0, np.exp(-np.maximum(gone_s, 0) / effects.settle_s), 0
            )
        return -east + 0.6 * left, north + 0.8 * left

    def true_pointing_deg(self, now: datetime) -> tuple[float, float]:
        """Where the image's centre really is, ICRS."""
        looks = self.looks(now)
        ra_deg, dec_deg = unobserve(
            looks.hour_angle_deg[0], looks.dec_deg[0], from_datetimes(now), self._gear.site()
        )
        return float(ra_deg % 360), float(dec_deg)

    @property
    def camera_angle_deg(self) -> float:
        """How the camera is screwed on: its rows against the tube's up, north through east."""
        return self._camera_angle_deg
