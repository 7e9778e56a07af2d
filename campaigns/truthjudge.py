"""A night judged by what really was: sampled from the simulator, never from what the engine says."""

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import pairwise

from campaigns.night import Played
from vigil.devices.ways import Keep, keep_at
from vigil.documents.rig import Rig
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.engine.conditions.safe import Safe, sky_check
from vigil.planning.daylight import DAY_ABOVE_DEG, sun_altitude_deg
from vigil.planning.flip import rule_of
from vigil.planning.sides import beyond_min, window_on
from vigil.simulator.simbeside import SimSafety, SimWeather
from vigil.sky.horizontal import observe
from vigil.sky.instants import from_datetimes

EVERY_S = 5.0
_ALTITUDE_SLACK_DEG = 1.0
_WINDOW_SLACK_MIN = 0.5
_HINDERS = (FaultKind.DISCONNECTS, FaultKind.TIMES_OUT, FaultKind.THROWS)
_SUN_MATTERS_DEG = -2.0
_SHUTTING = ("mount", "roof", "cover", "safety sensor", "weather station")


@dataclass(slots=True)
class Sample:
    """The gear at one moment."""

    at: datetime
    parked: bool
    moving: bool
    tracking: bool
    roof: str
    cover: str
    unsafe: bool
    sun_deg: float
    hour_angle_deg: float = 0.0
    dec_deg: float = 0.0
    side: str = ""
    not_yet_safe: bool = False
    """By the stricter limits for going on."""


@dataclass
class Truth:
    """All samples of a night; `stopped` are spells of an emergency stop, when nothing may be expected."""

    rig: Rig
    scenario: Scenario
    samples: list[Sample] = field(default_factory=list)
    stopped: list[tuple[datetime, datetime]] = field(default_factory=list)
    by_hand: list[tuple[datetime, datetime]] = field(default_factory=list)
    _sun: tuple[datetime, float] | None = None

    async def keep(self, played: Played) -> None:
        """Sample until cancelled, and once more then."""
        gear = played.truth.gear
        sensors = {"weather station": SimWeather(gear), "safety sensor": SimSafety(gear)}
        try:
            while True:
                unsafe = False
                if Safe.wanted(self.rig):
                    told = {n: await x.read() for n, x in sensors.items() if gear.state.connected.get(n)}
                    now = gear.clock.utcnow()
                    unsafe = not sky_check(self.rig, told, now, held=False).met
                self._take(played, unsafe)
                if Safe.wanted(self.rig):
                    self.samples[-1].not_yet_safe = not sky_check(self.rig, told, now, held=True).met
                await asyncio.sleep(EVERY_S)
        finally:
            self._take(played, unsafe=False)

    def _take(self, played: Played, unsafe: bool) -> None:
        gear, mount = played.truth.gear, played.truth.mount
        now, state = gear.clock.utcnow(), gear.state
        if self._sun is None or now - self._sun[0] > timedelta(seconds=60):
            self._sun = now, sun_altitude_deg(self.rig.site, now)
        roof, cover = (
            state.shutters.get(name, "closed") if getattr(self.rig, name) else "none"
            for name in ("roof", "cover")
        )
        moving = state.motion is not None
        sample = Sample(now, state.parked, moving, state.tracking, roof, cover, unsafe, self._sun[1])
        if not state.parked:
            ra, dec = mount._believed_deg(now)
            seen = observe(ra, dec, from_datetimes(now), self.rig.site.place().airless())
            sample.hour_angle_deg, sample.dec_deg = float(seen.hour_angle_deg), float(seen.dec_deg)
            sample.side = state.pier_side
        self.samples.append(sample)

    # -- what was wrong -----------------------------------------------------------------------------

    def _hindered(self, at: datetime, before_s: float = 120.0) -> bool:
        """Whether a fault kept anybody from shutting then, or a person did."""
        minute = (at - self._starts_at).total_seconds() / 60
        back = before_s / 60
        faults: Sequence[Fault] = self.scenario.faults
        if any(
            f.kind in _HINDERS
            and f.befalls in _SHUTTING
            and (f.at_min is None or f.at_min - 1 <= minute <= f.at_min + f.minutes + back + 3)
            for f in faults
        ):
            return True
        margin = timedelta(minutes=3)
        return any(a - margin <= at <= b + margin for a, b in self.stopped)

    @property
    def _starts_at(self) -> datetime:
        assert self.rig.simulated is not None
        return self.rig.simulated.starts_at

    def shutting_s(self) -> list[float]:
        """For each time the sky turned unsafe with the roof open: seconds until the roof began to close, less
        those that the mount took to park."""
        if self.rig.roof is None:
            return []
        found, began, parking_s = [], None, 0.0
        for before, now in pairwise(self.samples):
            if began is None:
                if now.unsafe and not before.unsafe and now.roof in ("open", "opening"):
                    began, parking_s = now.at, 0.0
                continue
            if now.roof in ("closing", "closed"):
                if not self._hindered(now.at):
                    found.append(max(0.0, (now.at - began).total_seconds() - parking_s))
                began = None
            elif now.moving or before.moving:
                parking_s += (now.at - before.at).total_seconds()
        if began is not None and not self._hindered(self.samples[-1].at):
            found.append(9e9)
        return found

    def open_by_day_s(self) -> float:
        """How long anything stood open, or the mount awake, by day; shutting takes its time."""
        longest = run = 0.0
        for before, now in pairwise(self.samples):
            is_open = now.roof not in ("closed", "none") or now.cover not in ("closed", "none")
            if now.sun_deg > DAY_ABOVE_DEG and (is_open or not now.parked) and not self._hindered(now.at):
                run += (now.at - before.at).total_seconds()
            else:
                run = 0.0
            longest = max(longest, run)
        return longest

    def past_limits(self) -> list[str]:
        """Each kind of limit that the mount was past, tracking or slewing."""
        found: dict[str, str] = {}
        mount = self.rig.mount
        assert mount is not None
        was_past = False
        keep: Keep | None = None
        for before, now in pairwise(self.samples):
            if now.parked or before.parked or self._hindered(now.at):
                was_past = False
                continue
            if now.sun_deg > _SUN_MATTERS_DEG or keep is None or keep.sun is not None:
                keep = keep_at(self.rig, now.at)
            sun = float(keep.near_sun_deg(now.hour_angle_deg, now.dec_deg))
            if sun > 1.0 and sun > float(keep.near_sun_deg(before.hour_angle_deg, before.dec_deg)):
                found.setdefault("sun", f"{now.at:%H:%M:%S} {20 - sun:.0f}° from the sun")
            if not (now.tracking or now.moving):
                continue
            past = float(keep.past_altitude_deg(now.hour_angle_deg, now.dec_deg))
            was = float(keep.past_altitude_deg(before.hour_angle_deg, before.dec_deg))
            if past > _ALTITUDE_SLACK_DEG and past > was + 1e-4:
                found.setdefault("altitude", f"{now.at:%H:%M:%S} by {past:.1f}°")
            window = window_on(self.rig, now.side) if now.tracking and not now.moving else None
            if window is not None:
                limit = rule_of(window).limit_min
                here = beyond_min(now.side, 4 * now.hour_angle_deg)
                is_past = limit + _WINDOW_SLACK_MIN < here < 360
                if is_past and was_past:  # of two looks five seconds apart: it is not the guard's own second
                    found.setdefault("window", f"{now.at:%H:%M:%S} {here:.1f} min, limit {limit:g}")
                was_past = is_past
        return [f"{kind}: {words}" for kind, words in found.items()]

    def at_the_end(self) -> list[str]:
        """What stood open when the night was over."""
        last = self.samples[-1]
        wrong = [] if last.parked else ["not parked"]
        return wrong + [
            f"{n} {s}" for n, s in (("roof", last.roof), ("cover", last.cover)) if s not in ("closed", "none")
        ]
